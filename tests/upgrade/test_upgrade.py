"""A landed migration is never changed, and a database of every landed schema comes up to date with
its figures.

By hand, of the garden in every one of them: shallots set in autumn gave 900 and 800 g from nine
sets each, in spring 600 and 500 g (Small is no food there): 1.7 / 18 = 0.09444 and 1.1 / 18 =
0.06111 kg a plant.
"""

from __future__ import annotations

import json
import sqlite3
from pathlib import Path

import pytest

from tests.upgrade.keep import KEPT, LANDED, SCHEMAS, manage, migrations, undump

#: What is done with each, in one process: brought up to date, a question asked, tables read that
#: were once lacking.
LOOKED_AT = """
import io, json
from django.core.management import call_command
from kilter.set_out.models import Planting, SeedLot
from kilter.weigh_in.models import Bowl, Scale, Striking
call_command("migrate", verbosity=0)
said = io.StringIO()
asked = "--compare method:setting --by kg_per_plant --within variety --crop shallot"
call_command("weigh_up", *asked.split(), "--household", "Old", "--json", stdout=said)
print(json.dumps(json.loads(said.getvalue())))
lots = [p.lot.name for p in Planting.objects.exclude(lot=None).order_by("pk")]
print(json.dumps([lots, SeedLot.objects.count()]))
print(Striking.objects.count(), Bowl.objects.count(), Scale.objects.count())
"""
#: The first schema had a lot as a text beside its planting.
LOTS = "UPDATE set_out_planting SET lot = CASE id WHEN 1 THEN 'Swap' ELSE 'swap' END WHERE id < 3"
#: The first, the twelfth and the last two; each walks the way of those after it, and a sweep takes
#: them all.
ALWAYS = {KEPT[0], KEPT[11], *KEPT[-2:]}


def test_a_landed_migration_is_never_changed_or_taken_away():
    landed, now = json.loads(LANDED.read_text()), migrations()
    assert {name: now.get(name) for name in landed} == landed, (
        "a new migration follows; a landed one stays as it is"
    )


def test_the_schema_as_it_is_now_is_kept_too():
    assert set(migrations()) == set(json.loads(LANDED.read_text())), (
        "run python -m tests.upgrade.keep, and commit it"
    )


def columns(database: Path) -> dict[str, set[tuple[str, int]]]:
    """Every column with whether it may be null, by table."""
    opened = sqlite3.connect(database)
    tables = [
        row[0] for row in opened.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
    ]
    found = {
        t: {(row[1], row[3]) for row in opened.execute(f'PRAGMA table_info("{t}")')}
        for t in tables
        if not t.startswith("sqlite_")
    }
    broken = opened.execute("PRAGMA foreign_key_check").fetchall()
    opened.close()
    assert broken == []
    return found


@pytest.mark.parametrize(
    "kept",
    [pytest.param(path, marks=() if path in ALWAYS else pytest.mark.sweep) for path in KEPT],
    ids=lambda path: path.name.removesuffix(".sql.gz"),
)
def test_a_database_of_that_schema_comes_up_to_date_with_its_figures(kept, migrated, tmp_path):
    database = tmp_path / "kilter.sqlite3"
    undump(kept, database)
    is_first = kept.name.startswith("01-")
    if is_first:
        with sqlite3.connect(database) as opened:
            opened.execute(LOTS)
        opened.close()
    answer, lots, counts = manage(database, "shell", "-c", LOOKED_AT).strip().splitlines()[-3:]
    assert json.loads(lots) == (
        [["Swap", "Swap"], 1] if is_first else [[], 0]
    )  # a text becomes a record
    assert columns(database) == columns(migrated)
    means = {level["level"]: level["mean"] for level in json.loads(answer)["levels"]}
    assert means["autumn"] / means["spring"] == pytest.approx(1.7 / 1.1, rel=0.01)
    assert counts == "0 0 0"


def test_all_migrations_from_nothing_make_the_schema_that_is_kept(migrated, tmp_path):
    database = tmp_path / "kilter.sqlite3"
    manage(database, "migrate", "-v0")
    assert columns(database) == columns(migrated)


#: A household said once what it wants of its shallots, and then changed it; and left a crop out.
SAID = """
INSERT INTO next_year_cropplan (id, ref, way, servings_per_week, serving_g, weeks, is_kept,
  store_loss_percent, is_out, germination_percent, certainty, crop_id, household_id)
SELECT 7, 'said', 'own', 2.5, 100, 20, 1, 1.0, 0, 80, 90, MIN(id), MIN(household_id)
  FROM set_out_crop;
INSERT INTO people_change (id, household_id, made_at, says, is_undoing, is_note)
SELECT 70, MIN(household_id), '2026-03-01 12:00:00', 'changed', 0, 0 FROM set_out_crop;
INSERT INTO people_changedrecord (change_id, model, record_id, before)
SELECT 70, 'next_year.cropplan', 7, '{"id": 7, "way": "plate", "is_kept": false, "certainty": 50}';
"""
UNDONE = """
from django.core.management import call_command
from kilter.people.history import Actor, undo
from kilter.people.models import Change
from kilter.plans.models import Plan, PlannedCrop
call_command("migrate", verbosity=0)
def said():
    one = PlannedCrop.objects.get(pk=7)
    print(one.plan.is_chosen, one.goal, one.way, one.certainty, one.servings_per_week, one.ref)
said()
change = Change.objects.get(pk=70)
undo(Actor(change.household), change)
said()
print(Plan.objects.count())
"""


def test_what_was_said_of_a_crop_becomes_a_plan_and_can_still_be_undone(tmp_path):
    database = tmp_path / "kilter.sqlite3"
    undump(SCHEMAS / "13-07d69d47.sql.gz", database)
    with sqlite3.connect(database) as opened:
        opened.executescript(SAID)
    opened.close()
    before, after, plans = manage(database, "shell", "-c", UNDONE).strip().splitlines()[-3:]
    assert before == "True winter own 90 2.50 said"
    assert after == "True fresh plate 50 2.50 said"
    assert plans == "1"
