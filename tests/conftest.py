"""A small garden to test on, and people to look at it."""

from __future__ import annotations

import io
import os
import sys
from dataclasses import dataclass
from datetime import date
from pathlib import Path

import pytest
from django.conf import settings as django_settings
from django.core.cache import cache
from django.core.files.base import ContentFile
from django.test import Client
from hypothesis import settings
from PIL import Image

from kilter.ground.models import Mix, Part, Place, Site
from kilter.next_year.fit import running
from kilter.people.actions import save_owned
from kilter.people.history import Actor
from kilter.people.models import BenchLink, Change, Eater, Household, Membership, Role, User
from kilter.set_out.models import Crop, CropSize, MethodTag, Planting, SeedLot, Variety
from kilter.tending.models import Happening, Photo
from kilter.weigh_in.models import Bowl, OwnMeasure, Scale, SinglePlant, WeighIn, new_client_id
from kilter.weigh_up.models import Criterion, SavedQuestion, Score, Trial, TrialUnit, Verdict

# No deadline: the machine is shared. The same examples each time, so that red means a change; make
# sweep takes others.
settings.register_profile(
    "kilter", deadline=None, derandomize=os.environ.get("KILTER_RANDOM") != "1"
)
settings.load_profile("kilter")

# Servers and commands that tests start keep what Python compiled: they are up in a third of the
# time.
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
os.environ.setdefault("PYTHONPYCACHEPREFIX", str(Path(sys.prefix) / "pycache"))

TODAY = date(2026, 11, 23)
#: A browser may stall once on a shared machine; more tests than this that need a second try are a
#: race to be mended.
SECOND_TRIES = 2
PASSWORD = "cold frame lid 7"


@pytest.fixture(scope="session")
def django_db_keepdb(request, django_db_modify_db_settings) -> bool:
    """The schema as kept, emptied, is where the tests begin; what is newer than it is migrated.

    All migrations one by one take half a minute: tests/upgrade runs them once.
    """
    if request.config.getoption("nomigrations"):
        return False
    from tests.upgrade.keep import KEPT, undump

    name = Path(django_settings.DATABASES["default"]["TEST"]["NAME"])
    for left in ("", "-wal", "-shm"):  # of a first try, where the last test of all is tried again
        Path(f"{name}{left}").unlink(missing_ok=True)
    undump(KEPT[-1], name, is_empty=True)
    return True


@pytest.fixture(scope="session")
def migrated(tmp_path_factory) -> Path:
    """A database file with every table and nothing in it, for what runs in a process of its own.

    Made without the tests' own database, which is there only where a test has asked for it.
    """
    from tests.upgrade.keep import KEPT, manage, undump

    path = tmp_path_factory.mktemp("migrated") / "kilter.sqlite3"
    undump(KEPT[-1], path, is_empty=True)
    manage(path, "migrate", "-v0")
    return path


@pytest.fixture(autouse=True)
def _nothing_remembered() -> None:
    """What a server remembers for a while is not taken from one test into the next."""
    cache.clear()


def commits(request: pytest.FixtureRequest) -> bool:
    """Whether a test writes as the server does,
    or all of it lies in one transaction that is taken back.
    """
    marker = request.node.get_closest_marker("django_db")
    return "transactional_db" in request.fixturenames or bool(
        marker and marker.kwargs.get("transaction")
    )


@pytest.fixture(autouse=True)
def _no_search_left(request, monkeypatch):
    """A search for a fit does not go on beside the tests that follow.

    In one transaction there is only its first fit: the thread that stores what a search finds would
    wait for the test, and the test's next write for the thread, 20 seconds long.
    """
    if not commits(request):

        def begin(household, key, order, first, keep):
            running._runs[household] = running._Run(
                key=key, order=order, keep=keep, best=first, is_over=True
            )

        monkeypatch.setattr(running, "start", begin)
    yield
    running.stop_all()


