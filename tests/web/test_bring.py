"""A table is brought: shown, asked about, written as one change, and taken back as one."""

from __future__ import annotations

import csv
import io
import json
import time
import zipfile
from datetime import date, timedelta

import pytest
from django.core.management import call_command
from django.urls import reverse

from kilter.exchange import jobs
from kilter.exchange.bring.finishing import FINISH
from kilter.exchange.bring.forms import answer_field
from kilter.exchange.bring.known import known_of
from kilter.exchange.bring.reading import Manner, read
from kilter.exchange.models import BroughtTable
from kilter.ground.models import Place
from kilter.people.models import Change, Household
from kilter.set_out.models import Planting
from kilter.site.demo import ensure_demo
from kilter.tables.brought import sheets_in
from kilter.tables.workbook import book_of
from kilter.weigh_in.models import WeighIn
from tests.conftest import html_of, member, signed_in

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def newcomer(db):
    """An empty household of somebody who comes with a spreadsheet."""
    household = Household.objects.create(name="Newcomers")
    person = signed_in(member(household, "New"))
    person.household = household
    return person


def paste(client, text, **more):
    """Paste a table; the address of its page."""
    response = client.post(reverse("exchange:bring"), {"text": text, "kind": "", **more})
    assert response.status_code == 302, html_of(response)
    return response.url


def fields_of(client, address) -> dict[str, str]:
    """What the page's form would send."""
    form = client.get(address).context["form"]
    return {name: form[name].initial or "" for name in form.fields if name != "carries"}


def write(client, address):
    """Press Write, and wait for the end of it."""
    response = client.post(f"{address}/write")
    assert response.status_code == 302
    job = jobs.find(client.household, response.url.rsplit("/", 1)[1])
    for _ in range(400):
        if job.result or job.problem:
            break
        time.sleep(0.05)
    assert job.result, job.problem
    assert job.result.is_done, job.result.problems
    return job


def years_of_lines() -> str:
    """200 lines of two seasons: six beds and twenty pots, each lifted a few times."""
    rows = ["Date;What;Variety;Bed or pot;Weight (g);Pieces"]
    crops = ("pea", "leek", "beetroot", "carrot", "potato", "garlic")
    spots = [(f"Bed {n}", crops[n - 1], "") for n in range(1, 7)]
    spots += [(f"Pot {n}", "tomato", "Brass Bell" if n % 2 else "Aunt Cord") for n in range(1, 21)]
    for nth in range(200):
        where, crop, variety = spots[nth % 26]
        year = 2025 if nth < 100 else 2026
        day = date(year, 6, 1) + timedelta(days=nth % 100)
        grams = 300 + 7 * (nth % 13) + (150 if variety == "Brass Bell" else 0)
        rows.append(f"{day:%d/%m/%Y};{crop};{variety};{where};{grams},5;{3 + nth % 4}")
    return "\n".join(rows)


def test_two_seasons_from_an_empty_household(newcomer):
    home = newcomer.household
    address = paste(newcomer, years_of_lines())
    page = html_of(newcomer.get(address))
    assert "<b>200</b> of 200 rows of harvest are ready" in page
    assert "26 places and 52 plantings will be added for them." in page
    assert not WeighIn.objects.of(home).exists()
    assert not Place.objects.of(home).exists()
    write(newcomer, address)
    assert WeighIn.objects.of(home).count() == 200
    assert Place.objects.of(home).filter(kind="bed").count() == 6
    assert Place.objects.of(home).filter(kind="pot", name="Pot").count() == 20
    plantings = Planting.objects.of(home)
    assert plantings.count() == 52
    assert {(p.season, p.finished_on is not None) for p in plantings} == {
        (2025, True),
        (2026, False),
    }
    total = sum(WeighIn.objects.of(home).values_list("mass_mg", flat=True))
    wanted = sum(
        300_500 + 7000 * (n % 13) + (150_000 if n % 26 > 5 and (n % 26 - 5) % 2 else 0)
        for n in range(200)
    )
    assert total == wanted

    again = paste(newcomer, years_of_lines())
    page = html_of(newcomer.get(again))
    assert "<b>0</b> of 200 rows" in page
    assert "200 are on record already" in page
    assert f'action="{again}/write"' not in page

    change = Change.objects.filter(household=home, says__startswith="A table was brought").get()
    assert change.says == "A table was brought: pasted table, 200 rows"
    newcomer.post(reverse("people:undo", args=[change.pk]))
    assert not WeighIn.objects.of(home).exists()
    assert not Place.objects.of(home).exists()


