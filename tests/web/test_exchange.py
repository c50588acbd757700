"""The open format: all or nothing, every bad row named, twice changes nothing,
out and in again the same.
"""

from __future__ import annotations

import csv
import io
import json
import time
import zipfile
from pathlib import Path

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import CommandError, call_command
from django.urls import reverse
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from kilter.core.errors import KilterError
from kilter.exchange import jobs
from kilter.exchange.dumping import as_zip, dump, package_files
from kilter.exchange.formats import TABLES, descriptor
from kilter.exchange.loading import load
from kilter.exchange.reading import PackageError, read_package
from kilter.people.actions import strike
from kilter.people.history import Actor
from kilter.people.models import Household
from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn
from tests.conftest import html_of

DEMO = Path(__file__).resolve().parents[2] / "demo" / "ropewalk-yard"
GOOD = {
    "sites.csv": "id,name\ns1,Yard\n",
    "places.csv": "id,site,kind,name,number,volume_l\np1,s1,pot,Pot,1,30\np2,s1,pot,Pot,2,30\n",
    "plantings.csv": (
        "id,place,crop,variety,season,planted_on,units,unit_kind,finished_on,methods\n"
        "a,p1,tomato,Brass Bell,2026,2026-05-18,1,transplant,2026-09-30,watering=wick\n"
        "b,p2,tomato,,2026,2026-05-18,1,transplant,,\n"
    ),
    "weigh_ins.csv": (
        "id,planting,weighed_on,grade,count,mass,tare,note\n"
        "w1,a,2026-08-01,table,12,1.24 kg,300 g,\n"
        'w2,a,2026-08-09,Hurt,,2 lb 3 oz,,"split, by rain"\n'
        "w3,b,2026-08-09,,4,,,\n"
    ),
    "eaters.csv": "id,name,appetite\ne1,Wen,0.75\n",
}


@pytest.fixture
def folder(tmp_path):
    def write(**changes: str | None) -> Path:
        target = tmp_path / "package"
        target.mkdir(exist_ok=True)
        for name, text in {**GOOD, **{f"{k}.csv": v for k, v in changes.items()}}.items():
            (target / name).unlink(missing_ok=True)
            if text is not None:
                (target / name).write_text(text)
        return target

    return write


@pytest.fixture
def household(db):
    return Household.objects.create(name="Loaders")


def test_a_bare_folder_loads_to_the_milligram(folder, household):
    assert load(folder(), household).is_done
    masses = dict(WeighIn.objects.of(household).values_list("ref", "mass_mg"))
    assert masses == {"w1": 940_000, "w2": 992_233, "w3": None}
    planting = Planting.objects.of(household).get(ref="a")
    assert (str(planting.place), planting.variety.name, planting.methods.get().value) == (
        "Pot 1",
        "Brass Bell",
        "wick",
    )


def test_a_spreadsheets_way_of_writing_whole_numbers_is_read(folder, household):
    assert load(
        folder(places=GOOD["places.csv"].replace("Pot,1,30", "Pot,1.0,30.0")), household
    ).is_done
    assert Planting.objects.of(household).get(ref="a").place.number == 1


def test_loading_twice_changes_nothing(folder, household):
    load(folder(), household)
    again = load(folder(), household)
    assert sum(again.new.values()) == sum(again.changed.values()) == 0
    assert sum(again.same.values()) == 9
    assert WeighIn.objects.count() == 3


def test_a_known_id_with_other_contents_replaces_and_a_struck_one_comes_back(folder, household):
    load(folder(), household)
    WeighIn.objects.filter(ref="w1").update(struck_at="2026-08-02T00:00Z")
    changed = load(
        folder(weigh_ins=GOOD["weigh_ins.csv"].replace("12,1.24 kg", "13,1.30 kg")), household
    )
    assert changed.changed["weigh_ins"] == 1
    assert WeighIn.objects.of(household).get(ref="w1").mass_mg == 1_000_000


