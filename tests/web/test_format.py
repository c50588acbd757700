"""One format, beside each model: all of a household travels, byte for byte,
and with it every figure.
"""

from __future__ import annotations

import csv
import hashlib
import io
import json
import zipfile
from datetime import date
from pathlib import Path

import frictionless
import pytest
from django.apps import apps
from django.core.exceptions import ValidationError
from django.core.management import CommandError, call_command
from django.db import models
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from kilter.exchange.dumping import as_zip, dump, package_files
from kilter.exchange.formats import STAYS, TABLES, VERSION
from kilter.exchange.loading import load
from kilter.exchange.older import CONVERTERS
from kilter.exchange.reading import PackageError, read_package
from kilter.ground.models import Place
from kilter.people.models import Household, Owned
from kilter.plans.models import NotEaten, Plan, PlannedCrop, Shelf, Wish
from kilter.set_out.models import MethodTag
from kilter.tables.cells import GUARD, guarded, unguarded
from kilter.tending.format import photo_bytes
from kilter.tending.models import Photo
from kilter.weigh_in.models import WeighIn
from kilter.weigh_up.models import Trial

DEMO = Path(__file__).resolve().parents[2] / "demo" / "ropewalk-yard"
OLDER = Path(__file__).resolve().parents[1] / "packages"
OURS = {
    "people",
    "ground",
    "set_out",
    "tending",
    "weather",
    "weigh_in",
    "weigh_up",
    "larder",
    "look_back",
    "plans",
    "next_year",
    "records",
    "exchange",
    "atlas",
    "find",
    "today",
    "site",
}


def own_models():
    return [
        model
        for model in apps.get_models()
        if model._meta.app_label in OURS and not model._meta.auto_created
    ]


def test_every_model_has_a_table_or_a_reason():
    told = {table.model for table in TABLES}
    for model in own_models():
        assert (model in told) != (model in STAYS), (
            f"{model.__name__}: give it a table in format.py, or a reason"
        )
        if issubclass(model, Owned):
            assert model in told
    assert all(STAYS.values())


@pytest.mark.parametrize("table", TABLES, ids=lambda table: table.name)
def test_every_field_that_a_form_may_show_is_a_column(table):
    columns = {column.kept_as for column in table.columns} | {
        name for told in table.told for name in told.instead_of
    }
    for field in table.model._meta.concrete_fields:
        here = {"name", "may_onlookers_take_out"} if table.model is Household else set()
        stays = {"id", "household", "is_ahead"} | here
        if field.editable and field.name not in stays:
            assert field.name in columns, f"{table.name} does not tell of {field.name}"


def test_the_descriptor_and_every_row_are_valid_as_frictionless_reads_them(garden, tmp_path):
    load(DEMO, garden.household)
    dump(garden.household, tmp_path / "out")
    report = frictionless.validate(str(tmp_path / "out" / "datapackage.json"))
    assert report.valid, report.flatten(["resource", "rowNumber", "fieldName", "note"])[:5]


def dumped(household):
    return {
        name: content
        for name, content in package_files(household).items()
        if name != "datapackage.json"
    }


def twin_of(household, tmp_path, name="Twin"):
    dump(household, tmp_path / f"{name}.zip")
    twin = Household.objects.create(name=name)
    loaded = load(tmp_path / f"{name}.zip", twin)
    assert loaded.problems == ()
    return twin


def test_a_whole_household_comes_out_byte_for_byte(garden, tmp_path):
    """Settings, plan, photographs and all."""
    household = garden.household
    household.time_zone, household.kitchen_kg_per_week, household.is_moon_shown = (
        "Asia/Tokyo",
        4.5,
        True,
    )
    household.is_small_food, household.currency, household.default_unit = True, "kr", "lb"
    household.save()
    plan = Plan.objects.create(household=household, season=2026, is_chosen=True, frost_risk=20)
    PlannedCrop.objects.create(
        household=household,
        plan=plan,
        crop=garden.crop,
        servings_per_week="2.5",
        certainty=83,
        goal="until",
        until=date(2027, 4, 1),
        frozen_on=date(2026, 3, 1),
        promised_plants=12,
        promised_half_kg=1.25,
    )
    NotEaten.objects.create(household=household, crop=garden.crop, eater=garden.eater)
    Wish.objects.create(household=household, crop_name="oca")
    Shelf.objects.create(household=household, name="Loft", cells=84)
    garden.lines[0].photos.add(garden.photo)
    WeighIn.objects.filter(pk=garden.lines[1].pk).update(
        device="d", pile="p", number_in_pile=2, reading_mg=1_300_000
    )
    Place.objects.filter(pk=garden.bed.pk).update(
        number=200_001
    )  # once saved and then refused by its own package
    twin = twin_of(household, tmp_path)
    assert dumped(twin) == dumped(household)
    assert (twin.time_zone, twin.currency) == ("Asia/Tokyo", "kr")
    photo = Photo.objects.of(twin).get()
    assert photo_bytes(photo) == photo_bytes(garden.photo)
    assert list(WeighIn.objects.of(twin).get(ref=garden.lines[0].ref).photos.all()) == [photo]
    again = load(tmp_path / "Twin.zip", twin)
    assert sum(again.new.values()) == sum(again.changed.values()) == 0