def test_an_answer_is_given_once_and_everything_unknown_is_added_by_one_press(garden, client):
    client.household = garden.household
    rows = [
        "Day,Crop,Place,Weight",
        "1/7/2026,garlik,Crate 91,300",
        "2/7/2026,garlik,North end,300",
        "3/7/2026,garlik,Crate 91,300",
    ]
    address = paste(client, "\n".join(rows))
    page = html_of(client.get(address))
    assert "<b>0</b> of 3 rows of harvest are ready; 3 wait for an answer" in page
    assert "No crop is called “garlik”." in page
    assert "3 rows, the first is row 2." in page
    assert "1 row, the first is row 3." in page
    said = fields_of(client, address) | {answer_field("crop:garlik"): "garlic"}
    assert client.post(address, said).status_code == 302
    assert "<b>2</b> of 3 rows of harvest are ready; 1 waits" in html_of(client.get(address))
    client.post(address, fields_of(client, address) | {"all_new": "on"})
    page = html_of(client.get(address))
    assert "<b>3</b> of 3 rows of harvest are ready" in page
    write(client, address)
    made = Place.objects.of(garden.household).get(name="North end")
    assert (made.kind, made.number) == ("bed", None)
    assert Place.objects.of(garden.household).get(name="Crate", number=91).kind == "crate"


def test_how_a_table_was_read_is_kept_under_its_heads(garden, client):
    client.household = garden.household
    text = "When it was,Stuff,From,Grams or so\n5/4/2026,garlic,Crate 1,300"
    address = paste(client, text)
    said = fields_of(client, address)
    wanted = {"c-0": "day", "c-1": "crop", "c-2": "place", "c-3": "mass"}
    said |= wanted | {"kind": "lines", "order": "mdy"}
    client.post(address, said)
    client.post(address, fields_of(client, address) | wanted)
    found = client.get(address).context["reading"]
    assert found.rows[0].said["day"].day == date(2026, 5, 4)
    write(client, address)
    for response in (client.get(address), client.post(f"{address}/write")):
        assert response.url == reverse("exchange:bring")
    assert "was written" in html_of(client.get(reverse("exchange:bring")))
    found = client.get(paste(client, text.replace("5/4", "5/6"))).context["reading"]
    assert found.manner.columns == ("day", "crop", "place", "mass")
    assert found.rows[0].said["day"].day == date(2026, 5, 6)


def test_rows_that_are_not_ready_come_out_with_what_is_wrong(garden, client):
    text = "Day,Crop,Place,Weight\n1/7/2026,garlic,Crate 1,300\n31/2/2026,garlic,Crate 1,=1+1"
    address = paste(client, text)
    rows = list(csv.reader(io.StringIO(client.get(f"{address}/left.csv").content.decode())))
    assert rows[0] == ["Day", "Crop", "Place", "Weight", "row", "what is wrong"]
    assert rows[1][:5] == ["31/2/2026", "garlic", "Crate 1", "'=1+1", "3"]
    assert "is no date" in rows[1][5]
    assert len(rows) == 2


def test_a_file_that_is_no_table_is_refused_beside_the_field(garden, client):
    file = io.BytesIO(b"\x89PNG\r\n\x1a\n\x00\x00")
    file.name = "bed.png"
    response = client.post(reverse("exchange:bring"), {"file": file, "kind": ""})
    assert response.status_code == 422
    assert "bed.png: That is no table. Bring a CSV, TSV, ODS or XLSX file" in html_of(response)
    assert not BroughtTable.objects.exists()
    response = client.post(reverse("exchange:bring"), {"text": " ", "kind": ""})
    assert "Paste a table, or choose a file." in html_of(response)


