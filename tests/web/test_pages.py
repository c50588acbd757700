"""Every page: valid HTML, strict headers, no inline script or style,
and as many queries for more rows.
"""

from __future__ import annotations

import io
import logging
import re
from datetime import date
from pathlib import Path

import pytest
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from lxml import etree

import kilter
from kilter.ground.models import Fill, Move, Part, Place
from kilter.larder.models import Crate, Expense, Price, PutBy, Supply, Trimming, Using
from kilter.set_out.models import Cost, MethodTag, PlantCount, Planting, SeedLot
from kilter.site.logs import OneLine, logging_settings
from kilter.tending.models import Happening, Job, Photo
from kilter.weather.models import Day
from kilter.weigh_in.models import Bowl, Renaming, SinglePlant, WeighIn
from tests.conftest import html_of, plant
from tests.web.routes import MINE, complete, fill_larder

PAGES = {
    "/": "/",
    "ground": "/ground/",
    "ground by yield": "/ground/?colour=yield",
    "ground by family": "/ground/?colour=family:Amaryllidaceae",
    "place": "/ground/places/PLACE",
    "planting": "/set-out/PLANTING",
    "lots": "/set-out/lots",
    "happenings": "/happenings/",
    "something happened": "/happenings/new",
    "work done": "/happenings/do",
    "weather": "/weather/SITE",
    "changes": "/changes",
    "change planting": "/set-out/PLANTING/change",
    "set out": "/set-out/?season=2026",
    "new planting": "/set-out/new",
    "bench": "/weigh-in/",
    "bench hidden": "/weigh-in/?hidden=on",
    "picking round": "/weigh-in/round",
    "lines": "/weigh-in/lines",
    "lines of one": "/weigh-in/lines?pot=PLANTING",
    "waiting": "/weigh-in/waiting",
    "labels": "/weigh-in/waiting/labels",
    "shelf": "/weigh-in/shelf",
    "kit": "/weigh-in/kit",
    "live scale": "/weigh-in/scale",
    "mixed basket": "/weigh-in/basket",
    "from memory": "/weigh-in/remember",
    "correct": "/weigh-in/lines/LINE",
    "weigh up": "/weigh-up/",
    "weigh up all": "/weigh-up/?compare=variety&by=kg_per_plant&within=season&crop=CROP",
    "weigh up two": "/weigh-up/?compare=variety&also=method:setting&by=count_per_plant&crop=CROP",
    "report": "/weigh-up/report",
    "difference": "/weigh-up/difference",
    "saved": "/weigh-up/saved",
    "crowding": "/weigh-up/crowding",
    "sharing": "/weigh-up/sharing",
    "ranking": "/weigh-up/varieties",
    "scores": "/weigh-up/varieties/VARIETY/scores",
    "trials": "/weigh-up/trials",
    "trial": "/weigh-up/trials/TRIAL",
    "trial sheet": "/weigh-up/trials/TRIAL/sheet",
    "new trial": "/weigh-up/trials/new",
    "larder": "/larder/",
    "larder of a crop": "/larder/crops/CROP",
    "put by": "/larder/put-by",
    "crate": "/larder/crates/CRATE",
    "look through": "/larder/look/STORE",
    "stores": "/larder/stores",
    "weeks": "/larder/weeks?season=2026",
    "account": "/larder/account?season=2026",
    "look back": "/look-back/?season=2026&whole=on",
    "look back at a crop": "/look-back/crops/CROP?season=2026",
    "booklet": "/look-back/booklet?season=2026",
    "setbacks": "/look-back/setbacks?season=2026",
    "places in a season": "/look-back/places?season=2026",
    "decisions": "/look-back/decisions",
    "sitting": "/look-back/sitting?season=2026",
    "decide": "/look-back/decisions/new",
    "next year": "/next-year/",
    "how far off": "/next-year/held",
    "household": "/household",
    "data": "/data/",
    "find": "/find/?q=shallot",
}
TEMPLATES = sorted(Path(kilter.__file__).parent.glob("*/templates/**/*.html"))


def address(name, garden):
    keys = {
        "CROP": garden.crop,
        "PLACE": garden.crates[0],
        "PLANTING": garden.plantings[0],
        "SITE": garden.site,
        "LINE": garden.lines[0],
        "VARIETY": garden.varieties[0],
        "TRIAL": garden.trial,
        "CRATE": getattr(garden, "store_crate", None),
        "STORE": getattr(garden, "store", None),
    }
    found = PAGES[name]
    found = found.replace("crop=CROP", f"crop={garden.crop.name}") if "weigh-up" in found else found
    for word, record in keys.items():
        found = found.replace(word, str(record.pk)) if word in found else found
    return found


