"""Databases made while the first migrations were still being changed lack the strikings, or call bowls tares.

Nothing happens to a database that has both: this repairs those made at four commits of November 2026.
"""

from django.db import migrations


def repair(apps, schema_editor):
    tables = schema_editor.connection.introspection.table_names()
    for name, was in (("Striking", ""), ("Bowl", "weigh_in_tare")):
        model = apps.get_model("weigh_in", name)
        table = model._meta.db_table
        if table in tables:
            continue
        if was in tables:
            schema_editor.alter_db_table(model, was, table)
        else:
            schema_editor.create_model(model)


class Migration(migrations.Migration):
    dependencies = [
        ("weigh_in", "0005_summed"),
        ("set_out", "0007_own_values"),
        ("people", "0004_usual_and_dates"),
    ]
    operations = [migrations.RunPython(repair, migrations.RunPython.noop)]