def test_a_table_is_shown_a_thousand_rows_at_a_time_and_can_be_removed(garden, client):
    text = "Day,Crop,Place,Weight\n" + "1/7/2026,garlic,Crate 1,300\n" * 1500
    address = paste(client, text)
    assert len(client.get(address).context["rows"]) == 1000
    assert len(client.get(f"{address}?page=2").context["rows"]) == 500
    client.post(f"{address}/drop")
    assert client.get(address).status_code == 404


def test_the_command_says_how_rows_are_read_and_writes_what_has_no_problem(garden, tmp_path):
    file = tmp_path / "lines.tsv"
    file.write_text("Day\tCrop\tPlace\tWeight\n1/7/2026\tgarlic\tCrate 1\t300\nx\tgarlic\t\t5")
    out, said = io.StringIO(), io.StringIO()
    words = {"household": garden.household.name, "stdout": out, "stderr": said}
    call_command("read_table", str(file), json=True, **words)
    first, second = json.loads(out.getvalue())
    assert first == {
        "row": 2,
        "kind": "lines",
        "day": "2026-07-01",
        "crop": "garlic",
        "variety": None,
        "place": "Ours crate 1",
        "planting": first["planting"],
        "mass_mg": 300_000,
        "count": None,
        "grade": "table",
        "problem": None,
        "offers": [],
    }
    assert second["problem"].startswith("“x” is no date")
    before = WeighIn.objects.of(garden.household).count()
    call_command("read_table", str(file), json=True, write=True, **words)
    assert WeighIn.objects.of(garden.household).count() == before + 1
    assert "1 rows written; left out: 0 on record already" in said.getvalue()
    call_command("read_table", str(file), json=True, write=True, **words)
    assert WeighIn.objects.of(garden.household).count() == before + 1


def test_a_season_of_the_demo_goes_out_and_comes_in_again_without_a_difference(
    transactional_db, settings
):
    settings.KILTER_TODAY = "2026-11-23"
    home = ensure_demo()
    owner = signed_in(home.memberships.get(role="owner").user)
    response = owner.get(reverse("exchange:season", args=[2026]))
    assert response["Content-Disposition"].endswith('season-2026-2026-11-23.xlsx"')
    sheets = sheets_in(response.content)
    assert [*sheets] == [
        "Harvest",
        "Plantings",
        "Places",
        "Prices",
        "Larder",
        "Account",
        "Plan",
    ]
    assert sheets["Harvest"][0][4] == "Weight (g)"
    known = known_of(home)
    for name, kind in (
        ("Harvest", "lines"),
        ("Plantings", "plantings"),
        ("Places", "places"),
        ("Prices", "prices"),
    ):
        found = read(sheets, Manner(sheet=name), known, FINISH)
        assert found.kind.key == kind
        assert len(found.rows) == len(sheets[name]) - 1 > 10
        assert found.counts == {"known": len(found.rows)}, name
    (leek,) = [row for row in sheets["Larder"] if row[0] == "leek"]
    out = io.StringIO()
    call_command("larder", household=home.name, json=True, stdout=out)
    (told,) = [
        one
        for one in json.loads(out.getvalue())["crops"]
        if (one["crop"], one["season"]) == ("leek", 2026)
    ]
    assert float(leek[1]) == told["lifted_mg"] / 1e6


def test_what_can_be_taken_as_csv_can_be_taken_as_a_workbook(garden, client):
    for name in ("calendar_csv", "shopping_csv", "trays_csv"):
        address = reverse(f"next_year:{name}")
        rows = list(csv.reader(io.StringIO(client.get(address).content.decode())))
        response = client.get(f"{address}?as=xlsx")
        assert response["Content-Disposition"].endswith('.xlsx"')
        (sheet,) = sheets_in(response.content).values()
        assert [len(row) for row in sheet] == [len(row) for row in rows]
        assert sheet[0] == rows[0]


def test_a_text_in_a_workbook_is_never_run():
    made = book_of({"A": [["Note", "Weight"], ["=1+1", 5], ["https://x.example", 1.5]]})
    assert sheets_in(made)["A"] == [["Note", "Weight"], ["=1+1", "5"], ["https://x.example", "1.5"]]
    with zipfile.ZipFile(io.BytesIO(made)) as packed:
        sheet = packed.read("xl/worksheets/sheet1.xml").decode()
    assert "<f>" not in sheet
    assert "hyperlink" not in sheet
