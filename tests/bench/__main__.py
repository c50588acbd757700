"""Speed as ratios within one run: `make bench`.

Nothing here is a test that can fail on a slow machine.
"""

from __future__ import annotations

import gc
import json
import os
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import date
from pathlib import Path

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kilter.site.settings_test")
FOLDER = tempfile.TemporaryDirectory()
os.environ["KILTER_DATABASE"] = str(Path(FOLDER.name) / "bench.sqlite3")

import django

django.setup()

import numpy as np
import statsmodels.api as sm
from django.core.management import call_command
from django.db import connection, transaction
from django.http import HttpResponse
from django.test import Client, RequestFactory, override_settings
from django.test.utils import CaptureQueriesContext
from django.urls import path

from kilter.core.compare import Unit, compare
from kilter.core.compare.cells import Cells
from kilter.core.compare.design import lay_out
from kilter.core.plan import forecast
from kilter.ground.models import Place, Site
from kilter.larder.models import Crate, PutBy, Store, Using
from kilter.look_back.draft import draft
from kilter.look_back.season import Season
from kilter.next_year.garden import garden
from kilter.next_year.rows import row
from kilter.people import unchanged
from kilter.people.models import Eater, Household, Membership, Role, User
from kilter.set_out.models import Crop, MethodTag, Planting, Variety
from kilter.weigh_in.models import WeighIn, new_client_id
from tests.bench.backups import backups_beside
from tests.bench.crowds import (
    browsers_beside_the_bench,
    load_beside_the_bench,
    many_households,
    silent_connections,
    silent_scale,
    strangers_at_sign_in,
)
from tests.bench.soak import soak
from tests.bench.writers import eight_at_once, killed_while_writing
from tests.checks import drafts, fits, forecasts, gardens

PLANTINGS, LINES = 50, 8  # a season: 50 plantings of 8 weigh-ins each make 400
SEASON, SEASONS = 2026, 20
KINDS = ("shallot", "tomato", "leek", "kale", "pea")
ALL_SEASONS = "compare=method:setting&by=kg_per_plant&within=variety&crop=shallot"
PLANNED = (
    *KINDS,
    "potato",
    "carrot",
    "beetroot",
    "garlic",
    "courgette",
    "lettuce",
    "chard",
    "broad bean",
    "onion",
    "spinach",
)