#: A planting's page tells everything of it; the ranking asks as many questions as it weighs
#: criteria, and so does the sitting; a season looked back at is read off every room. Within the one
#: transaction of a test nothing that was read is kept, so what stands is read anew for each asker.
MORE_QUERIES = {
    "/": 95,
    "planting": 73,
    "ranking": 105,
    "next year": 84,
    "how far off": 84,
    "sitting": 109,
    **dict.fromkeys(("setbacks", "places in a season"), 62),
    **dict.fromkeys(("look back", "look back at a crop", "booklet"), 112),
}
#: Not there for the garden of the tests: no line of it is unripe.
NOT_THERE = {"weigh_in:turn"}
SHOWN = [route for route in MINE if route.declared.reads]


@pytest.mark.parametrize("route", SHOWN, ids=lambda route: route.label)
def test_every_page_of_every_room_is_well_formed_and_locked_down(
    client, garden, open_planting, route
):
    response = client.get(route.of(complete(garden)))
    assert response.status_code in {200, 302} or route.name in NOT_THERE
    if response.status_code == 200 and response["Content-Type"].startswith("text/html"):
        check(response)


@pytest.mark.parametrize("name", PAGES)
def test_page_is_well_formed_and_locked_down(client, garden, open_planting, name):
    fill_larder(garden)
    response = client.get(address(name, garden))
    assert response.status_code == 200
    check(response)


def check(response):
    html = html_of(response)
    parser = etree.HTMLParser(recover=True)
    etree.fromstring(html, parser)
    # libxml2 knows no HTML5 or SVG element names; all its other complaints count.
    faults = [
        e.message for e in parser.error_log if "invalid" not in e.message or "Tag" not in e.message
    ]
    assert faults == []
    ids = re.findall(r'\sid="([^"]+)"', html)
    assert sorted(set(ids)) == sorted(ids)
    policy = response["Content-Security-Policy"]
    assert "script-src 'self'" in policy
    assert "unsafe" not in policy
    assert "default-src 'none'" in policy
    assert not re.search(r"<script(?![^>]*\bsrc=)|\sstyle=|\son[a-z]+=", html)
    assert response["X-Frame-Options"] == "DENY"


def add_all_kinds(garden, place, planting, season):
    """One more of everything that hangs on a place or a planting."""
    mine, day = {"household": garden.household}, date(season, 5, 1)
    Part.objects.create(**mine, place=garden.bed, name=f"p{place.pk}", start=0, end=0.5)
    Move.objects.create(**mine, place=place, left_site=garden.site, day=day)
    Fill.objects.create(**mine, place=place, kind="filled", litres=20, day=day, mix=garden.mix)
    PlantCount.objects.create(**mine, planting=planting, kind="died", count=1, day=day)
    Cost.objects.create(**mine, place=place, what="pot", price_minor=100)
    lot = SeedLot.objects.create(**mine, crop=garden.crop, name=f"lot {season}")
    Planting.objects.filter(pk=planting.pk).update(lot=lot)
    Planting.objects.create(
        **mine,
        place=garden.bed,
        crop=garden.crop,
        season=season,
        units=3,
        planted_on=date(season, 4, 2),
        kin=planting,
        kinship="cohort",
        finished_on=None if season == 2026 else date(season, 9, 1),
        is_perennial=season % 2 == 0,
    )
    Happening.objects.create(**mine, planting=planting, kind="pest", day=day)
    Happening.objects.create(**mine, place=garden.crates[0], kind="frost", day=day)
    Job.objects.create(**mine, planting=garden.plantings[0], job="water", day=day)
    Photo.objects.create(
        **mine, planting=garden.plantings[0], day=day, width=2, height=2, file="none.jpg"
    )
    lines = {**mine, "planting": planting, "weighed_on": day}
    WeighIn.objects.create(**lines, grade="table", count=3, waits=True)
    lot = WeighIn.objects.create(
        **lines, grade="unripe", count=9, mass_mg=900_000, measure=garden.measure, measures=1
    )
    WeighIn.objects.create(
        **lines, grade="table", count=2, mass_mg=150_000, pm_mg=9000, turned_from=lot, plants=2
    )
    SinglePlant.objects.create(**mine, planting=garden.plantings[0], day=day, note="best")
    Renaming.objects.create(**mine, planting=garden.plantings[0], day=day, was=garden.varieties[1])
    line = WeighIn.objects.create(**lines, grade="table", mass_mg=2 * 10**6)
    crate = Crate.objects.create(
        **mine, store=garden.store, crop=garden.crop, season=season, day=day
    )
    PutBy.objects.create(**mine, crate=crate, line=line, day=day)
    Using.objects.create(**mine, crate=garden.store_crate, use="eaten", mass_mg=10**4, day=day)
    Using.objects.create(
        **mine, crate=crate, use="spoiled", is_look=True, mass_mg=10**5, balance_mg=10**6, day=day
    )
    for kind, more in ((Supply, {"season": season}), (Trimming, {"before_mg": 9, "after_mg": 8})):
        kind.objects.create(**mine, crop=garden.crop, day=day, **more)
    Price.objects.create(**mine, crop=garden.crop, price_minor=300, from_day=day)
    Expense.objects.create(**mine, what="hoe", price_minor=900, day=day, over_years=30)
    Bowl.objects.create(**mine, name=f"bowl {planting.pk}", mass_mg=100)
    Day.objects.get_or_create(
        **mine, site=garden.site, day=day, min_c=-1, max_c=9, ref=f"w{season}"
    )