def said(household, command, *more):
    out = io.StringIO()
    try:
        call_command(command, "--household", household.name, "--json", *more, stdout=out)
    except CommandError as error:
        out.write(str(error))
    return out.getvalue()


def test_every_figure_of_the_demo_is_the_same_on_both_sides(db, tmp_path):
    household = Household.objects.create(name="Ropewalk Yard")
    load(DEMO, household)
    twin = twin_of(household, tmp_path)
    asked = [
        ("figures",),
        ("next_year",),
        ("today",),
        (
            "weigh_up",
            "--compare",
            "method:setting",
            "--by",
            "kg_per_plant",
            "--crop",
            "shallot",
            "--within",
            "variety",
        ),
        (
            "weigh_up",
            "--compare",
            "variety",
            "--by",
            "kg_per_m2",
            "--crop",
            "tomato",
            "--upto",
            "date",
        ),
        ("weigh_up", "--compare", "season", "--by", "count_per_plant"),
    ]
    for command in asked:
        assert said(twin, *command) == said(household, *command), command


@pytest.mark.parametrize(
    "text", ["=1+1", "+4", "-4", "@SUM(A1)", "\tx", "'=quoted", "'", "''", "plain", "a=b", "'plain"]
)
def test_no_text_is_run_as_a_formula_and_every_text_comes_back(garden, tmp_path, text):
    assert not guarded(text).startswith(("=", "+", "-", "@", "\t", "\r"))
    assert unguarded(guarded(text)) == text
    Place.objects.filter(pk=garden.bed.pk).update(notes=text.strip() or "x")
    twin = twin_of(garden.household, tmp_path)
    assert Place.objects.of(twin).get(ref=garden.bed.ref).notes == (text.strip() or "x")


def test_the_figures_of_an_answer_are_guarded_too(garden, client):
    Place.objects.filter(pk=garden.crates[0].pk).update(name="=cmd|calc")
    asked = {"compare": "method:setting", "by": "kg_per_plant", "crop": "shallot"}
    rows = list(
        csv.DictReader(io.StringIO(client.get("/weigh-up/units.csv", asked).content.decode()))
    )
    assert rows[0]["place"] == f"{GUARD}=cmd|calc 1"


def test_methods_with_any_signs_in_them_come_back(garden, tmp_path):
    MethodTag.objects.create(planting=garden.plantings[0], name="trial", value="A; b=c \\ d")
    twin = twin_of(garden.household, tmp_path)
    assert MethodTag.objects.get(planting__household=twin, name="trial").value == "A; b=c \\ d"


@pytest.mark.parametrize("version", sorted(CONVERTERS))
def test_a_package_of_every_earlier_version_loads(db, version):
    household = Household.objects.create(name="Loaders")
    loaded = load(OLDER / f"version-{version}", household)
    assert loaded.problems == ()
    assumed = [note for note in loaded.notes if "no settings of a household" in note]
    assert loaded.notes == tuple(assumed)
    assert len(assumed) == (version == 1), (
        "the first version had none, and what was taken instead is said"
    )
    assert Trial.objects.of(household).get().is_blinded
    assert (
        household.planting_set.get(ref="b").notes == "'=left as it was"
    )  # version 1 guarded nothing


def test_what_version_3_said_of_crops_is_the_plan_for_the_coming_season(db):
    household = Household.objects.create(name="Loaders")
    load(OLDER / "version-3", household)
    plan = Plan.objects.of(household).get()
    assert (plan.season, plan.is_chosen) == (2027, True)
    said = {one.crop.name: one for one in PlannedCrop.objects.of(household).filter(plan=plan)}
    assert (said["tomato"].goal, said["tomato"].way, said["tomato"].certainty) == (
        "winter",
        "own",
        80,
    )
    assert (said["quince"].goal, said["quince"].is_out) == ("fresh", True)


