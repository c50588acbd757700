"""What a few words are found in: places, plantings, varieties, lots, crates, happenings,
reviews, plans and wishes.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import reduce
from operator import and_

from django.db.models import Q
from django.urls import reverse

from kilter.ground.models import Place
from kilter.larder.models import Crate
from kilter.look_back.models import Decision, Remark
from kilter.people.models import Household
from kilter.plans.models import PlannedCrop, PlannedPlanting, Wish
from kilter.set_out.models import Planting, SeedLot, Variety, planting_label
from kilter.set_out.telling import told_apart
from kilter.tending.models import Happening
from kilter.weigh_up.question.question import Question

MOST = 12  # of each kind; more words narrow it down


@dataclass(frozen=True)
class Found:
    """One thing found, and where it leads."""

    kind: str
    label: str
    detail: str
    address: str


def find(household: Household, text: str) -> list[Found]:
    """Find what holds every word; plantings of the newest season first."""
    words = text.split()
    if not words:
        return []
    kinds = (
        _places,
        _varieties,
        _lots,
        _plantings,
        _crates,
        _happenings,
        _decisions,
        _remarks,
        _planned,
        _planned_plantings,
        _wishes,
    )
    return [hit for kind in kinds for hit in kind(household, words)]


def _every(words: list[str], texts: tuple[str, ...], numbers: tuple[str, ...] = ()) -> Q:
    """Each word in one of the texts, or equal to one of the numbers."""

    def one(word: str) -> Q:
        hit = reduce(lambda a, b: a | b, (Q(**{f"{name}__icontains": word}) for name in texts))
        if word.isascii() and word.isdigit() and len(word) < 9:
            hit |= reduce(lambda a, b: a | b, (Q(**{name: int(word)}) for name in numbers), Q())
        return hit

    return reduce(and_, (one(word) for word in words))


def _places(household: Household, words: list[str]) -> list[Found]:
    hit = _every(words, ("name", "kind", "material", "site__name"), ("number",))
    places = Place.objects.of(household).filter(hit).in_order()[:MOST]
    return [
        Found("place", str(p), f"{p.kind} in {p.site}", reverse("atlas:place", args=[p.pk]))
        for p in places
    ]


def _varieties(household: Household, words: list[str]) -> list[Found]:
    hit = _every(words, ("name", "crop__name"))
    varieties = (
        Variety.objects.of(household)
        .filter(hit)
        .select_related("crop")
        .order_by("crop__name", "name")
    )
    compare = reverse("weigh_up:index")
    asked = {
        v: Question(crops=(v.crop,), compare="variety", by="kg_per_plant") for v in varieties[:MOST]
    }
    return [
        Found("variety", v.name, v.crop.name, f"{compare}?{question.address()}")
        for v, question in asked.items()
    ]


def _lots(household: Household, words: list[str]) -> list[Found]:
    hit = _every(words, ("name", "source", "crop__name", "variety__name"), ("packed_year",))
    lots = SeedLot.objects.of(household).filter(hit).select_related("crop", "variety")[:MOST]
    return [
        Found(
            "seed lot",
            lot.name,
            planting_label(lot.crop.name, lot.variety.name if lot.variety else ""),
            reverse("set_out:lot", args=[lot.pk]),
        )
        for lot in lots
    ]


def _happenings(household: Household, words: list[str]) -> list[Found]:
    hit = _every(
        words,
        (
            "kind",
            "what",
            "done",
            "note",
            "site__name",
            "place__name",
            "planting__crop__name",
            "planting__place__name",
        ),
        ("place__number", "planting__place__number"),
    )
    return [
        Found(
            "happening",
            entry.words,
            f"{entry.target}, {entry.when}",
            reverse("tending:happening", args=[entry.pk]),
        )
        for entry in Happening.objects.of(household).filter(hit).with_names()[:MOST]
    ]


def _crates(household: Household, words: list[str]) -> list[Found]:
    hit = _every(
        words, ("crop__name", "variety__name", "store__name", "state", "note"), ("season",)
    )
    crates = (
        Crate.objects.of(household)
        .filter(hit)
        .select_related("crop", "variety", "store")
        .order_by("-day", "-pk")
    )
    return [
        Found(
            "crate",
            crate.label,
            f"{crate.store}, since {crate.when}",
            reverse("larder:crate", args=[crate.pk]),
        )
        for crate in crates[:MOST]
    ]


def _decisions(household: Household, words: list[str]) -> list[Found]:
    hit = _every(
        words,
        ("aim", "detail", "reason", "crop__name", "variety__name", "place__name"),
        ("season",),
    )
    found = (
        Decision.objects.of(household)
        .filter(hit)
        .select_related("crop", "variety", "place")
        .order_by("-season")
    )
    return [
        Found(
            "decision",
            str(one),
            f"after {one.season}",
            reverse("look_back:decision", args=[one.pk]),
        )
        for one in found[:MOST]
    ]


def _remarks(household: Household, words: list[str]) -> list[Found]:
    hit = _every(words, ("words", "cause", "crop__name"), ("season",))
    found = (
        Remark.objects.of(household)
        .filter(hit)
        .exclude(state=Remark.State.STRUCK)
        .order_by("-season", "pk")
    )
    page = reverse("look_back:index")
    return [
        Found("review", one.words, f"of {one.season}", f"{page}?season={one.season}&whole=on")
        for one in found[:MOST]
    ]


def _plantings(household: Household, words: list[str]) -> list[Found]:
    texts = (
        "crop__name",
        "variety__name",
        "place__name",
        "part__name",
        "lot__name",
        "methods__value",
    )
    hit = _every(words, texts, ("season", "place__number"))
    matching = Planting.objects.of(household).filter(hit).order_by().values("pk")
    plantings = (
        Planting.objects.of(household)
        .filter(pk__in=matching)
        .with_names()
        .order_by("-season", "-pk")
    )
    found = list(plantings[:MOST])
    called = told_apart(found, lambda p: f"{p.label} in {p.place}, {p.season}")
    return [
        Found(
            "planting",
            p.label,
            called[p.pk].removeprefix(f"{p.label} in "),
            reverse("atlas:planting", args=[p.pk]),
        )
        for p in found
    ]


def _planned(household: Household, words: list[str]) -> list[Found]:
    hit = _every(words, ("crop__name", "plan__name", "plan__note"), ("plan__season",))
    found = PlannedCrop.objects.of(household).filter(hit, plan__struck_at=None, is_out=False)
    return [
        Found(
            "planned",
            one.crop.name,
            f"{one.plan.season}, {one.plan.name}",
            f"{reverse('next_year:crop', args=[one.crop_id])}?plan={one.plan_id}",
        )
        for one in found.select_related("plan", "crop").order_by("-plan__season", "crop__name")[
            :MOST
        ]
    ]


def _planned_plantings(household: Household, words: list[str]) -> list[Found]:
    hit = _every(
        words, ("crop__name", "variety__name", "place__name"), ("place__number", "plan__season")
    )
    found = PlannedPlanting.objects.of(household).filter(hit, plan__struck_at=None, planting=None)
    return [
        Found(
            "planned planting",
            f"{one.crop}, {one.plants} in {one.place}",
            f"from {one.begins:%-d %B %Y}",
            f"{reverse('next_year:planned')}?plan={one.plan_id}",
        )
        for one in found.select_related("plan", "crop", "place").order_by("start", "pk")[:MOST]
    ]


def _wishes(household: Household, words: list[str]) -> list[Found]:
    hit = _every(words, ("crop_name", "said_by", "note"))
    return [
        Found("wish", wish.crop_name, wish.said_by or "", f"{reverse('next_year:index')}#wishes")
        for wish in Wish.objects.of(household).filter(hit)[:MOST]
    ]