@pytest.mark.parametrize("packed", [False, True])
def test_load_then_dump_is_the_same_data(db, tmp_path, packed):
    household = Household.objects.create(name="Ropewalk Yard")
    assert load(DEMO, household).is_done
    target = tmp_path / ("out.zip" if packed else "out")
    dump(household, target)
    if packed:
        with zipfile.ZipFile(target) as archive:
            files = {name: archive.read(name).decode() for name in archive.namelist()}
    else:
        files = {path.name: path.read_text() for path in target.iterdir()}
    assert files == {path.name: path.read_text() for path in DEMO.iterdir()}
    twin = Household.objects.create(name="Twin")
    assert load(target, twin).is_done
    assert {k: v for k, v in package_files(twin).items() if k.endswith("csv")} == {
        k: v for k, v in files.items() if k.endswith("csv")
    }


@pytest.mark.parametrize(
    ("table", "old", "new", "column", "line", "says"),
    [
        ("sites", "Yard", "", "name", 2, "must not be empty"),
        ("sites", "id,name", "id,nome", "name", 1, "column that must be there"),
        ("sites", "id,name", "id,name,name", "name", 1, "stands twice"),
        ("sites", "s1,Yard", "s1,Yard,more", "", 2, "one cell more"),
        ("places", "p2,s1", "p2,s9", "site", 3, "no id in sites.csv"),
        ("places", "p2,s1", "p1,s1", "id", 3, "stands on line 2 already"),
        ("places", "Pot,1,30", "Pot,1,-30", "volume_l", 2, "not between"),
        ("places", "Pot,1,30", "Pot,1,nan", "volume_l", 2, "not between"),
        ("places", "Pot,1,30", "Pot,one,30", "number", 2, "not a whole number"),
        ("places", "Pot,1,30", "Pot,1.5,30", "number", 2, "not a whole number"),
        ("plantings", "a,p1", "a,p7", "place", 2, "no id in places.csv"),
        (
            "plantings",
            "2026-05-18,1,transplant,2026-09-30",
            "May,1,transplant,2026-09-30",
            "planted_on",
            2,
            "2026-08-04",
        ),
        (
            "plantings",
            "transplant,2026-09-30",
            "transplant,2026-01-30",
            "finished_on",
            2,
            "before planted_on",
        ),
        ("plantings", "watering=wick", "watering", "methods", 2, "name=value"),
        (
            "plantings",
            ",2026,2026-05-18,1,transplant,,",
            ",,,1,transplant,,",
            "season",
            3,
            "no date",
        ),
        ("weigh_ins", "1.24 kg", "1.24", "mass", 2, "has no unit"),
        ("weigh_ins", "1.24 kg", "2 kg 3 oz", "mass", 2, "mixes units"),
        ("weigh_ins", "300 g", "3 kg", "tare", 2, "more than the mass"),
        ("weigh_ins", ",4,,,", ",,,,", "mass", 4, "so is count"),
        ("weigh_ins", "Hurt", "Best", "grade", 3, "is none of table"),
        ("weigh_ins", "2026-08-01", "1026-08-01", "weighed_on", 2, "between the years"),
        ("eaters", "0.75", "much", "appetite", 2, "not a number"),
    ],
)
def test_every_bad_row_is_named_and_nothing_is_loaded(
    folder, household, table, old, new, column, line, says
):
    text = GOOD[f"{table}.csv"]
    assert old in text
    loaded = load(folder(**{table: text.replace(old, new, 1)}), household)
    problem = next(p for p in loaded.problems if p.file == f"{table}.csv")
    assert (problem.line, problem.column) == (line, column)
    assert says in problem.reason
    assert not WeighIn.objects.exists()


def test_all_problems_are_named_at_once(folder, household):
    bad = (
        GOOD["weigh_ins.csv"]
        .replace("1.24 kg", "heavy")
        .replace("2 lb 3 oz", "-1 kg")
        .replace("w3,b", "w3,zz")
    )
    assert len(load(folder(weigh_ins=bad), household).problems) == 3