def second_tries(config: pytest.Config) -> dict[str, str]:
    """The tests that failed and were tried again, each with what it said the first time."""
    reporter = config.pluginmanager.get_plugin("terminalreporter")
    reports = reporter.stats.get("rerun", []) if reporter else []
    said = {
        report.nodeid: [line for line in report.longreprtext.splitlines() if line[:1] == "E"]
        for report in reports
    }
    return {name: lines[0][1:].strip() if lines else "" for name, lines in sorted(said.items())}


def pytest_terminal_summary(terminalreporter, config: pytest.Config) -> None:
    tried = second_tries(config)
    if tried:
        terminalreporter.section(
            f"{len(tried)} needed a second try (more than {SECOND_TRIES} are red)"
        )
        terminalreporter.write_line("\n".join(f"{name}: {said}" for name, said in tried.items()))


def pytest_sessionfinish(session: pytest.Session) -> None:
    if len(second_tries(session.config)) > SECOND_TRIES:
        session.exitstatus = pytest.ExitCode.TESTS_FAILED


def member(household: Household, name: str, role: str = Role.OWNER) -> User:
    user = User.objects.create_user(name, password=PASSWORD)
    Membership.objects.create(user=user, household=household, role=role)
    return user


def signed_in(user: User) -> Client:
    client = Client()
    client.force_login(user)
    return client


def html_of(response) -> str:
    """A page as it is read: one space wherever the source breaks its lines."""
    return " ".join(response.content.decode().split())


def event(planting, typed="940 12", grade="table", **more):
    """A line of the bench as a device makes it."""
    return {
        "client_id": new_client_id(),
        "planting": planting.pk,
        "grade": grade,
        "typed": typed,
        **more,
    }


def plant(garden, place, crop, **more):
    """A planting more, of a crop by its name."""
    kind, _ = Crop.objects.get_or_create(household=garden.household, name=crop)
    given = {"season": 2026, "units": 4, "planted_on": date(2026, 10, 1), **more}
    return Planting.objects.create(household=garden.household, place=place, crop=kind, **given)


@dataclass
class Garden:
    """A household with four crates of shallots, two set in autumn and two in spring, and a bed."""

    household: Household
    owner: User
    site: Site
    bed: Place
    crates: list[Place]
    crop: Crop
    varieties: list[Variety]
    plantings: list[Planting]
    lines: list[WeighIn]
    eater: Eater
    part: Part
    mix: Mix
    lot: SeedLot
    happening: Happening
    photo: Photo
    change: Change
    bowl: Bowl
    scale: Scale
    measure: OwnMeasure
    size: CropSize
    single: SinglePlant
    bench_link: BenchLink
    question: SavedQuestion
    criterion: Criterion
    score: Score
    verdict: Verdict
    trial: Trial


