"""What was said of each crop for next year becomes the plan for the coming season, with its undo."""

from django.db import migrations
from django.utils import timezone

SAME = (
    "ref",
    "struck_at",
    "way",
    "servings_per_week",
    "serving_g",
    "weeks",
    "store_loss_percent",
    "is_out",
    "germination_percent",
    "certainty",
    "crop_id",
    "household_id",
)
OLD, NEW = "next_year.cropplan", "plans.plannedcrop"


def goal_of(is_kept):
    return "winter" if is_kept else "fresh"


def bring_over(apps, schema_editor):
    """The records keep their keys, so that what was written of them can still be undone."""
    crop_plan, planned = apps.get_model("next_year", "CropPlan"), apps.get_model("plans", "PlannedCrop")
    plan = apps.get_model("plans", "Plan")
    now = timezone.now()
    plans = {}
    for old in crop_plan.objects.order_by("pk"):
        if old.household_id not in plans:
            season = now.year + (now.month >= 7)
            plans[old.household_id] = plan.objects.create(
                household_id=old.household_id, ref=f"plan-{season}", season=season, is_chosen=True
            )
        same = {name: getattr(old, name) for name in SAME}
        planned.objects.create(pk=old.pk, plan=plans[old.household_id], goal=goal_of(old.is_kept), **same)
    changed = apps.get_model("people", "ChangedRecord")
    for record in changed.objects.filter(model=OLD).select_related("change"):
        record.model = NEW
        if record.before is not None:
            record.before = {
                **{name: value for name, value in record.before.items() if name != "is_kept"},
                "goal": goal_of(record.before.get("is_kept")),
                "plan_id": plans[record.change.household_id].pk,
            }
        record.save(update_fields=["model", "before"])


class Migration(migrations.Migration):

    dependencies = [
        ("plans", "0001_begin"),
        ("next_year", "0004_own_record"),
        ("people", "0007_weeks_and_guests"),
    ]

    operations = [migrations.RunPython(bring_over, migrations.RunPython.noop)]