def test_optional_columns_may_be_left_out(folder, household):
    """The least there can be: what is not said is told by the rest, and said in a note."""
    loaded = load(
        folder(
            sites=None,
            eaters=None,
            places="id,kind\np1,pot\n",
            plantings="id,place,crop,planted_on,units\na,p1,kale,2025-10-01,4\n",
            weigh_ins="id,planting,weighed_on,mass\nw,a,2026-03-01,12 oz\n",
        ),
        household,
    )
    assert loaded.is_done
    planting = Planting.objects.of(household).get()
    assert (planting.season, str(planting.finished_on), planting.place.site.name) == (
        2026,
        "2026-03-01",
        "Garden",
    )
    assert any("finished_on" in note for note in loaded.notes)


def test_a_descriptor_may_rename_files_and_choose_the_delimiter(folder, household):
    target = folder(eaters=None)
    (target / "people.csv").write_text("id;name;appetite\ne1;Wen;0,75\n")
    resource = {"name": "eaters", "path": "people.csv", "dialect": {"delimiter": ";"}}
    (target / "datapackage.json").write_text(
        json.dumps({"resources": [resource, {"name": "x", "path": "x.csv"}]})
    )
    loaded = load(target, household)
    assert household.eater_set.get().appetite == 0.75
    assert any("x is not a table" in note for note in loaded.notes)


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("p.zip", b"no zip at all", "cannot be opened"),
        ("p.zip", as_zip({"other.csv": "a\n"}), "No table was found"),
        ("p.zip", as_zip({"datapackage.json": "{"}), "datapackage.json cannot be read"),
        ("p.zip", as_zip({"datapackage.json": "[1]"}), "datapackage.json cannot be read"),
        (
            "p.zip",
            as_zip({"datapackage.json": '{"resources":[{"name":"sites","path":"s.csv"}]}'}),
            "not in the package",
        ),
        ("gone", None, "neither a folder nor a zip"),
    ],
)
def test_what_is_no_package_is_refused(tmp_path, name, content, says):
    path = tmp_path / name
    if content is not None:
        path.write_bytes(content)
    with pytest.raises(PackageError, match=says):
        read_package(path)


def test_no_zip_bomb_is_unpacked(tmp_path, monkeypatch):
    monkeypatch.setattr("kilter.exchange.reading.MAX_FILE_BYTES", 1000)
    (tmp_path / "b.zip").write_bytes(as_zip({"sites.csv": "a" * 5000}))
    with pytest.raises(PackageError, match="larger than"):
        read_package(tmp_path / "b.zip")


@settings(
    suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=60, deadline=None
)
@given(
    st.dictionaries(st.sampled_from([t.name for t in TABLES]), st.binary(max_size=300), min_size=1)
)
def test_any_bytes_are_read_or_refused(tmp_path_factory, files):
    target = tmp_path_factory.mktemp("any")
    for name, content in files.items():
        (target / f"{name}.csv").write_bytes(content)
    try:
        read_package(target)
    except KilterError as error:
        assert str(error)


@settings(
    suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=60, deadline=None
)
@given(st.data())
def test_any_cells_are_read_or_named(tmp_path_factory, data):
    """Rows of any text under the right heads:
    each cell is read or named with its line and column.
    """
    target = tmp_path_factory.mktemp("cells")
    table = data.draw(st.sampled_from(TABLES))
    cell = st.one_of(
        st.text(max_size=12),
        st.sampled_from(["1", "2026-01-01", "940 g", "table", "-5", "1e400", "٣"]),
    )
    cells = data.draw(st.lists(st.tuples(*[cell] * len(table.columns)), max_size=4))
    stream = io.StringIO(newline="")
    csv.writer(stream).writerows([table.column_names, *cells])
    (target / f"{table.name}.csv").write_text(
        stream.getvalue().replace("\ud800", ""), errors="replace", newline=""
    )
    package = read_package(target)
    for problem in package.problems:
        assert problem.line >= 1
        assert problem.reason


