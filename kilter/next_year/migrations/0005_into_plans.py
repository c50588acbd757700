"""What was said of each crop lies in the plans now."""

from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ("next_year", "0004_own_record"),
        ("plans", "0002_from_crop_plans"),
    ]

    operations = [migrations.DeleteModel("CropPlan")]