def clocked(work: Callable[[], object]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def ratio(
    ours: Callable[[], object], theirs: Callable[[], object], runs: int
) -> tuple[float, float, float]:
    """Median ratio of pairs run in turn, and the two medians in milliseconds."""
    ours(), theirs()
    pairs = [(clocked(ours), clocked(theirs)) for _ in range(runs)]
    return (
        statistics.median(a / b for a, b in pairs),
        statistics.median(a for a, _ in pairs) * 1e3,
        statistics.median(b for _, b in pairs) * 1e3,
    )


def say(what: str, found: tuple[float, float, float], goal: str = "") -> None:
    print(f"{what:<58} {found[0]:>6.2f}  ({found[1]:.2f} ms against {found[2]:.2f} ms){goal}")


def make_household(name: str, seasons: int, kinds: tuple[str, ...] = KINDS) -> Client:
    household = Household.objects.create(name=name)
    user = User.objects.create_user(name)
    Membership.objects.create(user=user, household=household, role=Role.OWNER)
    Eater.objects.create(household=household, name="one")
    site = Site.objects.create(household=household, name="Yard", length_m=30, width_m=10)
    crops = [Crop.objects.create(household=household, name=n) for n in kinds]
    varieties = [
        Variety.objects.create(household=household, crop=c, name=f"{c} {i}")
        for c in crops
        for i in range(3)
    ]
    places = Place.objects.bulk_create(
        Place(
            household=household,
            site=site,
            kind="crate",
            name="Crate",
            number=i,
            volume_l=45,
            x_m=i % 25,
            y_m=i // 25,
        )
        for i in range(PLANTINGS)
    )
    rng = np.random.default_rng(7)
    plantings = Planting.objects.bulk_create(
        Planting(
            household=household,
            place=places[i],
            crop=crops[i % len(crops)],
            variety=varieties[i % len(varieties)],
            season=year,
            units=9,
            planted_on=date(year, 3, 21),
            finished_on=date(year, 10, 1) if year < SEASON or i % 10 else None,
        )
        for year in range(SEASON - seasons + 1, SEASON + 1)
        for i in range(PLANTINGS)
    )
    MethodTag.objects.bulk_create(
        MethodTag(planting=p, name="setting", value=("autumn", "spring")[i // 3 % 2])
        for i, p in enumerate(plantings)
    )
    WeighIn.objects.bulk_create(
        WeighIn(
            household=household,
            planting=p,
            weighed_on=date(p.season, 8, 1 + j),
            count=5,
            grade=("table", "small")[j % 2],
            mass_mg=int(rng.gamma(8, 100)) * 1000,
        )
        for p in plantings
        for j in range(LINES)
    )
    fill_larder(household, plantings)
    client = Client()
    client.force_login(user)
    client.household = household  # type: ignore[attr-defined]
    return client


def fill_larder(household: Household, plantings: list[Planting]) -> None:
    """Of each crop and season a crate of its Table lines, eaten from twenty times;
    those of years before are empty.
    """
    store = Store.objects.create(
        household=household, name="Cellar", kind="cellar", look_every_days=30
    )
    keys = {(p.crop_id, p.season) for p in plantings}
    crates = {
        (crop, season): Crate(
            household=household,
            store=store,
            crop_id=crop,
            season=season,
            day=date(season, 8, 9),
            emptied_on=date(season, 12, 31) if season < SEASON else None,
        )
        for crop, season in sorted(keys)
    }
    Crate.objects.bulk_create(crates.values())
    lines = WeighIn.objects.filter(household=household, grade="table").select_related("planting")
    PutBy.objects.bulk_create(
        PutBy(
            household=household,
            line=one,
            day=one.weighed_on,
            crate=crates[one.planting.crop_id, one.planting.season],
        )
        for one in lines
    )
    Using.objects.bulk_create(
        Using(
            household=household,
            crate=crate,
            use="spoiled" if i % 7 == 0 else "eaten",
            is_look=i % 7 == 0,
            mass_mg=400_000,
            balance_mg=9_000_000,
            day=date(season, 9 + i // 7, 1 + 4 * (i % 7)),
        )
        for (_, season), crate in crates.items()
        for i in range(20)
    )


def bench_line(client: Client) -> None:
    """The whole request of the bench against a bare Django view that inserts one row,
    both with their commit.
    """
    planting = Planting.objects.filter(household=client.household, finished_on=None).first()  # type: ignore
    with connection.cursor() as cursor:
        cursor.execute(
            "CREATE TABLE bare (id INTEGER PRIMARY KEY, planting INTEGER, grade TEXT, mass INTEGER)"
        )

    def bare_view(request) -> HttpResponse:
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.execute(
                "INSERT INTO bare (planting, grade, mass) VALUES (%s, %s, %s)",
                [planting.pk, "table", 940],
            )
        return HttpResponse("stored")

    factory = RequestFactory()

    def body() -> str:
        event = {
            "client_id": new_client_id(),
            "planting": planting.pk,
            "grade": "table",
            "typed": "940 12",
        }
        return json.dumps({"events": [event]})

    def line() -> HttpResponse:
        return client.post("/weigh-in/events", body(), content_type="application/json")

    say(
        "a line at the bench / a bare insert without sign-in",
        ratio(line, lambda: bare_view(factory.post("/")), 200),
    )

    class Urls:
        urlpatterns = (path("bare", bare_view),)

    bare_client = Client()
    bare_client.cookies = client.cookies

    def bare_request() -> None:
        assert bare_client.post("/bare").status_code == 200

    pairs = []
    for _ in range(200):
        start = time.perf_counter()
        answer = line()
        ours = time.perf_counter() - start
        assert answer.json()["stored"], (
            answer.content
        )  # what a device makes of it is not the server's time
        with override_settings(ROOT_URLCONF=Urls):
            theirs = clocked(bare_request)
        pairs.append((ours, theirs))
    found = (
        statistics.median(a / b for a, b in pairs),
        statistics.median(a for a, _ in pairs) * 1e3,
        statistics.median(b for _, b in pairs) * 1e3,
    )
    say("a line at the bench / a bare view behind the same sign-in", found, "  goal ≤ 1.5")


def bench_use(client: Client) -> None:
    """A use of a crate as a device sends it,
    against a bare view behind the same sign-in that inserts one row.
    """
    household = client.household  # type: ignore[attr-defined]
    store = Store.objects.get(household=household)
    lines = WeighIn.objects.filter(
        household=household, planting__season=SEASON, planting__crop__name="shallot"
    )
    crop, mine = (
        Crop.objects.get(household=household, name="shallot"),
        {"household": household, "day": date(SEASON, 9, 1)},
    )
    crate = Crate.objects.create(**mine, store=store, crop=crop, season=SEASON)
    PutBy.objects.bulk_create(PutBy(**mine, line=line, crate=crate) for line in lines[:40])

    def bare_view(request) -> HttpResponse:
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.execute(
                "INSERT INTO bare (planting, grade, mass) VALUES (%s, %s, %s)",
                [crate.pk, "eaten", 1],
            )
        return HttpResponse("stored")

    class Urls:
        urlpatterns = (path("bare", bare_view),)

    bare_client = Client()
    bare_client.cookies = client.cookies
    pairs = []
    for _ in range(200):
        event = {
            "client_id": new_client_id(),
            "crate": crate.pk,
            "use": "eaten",
            "typed": "1 g",
            "mass_mg": 1000,
        }
        body = json.dumps({"events": [event]})
        start = time.perf_counter()
        answer = client.post("/larder/events", body, content_type="application/json")
        ours = time.perf_counter() - start
        assert answer.json()["stored"], answer.content
        with override_settings(ROOT_URLCONF=Urls):
            pairs.append((ours, clocked(lambda: bare_client.post("/bare"))))
    found = (
        statistics.median(a / b for a, b in pairs),
        statistics.median(a for a, _ in pairs) * 1e3,
        statistics.median(b for _, b in pairs) * 1e3,
    )
    say("a use of a crate / a bare view behind the same sign-in", found, "  goal ≤ 1.5")


def bench_fit() -> None:
    rng = np.random.default_rng(3)
    n = 200
    units = [
        Unit(
            ref=str(i),
            amount=float(rng.gamma(8, 0.1)),
            exposure=9,
            level=f"v{i % 4}",
            blocks=(f"s{i // 4 % 20}",),
            plants=9,
        )
        for i in range(n)
    ]
    layout = lay_out([u.level for u in units], [u.blocks for u in units], ("season",))
    y, e, x = np.array([u.amount for u in units]), np.full(n, 9.0), layout.columns

    cells = Cells.of(units, ("season",))

    def ours() -> (
        None
    ):  # both begin with arrays and the columns laid out; ours sums units into cells first
        amount, exposure = (np.bincount(cells.index, weights) for weights in (y, e))
        replace(cells, amount=amount, exposure=exposure).fit()

    def theirs() -> None:
        family = sm.families.Poisson()
        first = sm.GLM(y, x, family=family, offset=np.log(e)).fit(tol=1e-11)
        weights = np.exp(-(x[:, 4:] @ first.params[4:]))
        sm.GLM(y, x, family=family, offset=np.log(e), var_weights=weights).fit(tol=1e-11)

    say(
        "the fit alone / statsmodels' fit, 200 units, 20 blocks, two passes",
        ratio(ours, theirs, 100),
        "  goal ≤ 0.1",
    )

    def whole() -> None:
        compare(units, block_names=("season",))

    say("the whole comparison / statsmodels' fit", ratio(whole, theirs, 50), "  goal ≤ 1.5")


def bench_answer(client: Client) -> None:
    """A question of all 8,000 weigh-ins of a crop, its page and all,
    against the bare query of the rows it rests on.
    """
    crop = Crop.objects.get(household=client.household, name="shallot")  # type: ignore[attr-defined]
    asked = "compare=method:setting&by=kg_per_plant&within=variety&within=season"
    address = f"/weigh-up/?{asked}&crop={crop.name}"
    columns = (
        "planting_id",
        "grade",
        "mass_mg",
        "count",
        "weighed_on",
        "planting__season",
        "planting__units",
        "planting__finished_on",
        "planting__variety__name",
        "planting__place__name",
        "planting__methods__value",
    )

    def page() -> None:
        assert client.get(address).status_code == 200

    def rows() -> None:
        lines = WeighIn.objects.filter(household=client.household, planting__crop=crop)  # type: ignore[attr-defined]
        list(lines.values_list(*columns))

    count = WeighIn.objects.filter(household=client.household, planting__crop=crop).count()  # type: ignore[attr-defined]
    say(
        f"a weigh-up page over 20 seasons, {count} weigh-ins / the bare query",
        ratio(page, rows, 20),
        "  goal ≤ 4",
    )


def bench_draft(client: Client) -> None:
    """The draft of a season of twenty, with all that it rests on,
    against the bare query of the rows it reads.
    """
    household = client.household  # type: ignore[attr-defined]
    columns = (
        "planting_id",
        "grade",
        "mass_mg",
        "count",
        "weighed_on",
        "pm_mg",
        "basket",
        "plants",
    )

    def drafted() -> None:
        unchanged._kept.state = ()  # as if something had been written
        assert draft(Season(household, SEASON))

    def rows() -> None:
        list(Planting.objects.of(household).select_related("place__site", "variety", "lot"))
        list(WeighIn.objects.of(household).values_list(*columns))
        list(PutBy.objects.of(household).values_list())
        list(Using.objects.of(household).values_list())

    say(
        "the draft of one of 20 seasons / the bare query of its rows",
        ratio(drafted, rows, 10),
        "  goal ≤ 5",
    )


def bench_plan(client: Client) -> None:
    """The plan of fifteen crops over twenty seasons: warm, the slider,
    and every forecast reckoned anew.
    """
    household = client.household  # type: ignore[attr-defined]
    lines = ("planting_id", "grade", "mass_mg", "count", "weighed_on", "pm_mg", "basket", "plants")

    def bare() -> None:
        list(Planting.objects.of(household).select_related("place__site", "variety", "lot"))
        list(WeighIn.objects.of(household).values_list(*lines))

    plan = garden(household)
    slider = f"/next-year/crops/{plan.crops[0].pk}/sure"
    client.get("/next-year/?whole=on")
    warm = ratio(lambda: client.get("/next-year/?whole=on"), bare, 15)
    say("the plan's page, 15 crops over 20 seasons, warm / the bare query", warm, "  goal ≤ 5")
    sures = iter(range(10**6))

    def slide() -> None:
        sure = 50 + next(sures) % 46
        assert (
            client.get(slider, {"certainty": sure}, headers={"HX-Request": "true"}).status_code
            == 200
        )

    say("the slider / that bare query", ratio(slide, bare, 30), "  goal ≤ 3, aim 200 ms")
    forecast._kept.clear()
    took = clocked(lambda: [row(crop, plan) for crop in plan.crops])
    print(
        f"{'15 forecasts over 20 seasons reckoned anew, seconds':<58} {took:>6.2f}  aim 1.5 on a "
        "quiet machine"
    )


def bench_pages(one: Client, many: Client) -> None:
    def crop(client: Client) -> int:
        return Crop.objects.get(household=client.household, name="shallot").pk  # type: ignore[attr-defined]

    pages = {
        "today": "/",
        "ground": "/ground/",
        "set out": "/set-out/",
        "new planting": "/set-out/new",
        "bench": "/weigh-in/",
        "weigh up": "/weigh-up/",
        "larder": "/larder/",
        "larder, put by": "/larder/put-by",
        "larder, weeks": "/larder/weeks",
        "larder, account": "/larder/account",
        "look back": "/look-back/?whole=on",
        "next year": "/next-year/",
        "household": "/household",
        "data": "/data/",
        "weigh up, all seasons": f"/weigh-up/?{ALL_SEASONS}",
    }
    for name, address in pages.items():
        few, all_ = address.format(crop=crop(one)), address.format(crop=crop(many))
        counts = []
        for client, at in ((one, few), (many, all_)):
            client.get(at)
            with CaptureQueriesContext(connection) as captured:
                assert client.get(at).status_code == 200
            counts.append(len(captured))
        found = ratio(lambda: many.get(all_), lambda: one.get(few), 15)  # noqa: B023
        say(
            f"{name}: 20 seasons / 1 season, queries {counts[1]} and {counts[0]}",
            found,
            "  goal ≤ 3",
        )


def main(wanted: list[str]) -> None:
    """Measure everything, or what is named: ``python -m tests.bench strangers_at_sign_in``."""
    call_command("migrate", verbosity=0)
    gc.freeze()  # as serving does
    one, many, writer = (
        make_household("one", 1),
        make_household("many", SEASONS),
        make_household("writer", 1),
    )
    crowd = writer.household  # type: ignore[attr-defined]
    works: dict[str, Callable[[], object]] = {
        "bench_line": lambda: bench_line(writer),
        "bench_use": lambda: bench_use(writer),
        "bench_fit": bench_fit,
        "bench_answer": lambda: bench_answer(make_household("one crop", SEASONS, ("shallot",))),
        "bench_draft": lambda: bench_draft(many),
        "bench_plan": lambda: bench_plan(make_household("planner", SEASONS, PLANNED)),
        "bench_pages": lambda: bench_pages(one, many),
        "load_beside_the_bench": lambda: load_beside_the_bench(crowd),
        "silent_connections": lambda: silent_connections(crowd),
        "browsers_beside_the_bench": lambda: browsers_beside_the_bench(many.household),  # type: ignore[attr-defined]
        "strangers_at_sign_in": lambda: strangers_at_sign_in(crowd),
        "silent_scale": lambda: silent_scale(crowd),
        "backups_beside": lambda: backups_beside(one.household, crowd),  # type: ignore[attr-defined]
        "many_households": lambda: many_households(
            make_household("first of many", 1), make_household
        ),
        "eight_at_once": lambda: eight_at_once(crowd),
        "killed_while_writing": lambda: killed_while_writing(crowd),
        "gardens": gardens.main,
        "drafts": drafts.main,
        "forecasts": forecasts.main,
        "fits": fits.main,
    }
    print(f"{'ratio of medians of pairs, in turn':<58}  ratio")
    named = {"soak": lambda: soak(many.household, float(os.environ.get("SOAK_MINUTES", "20")))}  # type: ignore
    for name in wanted or works:
        (works | named)[name]()


if __name__ == "__main__":
    main(sys.argv[1:])