def test_the_descriptor_is_a_tabular_data_package():
    """The properties that the Frictionless Data Package and Table Schema specifications require."""
    found = descriptor("x")
    assert found["name"] == "x"
    for resource, table in zip(found["resources"], TABLES, strict=True):
        assert {"name", "path", "schema"} <= resource.keys()
        fields = [field["name"] for field in resource["schema"]["fields"]]
        assert fields == list(table.column_names)
        assert resource["schema"]["primaryKey"] in fields
        assert all(
            field["type"] in {"string", "number", "integer", "date"}
            for field in resource["schema"]["fields"]
        )
        for key in resource["schema"].get("foreignKeys", []):
            assert key["fields"] in fields


def test_commands_load_and_dump(folder, db, tmp_path, capsys):
    call_command("load", str(folder()), "--household", "Fresh")
    assert "weigh_ins 3" in " ".join(capsys.readouterr().out.split())
    call_command("load", str(folder()), "--household", "Fresh", "--json")
    assert json.loads(capsys.readouterr().out)["new"]["weigh_ins"] == 0
    call_command("dump", str(tmp_path / "o.zip"), "--household", "Fresh")
    assert (tmp_path / "o.zip").exists()


def test_a_refused_load_leaves_not_even_a_household(folder, db, capsys):
    with pytest.raises(CommandError, match="1 problems; nothing was loaded"):
        call_command("load", str(folder(sites="id,name\ns1,\n")), "--household", "Fresh")
    assert "sites.csv, line 2, name" in capsys.readouterr().err
    assert not Household.objects.exists()
    with pytest.raises(CommandError, match="no household named"):
        call_command("dump", "x", "--household", "Nobody")


@pytest.mark.django_db(transaction=True)
def test_the_page_loads_with_progress_and_names_what_is_wrong(client, garden, folder):
    def bring(files):
        upload = SimpleUploadedFile("p.zip", as_zip(files))
        address = client.post(reverse("exchange:index"), {"package": upload})["Location"]
        end = time.monotonic() + 20
        while "data-over" not in (
            page := html_of(client.get(address, headers={"HX-Request": "true"}))
        ):
            assert time.monotonic() < end
        return page

    assert "It is all in" in bring(GOOD)
    assert Planting.objects.of(garden.household).filter(ref="a").exists()
    bad = bring({**GOOD, "places.csv": "id,site,kind\np1,s1,\n"})
    assert "must not be empty" in bad
    assert "Nothing was changed" in bad
    assert "cannot be opened" in bring({}) or "No table" in bring({})


def test_a_stopped_load_writes_nothing(folder, household):
    job = jobs.LoadJob(household_id=household.pk, is_stopped=True)
    with pytest.raises(jobs.StoppedError, match="Nothing was changed"):
        load(folder(), household, job.report)
    assert not Planting.objects.exists()


def test_what_was_struck_never_leaves_a_dump_that_cannot_be_loaded(garden, tmp_path):
    """A struck place that plantings still name goes along; lines of a struck planting do not."""
    for struck in (garden.crates[0], garden.bed, garden.plantings[1], garden.lines[2]):
        strike(Actor(garden.household), struck, "struck")
    dump(garden.household, tmp_path / "out")
    twin = Household.objects.create(name="Twin")
    loaded = load(tmp_path / "out", twin)
    assert loaded.problems == ()
    assert (loaded.new["places"], loaded.new["plantings"], loaded.new["weigh_ins"]) == (4, 3, 2)


def test_the_garden_is_taken_out_as_one_zip(client, garden):
    response = client.get(reverse("exchange:download"))
    with zipfile.ZipFile(io.BytesIO(response.content)) as archive:
        tables = {"datapackage.json", *(f"{t.name}.csv" for t in TABLES)}
        assert set(archive.namelist()) == tables | {f"photos/{garden.photo.ref}.jpg"}
    empty = client.post(reverse("exchange:index"), {"package": ""})
    assert empty.status_code == 422


def zipped(folder: Path, files: dict[str, bytes]) -> Path:
    path = folder / "package.zip"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, raw in files.items():
            packed.writestr(name, raw)
    return path


