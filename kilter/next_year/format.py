"""What of the plan travels in the open format."""

from kilter.next_year.models import CropPlan
from kilter.set_out.format import OF_CROP
from kilter.tables.table import Table

FORMAT = (Table.of(CropPlan, "plans", told=(OF_CROP,), twin=lambda plan: (plan.crop_id,)),)