def test_there_is_a_package_of_every_earlier_version_and_a_newer_one_is_refused(tmp_path):
    assert set(CONVERTERS) == set(range(1, VERSION))
    (tmp_path / "sites.csv").write_text("id,name\ns,Yard\n")
    (tmp_path / "datapackage.json").write_text(
        json.dumps({"kilter_format": VERSION + 1, "resources": []})
    )
    with pytest.raises(PackageError, match="newer"):
        read_package(tmp_path)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda files, name: files.pop(name), "is not in the package"),
        (lambda files, name: files.update({name: b"no picture"}), "sha256"),
        (
            lambda files, name: files.update(
                {
                    name: b"no picture",
                    "photos.csv": files["photos.csv"].replace(
                        hashlib.sha256(files[name]).hexdigest(),
                        hashlib.sha256(b"no picture").hexdigest(),
                    ),
                }
            ),
            "plain JPEG",
        ),
    ],
)
def test_a_photograph_that_is_not_what_it_says_is_named(garden, tmp_path, change, says):
    files = package_files(garden.household)
    change(files, f"photos/{garden.photo.ref}.jpg")
    (tmp_path / "p.zip").write_bytes(as_zip(files))
    loaded = load(tmp_path / "p.zip", Household.objects.create(name="Twin"))
    assert [str(problem) for problem in loaded.problems if says in str(problem)]
    assert not Photo.objects.exclude(household=garden.household).exists()


def values_of(field):
    """What a form could have let into a field."""
    if field.flatchoices:
        return st.sampled_from([value for value, _ in field.flatchoices])
    limits = {
        type(v).__name__: v.limit_value for v in field.validators if hasattr(v, "limit_value")
    }
    low, high = (limits.get(f"{name}ValueValidator") for name in ("Min", "Max"))
    if isinstance(field, models.BooleanField):
        return st.booleans()
    if isinstance(field, models.DateField):
        return st.dates(low or date(1900, 1, 1), high or date(2200, 1, 1))
    if isinstance(field, models.IntegerField):
        return st.integers(
            max(low or 0, 1 if field.name.endswith("_mg") else 0), min(high or 10**9, 10**9)
        )
    if isinstance(field, models.DecimalField):
        return st.decimals(low, high, places=field.decimal_places)
    if isinstance(field, models.FloatField):
        return st.floats(-1000 if low is None else low, 1000 if high is None else high)
    letters = st.characters(exclude_categories=("Cs", "Cc"))
    return (
        st.text(letters, min_size=1, max_size=min(field.max_length or 40, 40))
        .map(str.strip)
        .filter(bool)
    )


#: Told by hand, or tied to others: their own tests are above.
BY_HAND = {
    "household",
    "photos",
    "questions",
    "trials",
    "weather",
    "own_measures",
    "mixes",
    "trial_units",
}


@settings(
    suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=40, deadline=None
)
@given(st.data())
def test_whatever_a_form_saves_travels(garden, tmp_path_factory, data):
    table = data.draw(
        st.sampled_from([table for table in TABLES if table.name not in BY_HAND]), label="table"
    )
    record = table.model.objects.of(garden.household).first() or table.model(
        household=garden.household
    )
    if record.pk is None:
        for name, model in table.keys:
            needed = (
                not table.model._meta.get_field(name).null or name == (table.one_of or ("",))[0]
            )
            setattr(record, name, model.objects.of(garden.household).first() if needed else None)
        record.crop = garden.crop
        record.planting = garden.plantings[0]
    skipped = {"id", "ref", "household", "struck_at", "grade", "mass_mg", "tare_mg", "measures"}
    for field in table.model._meta.concrete_fields:
        if (
            field.editable
            and field.name not in skipped
            and not isinstance(field, models.ForeignKey | models.FileField)
        ):
            setattr(record, field.name, data.draw(values_of(field), label=field.name))
    try:
        record.full_clean(exclude=["household"], validate_constraints=True)
    except ValidationError:
        return  # what no form would save
    record.save()
    before = dumped(garden.household)
    target = tmp_path_factory.mktemp("any") / "p.zip"
    target.write_bytes(as_zip(package_files(garden.household)))
    twin = Household.objects.create(name="Twin")
    loaded = load(target, twin)
    assert loaded.problems == ()
    assert dumped(twin) == before
    Household.objects.filter(pk=twin.pk).update(name="gone")


def test_a_zip_holds_the_same_whatever_the_day(garden):
    one, other = as_zip(package_files(garden.household)), as_zip(package_files(garden.household))
    assert one == other
    with zipfile.ZipFile(io.BytesIO(one)) as archive:
        assert archive.testzip() is None
