"""Saved questions and blinded trials under the names they have now; what can be undone follows."""

from django.db import migrations, models


def rename_kept(apps, _):
    records = apps.get_model("people", "ChangedRecord").objects
    records.filter(model="weigh_up.keptquestion").update(model="weigh_up.savedquestion")
    for kept in records.filter(model="weigh_up.trial", before__isnull=False):
        kept.before = {name.replace("is_hidden", "is_blinded"): value for name, value in kept.before.items()}
        kept.save(update_fields=["before"])


class Migration(migrations.Migration):
    dependencies = [("people", "0003_bench_links"), ("weigh_up", "0001_begin")]

    operations = [
        migrations.RenameModel("KeptQuestion", "SavedQuestion"),
        migrations.RemoveConstraint("savedquestion", "keptquestion_ref_in_household"),
        migrations.AddConstraint(
            "savedquestion",
            models.UniqueConstraint(fields=("household", "ref"), name="savedquestion_ref_in_household"),
        ),
        migrations.RenameField("Trial", "is_hidden", "is_blinded"),
        migrations.AlterField(
            "Trial",
            "is_blinded",
            models.BooleanField(default=False, verbose_name="keep the results back until all are in"),
        ),
        migrations.RunPython(rename_kept, migrations.RunPython.noop),
    ]
