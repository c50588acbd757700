"""Every address of the application,
read from the URL table and from what the views declare of themselves.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date

from django.urls import URLPattern, URLResolver, get_resolver, reverse

from kilter.exchange import jobs
from kilter.exchange.models import BroughtTable
from kilter.ground.models import Fill, Move
from kilter.larder.models import Bulk, Crate, Expense, Price, PutBy, Store, Supply, Trimming, Using
from kilter.look_back.models import Decision, Remark, Review
from kilter.people.access import Declared, Who
from kilter.people.models import Invite, SignIn
from kilter.plans.models import NotEaten, Plan, PlannedCrop, PlannedPlanting, Shelf, Spot, Wish
from kilter.set_out.models import Cost, PlantCount, YearSaid
from kilter.tending.models import Job, Repeat
from kilter.weigh_in.models import LateLine, new_client_id

#: What the addresses hold beside the key of a record: how to make it from a garden.
WORDS = {
    "exchange:job": lambda g: {"key": load_of(g)},
    "exchange:season": lambda _: {"year": 2026},
    "exchange:stop": lambda g: {"key": load_of(g)},
    "weigh_up:picture": lambda g: {"name": "balance", "kind": "svg"},
    "people:join": lambda g: {"token": "gone"},
    "people:set_password": lambda g: {"key": "gone", "token": "gone"},
    "people:join_by_link": lambda g: {"token": g.bench_link.token},
}


@dataclass(frozen=True)
class Route:
    """One address, or one kind of it."""

    name: str
    declared: Declared | None  #: None where it is open to all
    words: tuple[str, ...]  #: what stands in the address
    kind: str = ""  #: the word by which it is about one kind of record

    @property
    def label(self) -> str:
        return f"{self.name} {self.kind}".strip()

    @property
    def has_record(self) -> bool:
        return "pk" in self.words

    def of(self, garden) -> str:
        """The address for a garden; about a record of its own where it is about one."""
        words = WORDS[self.name](garden) if self.name in WORDS else {}
        if self.kind:
            words[self.declared.by] = self.kind
        if self.has_record:
            record = self.declared.records(garden.household, self.kind).order_by("pk").first()
            assert record is not None, f"make one for {self.label} in complete()"
            words["pk"] = record.pk
        return reverse(self.name, kwargs=words)


def _patterns(patterns, namespace="") -> Iterator[tuple[str, URLPattern]]:
    for pattern in patterns:
        if isinstance(pattern, URLResolver):
            yield from _patterns(
                pattern.url_patterns, pattern.namespace + ":" if pattern.namespace else namespace
            )
        else:
            yield namespace + str(pattern.name), pattern


def _routes() -> Iterator[Route]:
    for name, pattern in _patterns(get_resolver().url_patterns):
        declared = getattr(pattern.callback, "declared", None)
        words = tuple(re.compile(pattern.pattern.regex).groupindex)
        kinds = declared.kinds if declared and declared.kinds else {"": None}
        if declared and declared.kinds:
            told = re.search(rf"\(\?P<{declared.by}>([^)]*)\)", str(pattern.pattern))
            assert told is None or set(told[1].split("|")) == set(kinds), (
                f"{name}: the address and the view differ"
            )
        yield from (Route(name, declared, words, kind) for kind in kinds)


def patterns() -> Iterator[tuple[str, URLPattern]]:
    """Every name with its pattern."""
    return _patterns(get_resolver().url_patterns)


ROUTES = tuple(_routes())
MINE = tuple(route for route in ROUTES if route.declared)
ABOUT_A_RECORD = tuple(route for route in MINE if route.has_record)
#: Without a sign-in: the live scale and late lines are behind a signed key, the manifest says
#: nothing of anybody.
OPEN_TO_ALL = {
    "people:sign_in",
    "people:sign_up",
    "people:sign_out",
    "people:join",
    "people:join_by_link",
    "people:forgotten",
    "people:set_password",
    "health",
    "weigh_in:live",
    "weigh_in:late_send",
    "weigh_in:manifest",
    "no_connection",
    "look",
    "walk",
}


def load_of(garden) -> str:
    job = jobs.LoadJob(household_id=garden.household.pk)
    jobs._jobs[job.key] = job
    return job.key


def complete(garden):
    """A garden with a record of every kind that a page can be about."""
    mine = {"household": garden.household, "day": date(2026, 5, 1)}
    garden.fill = Fill.objects.create(**mine, place=garden.crates[0], litres=30)
    garden.move = Move.objects.create(**mine, place=garden.crates[0], left_site=garden.site)
    garden.count = PlantCount.objects.create(
        **mine, planting=garden.plantings[0], kind="died", count=1
    )
    garden.cost = Cost.objects.create(
        **mine, planting=garden.plantings[0], what="net", price_minor=300
    )
    garden.year_said = YearSaid.objects.create(
        household=garden.household, planting=garden.plantings[0], year=2024, came="nothing"
    )
    garden.brought = BroughtTable(household=garden.household, name="harvest.csv")
    garden.brought.sheets = {"": [["Day", "Crop", "Weight"], ["1/5/2026", "garlic", "300"]]}
    garden.brought.save()
    garden.job = Job.objects.create(**mine, planting=garden.plantings[0], job="water")
    garden.late = LateLine.objects.create(
        household=garden.household,
        link=garden.bench_link,
        by=garden.owner,
        client_id=new_client_id(),
        event={},
        words="a",
    )
    fill_larder(garden)
    fill_review(garden)
    fill_plans(garden)
    SignIn.objects.create(user=garden.owner, session_key=f"of {garden.household}"[:40])
    Invite.objects.create(household=garden.household)
    garden.repeat = Repeat.objects.create(
        household=garden.household,
        planting=garden.plantings[0],
        job="water",
        first_on=date(2026, 11, 20),
        every_days=3,
    )
    return garden


def fill_plans(garden):
    """The plan with a crop, another beside it, a wish, a shelf,
    and somebody who does not eat the crop.
    """
    mine = {"household": garden.household}
    garden.plan = Plan.objects.create(**mine, season=2027, is_chosen=True)
    garden.draft = Plan.objects.create(**mine, season=2027, name="A dream")
    garden.planned = PlannedCrop.objects.create(
        **mine, plan=garden.plan, crop=garden.crop, servings_per_week=3
    )
    garden.wish = Wish.objects.create(**mine, crop_name="physalis", said_by="Wen")
    garden.shelf = Shelf.objects.create(**mine, name="Loft", cells=84)
    garden.spot = Spot.objects.create(**mine, plan=garden.plan, crop=garden.crop, place=garden.bed)
    garden.planned_planting = PlannedPlanting.objects.create(
        **mine,
        plan=garden.plan,
        crop=garden.crop,
        place=garden.crates[1],
        plants=9,
        start=6,
        end=13,
    )
    garden.not_eaten = NotEaten.objects.create(**mine, eater=garden.eater, crop=garden.crop)


def fill_larder(garden):
    """A store with a crate of the first line, something taken out of it,
    and what is said beside it.
    """
    mine = {"household": garden.household, "day": date(2026, 8, 5)}
    garden.store = Store.objects.create(
        household=garden.household, name=f"{garden.household} rack", kind="airy shelf"
    )
    garden.spare_store = Store.objects.create(
        household=garden.household, name=f"{garden.household} box", kind="sand"
    )
    garden.store_crate = Crate.objects.create(
        **mine, store=garden.store, crop=garden.crop, season=2026
    )
    garden.put = PutBy.objects.create(**mine, line=garden.lines[0], crate=garden.store_crate)
    garden.using = Using.objects.create(
        **mine, crate=garden.store_crate, use="eaten", mass_mg=200_000
    )
    garden.supply = Supply.objects.create(
        **mine, crop=garden.crop, season=2026, note=f"{garden.household} note"
    )
    garden.trimming = Trimming.objects.create(
        **mine, crop=garden.crop, before_mg=900_000, after_mg=700_000
    )
    garden.price = Price.objects.create(
        household=garden.household, crop=garden.crop, price_minor=480, from_day=date(2026, 1, 1)
    )
    garden.expense = Expense.objects.create(
        **mine, what=f"{garden.household} fork", price_minor=4600, over_years=8
    )
    garden.bulk = Bulk.objects.create(**mine, crop=garden.crop, is_bulk=True)


def fill_review(garden):
    """A review that is written, with a line of one's own and a decision."""
    mine = {"household": garden.household, "season": 2026}
    garden.review = Review.objects.create(
        **mine, note=f"{garden.household} year", written_on=date(2026, 11, 20)
    )
    garden.remark = Remark.objects.create(
        **mine, crop=garden.crop, state="own", words=f"{garden.household} said"
    )
    garden.decision = Decision.objects.create(
        **mine, aim="more", crop=garden.crop, reason=f"{garden.household} why"
    )


def may(role: str, who: Who | None) -> bool:
    """Whether a member in a role may."""
    helps = role in {"owner", "helper"}
    return {None: False, Who.MEMBER: True, Who.WRITER: helps, Who.TAKER: helps}.get(
        who, role == "owner"
    )