@pytest.mark.parametrize("name", PAGES)
def test_queries_do_not_grow_with_seasons(client, garden, open_planting, name):
    def queries():
        client.get(address(name, garden))  # once before, so that sessions and caches are warm
        with CaptureQueriesContext(
            connection,
        ) as captured:
            client.get(address(name, garden))
        return len(captured)

    def grow(season):
        for i in range(3):
            place = Place.objects.create(
                household=garden.household,
                site=garden.site,
                kind="pot",
                name=f"Pot {season}",
                number=i,
                volume_l=30,
            )
            planting = Planting.objects.create(
                household=garden.household,
                place=place,
                crop=garden.crop,
                variety=garden.varieties[i % 2],
                season=season,
                units=3,
                planted_on=date(season, 4, 1),
                finished_on=date(season, 9, 1),
            )
            MethodTag.objects.create(planting=planting, name="setting", value="spring")
            add_all_kinds(garden, place, planting, season)
            WeighIn.objects.create(
                household=garden.household,
                planting=planting,
                weighed_on=date(season, 8, 1),
                grade="table",
                mass_mg=10**6,
            )

    fill_larder(garden)
    # First, as what is not there at all is not asked for; and of what nothing is written.
    plant(garden, garden.bed, "shallot", season=2018, planted_on=None, is_perennial=True)
    for season in (2026, 2025):
        grow(season)
    before = queries()
    for season in range(2019, 2025):
        grow(season)
    assert queries() == before
    assert before <= MORE_QUERIES.get(name, 56)


@pytest.mark.parametrize("path", TEMPLATES, ids=lambda p: p.name)
def test_templates_hold_to_the_rules(path):
    text = path.read_text()
    assert "|safe" not in text or path.name == "_field.html"  # help texts are the application's own
    assert "hx-on" not in text
    assert max(map(len, text.splitlines())) <= 120
    assert "js:" not in text
    for value in re.findall(
        r'(?:@[a-z.]+|x-(?:data|text|show|bind:[a-z-]+|model))="([^"]*)"', text
    ):
        assert re.fullmatch(r"[A-Za-z]+(\.[A-Za-z]+)?", value), (
            f"{value} is more than a name; put it into Alpine.data"
        )
    if path.name.startswith("_"):
        assert text.startswith("{#"), "a part says first what it is given"


@pytest.mark.parametrize(
    ("address", "status"),
    [("/nothing", 404), ("/ground/places/999999", 404), ("/weigh-in/events", 405)],
)
def test_what_is_not_there_gets_a_page_of_our_own(client, address, status):
    response = client.get(address)
    assert response.status_code == status
    assert {404: "Nothing here", 405: "Nothing to show here"}[status] in html_of(response)
    if status == 405:
        assert response["Allow"] == "POST"


@pytest.fixture
def log():
    """What is written to stderr, as it is written."""
    stream = io.StringIO()
    handler = logging.StreamHandler(stream)
    handler.setFormatter(OneLine())
    logging.getLogger().addHandler(handler)
    yield stream
    logging.getLogger().removeHandler(handler)


def test_a_failure_shows_no_traceback_and_leaves_one_in_the_log(client, monkeypatch, log):
    monkeypatch.setattr("kilter.today.views.today_sheet", lambda *_: 1 / 0)
    quiet = Client(raise_request_exception=False)
    quiet.cookies = client.cookies
    response = quiet.get("/")
    assert response.status_code == 500
    page = html_of(response)
    assert "Something broke" in page
    assert "ZeroDivisionError" not in page
    request_id = response["X-Request-Id"]
    assert f"{request_id}</span>" in page
    (line,) = log.getvalue().splitlines()
    assert f"ERROR {request_id} django.request: Internal Server Error: /" in line
    assert "Traceback (most recent call last):" in line
    assert "ZeroDivisionError: division by zero" in line


@pytest.mark.parametrize(("is_on", "level"), [(False, "WARNING"), (True, "INFO")])
def test_access_lines_are_off_until_asked_for(client, caplog, is_on, level):
    configured = logging_settings(has_access_lines=is_on)["loggers"]["kilter.access"]["level"]
    assert configured == level
    with caplog.at_level(configured, logger="kilter.access"):
        client.get("/ground/")
    assert any("GET /ground/ 200" in record.getMessage() for record in caplog.records) == is_on


def test_forms_are_protected_against_forgery(garden):
    strict = Client(enforce_csrf_checks=True)
    strict.force_login(garden.owner)
    response = strict.post(reverse("ground:new_site"), {"name": "Forged"})
    assert response.status_code == 403
    assert "gone stale" in html_of(response)