def test_only_tables_that_are_named_are_unpacked_and_no_more_than_is_allowed(tmp_path, monkeypatch):
    sites = b"id,name\ns1,Yard\n"
    package = read_package(zipped(tmp_path, {"sites.csv": sites, "other.csv": b"x" * 60 * 2**20}))
    assert len(package.rows["sites"]) == 1  # what is no table of ours is not even looked at
    monkeypatch.setattr("kilter.exchange.reading.MAX_BYTES", 100)
    with pytest.raises(PackageError, match="Unpacked, the package is larger than"):
        read_package(zipped(tmp_path, {"sites.csv": sites, "photos/a.jpg": b"x" * 200}))


@pytest.mark.parametrize(
    ("table", "text", "line", "column"),
    [
        ("crops", "id,name\nc1,tomato\nc2,tomato\n", 3, "name"),
        ("varieties", "id,crop,name\nv1,kale,One\nv2,leek,One\nv3,kale,One\n", 4, "crop"),
        ("own_measures", "id,name\nm1,tub\nm2,tub\n", 3, "name"),
        ("criteria", "id,name,weight\nf1,flavour,1\nf2,flavour,2\n", 3, "name"),
        ("plans", "id,season,name\np1,2028,\np2,2028,\n", 3, "season"),
        ("bulks", "id,crop,day,bulk\nb1,kale,2026-08-01,yes\nb2,kale,2026-08-01,no\n", 3, "crop"),
    ],
)
def test_what_may_stand_once_only_is_named_by_its_line(
    folder, household, table, text, line, column
):
    before = Household.objects.count()
    loaded = load(folder(**{table: text}), household)
    (problem,) = loaded.problems
    assert (problem.file, problem.line, problem.column) == (f"{table}.csv", line, column)
    assert f"what line {2} says" in problem.reason
    assert not Planting.objects.of(household).exists()
    assert Household.objects.count() == before, "nothing of the load is left"


@pytest.mark.parametrize("version", ["1e999", "[1]", '"x"', '"\\ud800"', "null"])
def test_a_version_that_is_no_number_is_refused_in_words(tmp_path, version):
    (tmp_path / "sites.csv").write_text("id,name\ns1,Yard\n")
    (tmp_path / "datapackage.json").write_text(f'{{"kilter_format": {version}, "resources": []}}')
    with pytest.raises(PackageError, match=r"datapackage.json cannot be read"):
        read_package(tmp_path)


def test_settings_that_were_assumed_are_said(folder, household):
    notes = load(folder(), household).notes
    (said,) = (note for note in notes if "no settings of a household" in note)
    assert "weights without a unit are in scale" not in said
    assert "day first" in said
    assert "Europe/London" in said


def test_more_rows_than_a_garden_has_are_refused(tmp_path, monkeypatch):
    monkeypatch.setattr("kilter.exchange.reading.MAX_ROWS", 3)
    rows = b"id,name\n" + b"".join(b"s%d,Yard %d\n" % (n, n) for n in range(5))
    with pytest.raises(PackageError, match="more than 3 rows; load it in parts"):
        read_package(zipped(tmp_path, {"sites.csv": rows}))


def test_a_zip_that_is_damaged_inside_is_refused_in_words(tmp_path):
    path = zipped(tmp_path, {"sites.csv": b"id,name\n" + b"s1,Yard\n" * 2000})
    raw = bytearray(path.read_bytes())
    raw[60:90] = b"\xff" * 30
    path.write_bytes(raw)
    with pytest.raises(PackageError, match="cannot be opened as a zip file"):
        read_package(path)


def test_a_mix_that_cannot_be_read_is_refused_with_its_line_and_shown_all_the_same(
    tmp_path, garden
):
    package = read_package(zipped(tmp_path, {"mixes.csv": b"id,name,recipe\nx1,Odd,compost two\n"}))
    (problem,) = package.problems
    assert (problem.file, problem.line, problem.column) == ("mixes.csv", 2, "recipe")
    garden.mix.recipe = "compost two"
    assert garden.mix.parts == {}