def make_garden(name: str, *, masses_g: tuple[int, ...] = (900, 1000, 600, 700)) -> Garden:
    household = Household.objects.create(name=name)
    owner = member(household, f"{name.split()[0]}-owner")
    site = Site.objects.create(household=household, name=f"{name} site", length_m=10, width_m=4)
    bed = Place.objects.create(
        household=household,
        site=site,
        kind="bed",
        name=f"{name} bed",
        length_m=3,
        width_m=1,
        x_m=0.5,
        y_m=0.5,
    )
    crates = [
        Place.objects.create(
            household=household,
            site=site,
            kind="crate",
            name=f"{name} crate",
            number=i + 1,
            volume_l=45,
            x_m=i,
            y_m=2,
        )
        for i in range(4)
    ]
    crop = Crop.objects.create(household=household, name="shallot")
    varieties = [
        Variety.objects.create(household=household, crop=crop, name=f"{name} {v}")
        for v in ("One", "Two")
    ]
    plantings, lines = [], []
    for i, (crate, grams) in enumerate(zip(crates, masses_g, strict=True)):
        planting = Planting.objects.create(
            household=household,
            place=crate,
            crop=crop,
            variety=varieties[i % 2],
            season=2026,
            units=9,
            unit_kind="set",
            planted_on=date(2026, 3, 21),
            finished_on=date(2026, 8, 4),
            in_row_m=0.15,
        )
        MethodTag.objects.create(
            planting=planting, name="setting", value="autumn" if i < 2 else "spring"
        )
        plantings.append(planting)
        line = WeighIn(
            household=household, planting=planting, weighed_on=date(2026, 8, 4), grade="table"
        )
        line.mass_mg, line.count = grams * 1000, 18
        line.save()
        lines.append(line)
    eater = Eater.objects.create(household=household, name=f"{name} eater")
    mine = {"household": household}
    part = Part.objects.create(
        **mine, place=bed, name=f"{name} end", start=0, end=0.5, light="shade"
    )
    mix = Mix.objects.create(**mine, name=f"{name} mix", recipe="compost 2; sand 1")
    lot = SeedLot.objects.create(**mine, crop=crop, variety=varieties[0], name=f"{name} lot")
    happening = Happening.objects.create(
        **mine, site=site, kind="drought", what=f"{name} dry", day=date(2026, 7, 1)
    )
    photo = Photo(
        **mine,
        planting=plantings[0],
        day=date(2026, 7, 1),
        caption=f"{name} look",
        width=2,
        height=2,
    )
    photo.file.save("look.jpg", ContentFile(tiny_jpeg()))
    change = save_owned(Actor(household, owner), site, f"{name} site is saved.")
    bowl = Bowl.objects.create(**mine, name=f"{name} bowl", mass_mg=310_000)
    scale = Scale.objects.create(**mine, name=f"{name} scale", step_mg=5000)
    measure = OwnMeasure.objects.create(**mine, name=f"{name.lower()}tub")
    size = CropSize.objects.create(
        **mine, crop=crop, word=f"{name} large", grade="table", from_mm=40
    )
    single = SinglePlant.objects.create(
        **mine, planting=plantings[0], day=date(2026, 8, 4), note=f"{name} best"
    )
    link = BenchLink.objects.create(household=household, label=f"{name} children")
    address = "compare=method%3Asetting&by=kg_per_plant&crop=shallot"
    question = SavedQuestion.objects.create(
        **mine, name=f"{name} question", address=address, is_pinned=True
    )
    criterion = Criterion.objects.create(**mine, name=f"{name} flavour", weight=2)
    of = {**mine, "variety": varieties[0], "season": 2026}
    score = Score.objects.create(**of, criterion=criterion, value=4, judge=f"{name} cook")
    verdict = Verdict.objects.create(**of, kind="again", reason=f"{name} reason")
    trial = Trial.objects.create(
        **mine,
        name=f"{name} trial",
        crop=crop,
        season=2027,
        first="mulch",
        first_levels=["straw", "none"],
        seed=1,
        alike=f"{name} water",
    )
    for i, crate in enumerate(crates):
        TrialUnit.objects.create(
            **mine,
            trial=trial,
            place=crate,
            number=i + 1,
            block=i // 2 + 1,
            first=("straw", "none")[i % 2],
        )
    return Garden(
        household,
        owner,
        site,
        bed,
        crates,
        crop,
        varieties,
        plantings,
        lines,
        eater,
        part,
        mix,
        lot,
        happening,
        photo,
        change,
        bowl,
        scale,
        measure,
        size,
        single,
        link,
        question,
        criterion,
        score,
        verdict,
        trial,
    )


def tiny_jpeg(*, size=(2, 2), exif: bytes = b"") -> bytes:
    stream = io.BytesIO()
    Image.new("RGB", size, "red").save(stream, "JPEG", exif=exif)
    return stream.getvalue()


@pytest.fixture
def garden(db) -> Garden:
    return make_garden("Ours")


@pytest.fixture
def other(db) -> Garden:
    return make_garden("Theirs")


@pytest.fixture
def client(garden) -> Client:
    return signed_in(garden.owner)


@pytest.fixture
def open_planting(garden) -> Planting:
    """A planting in the bed that still stands."""
    return Planting.objects.create(
        household=garden.household,
        place=garden.bed,
        crop=garden.crop,
        variety=garden.varieties[0],
        season=2026,
        units=12,
        unit_kind="set",
        planted_on=date(2026, 10, 1),
    )
