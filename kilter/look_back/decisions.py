"""Decisions: which are open, which were met by the next season, and whether that helped."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from statistics import mean

from django.db.models import Q, QuerySet
from django.urls import reverse

from kilter.core.review.aims import GrownInSeason, outcome
from kilter.ground.models import Move
from kilter.larder.models import PutBy
from kilter.look_back.models import Decision
from kilter.people import clock
from kilter.people.models import Household
from kilter.records.facts import facts
from kilter.set_out.models import MethodTag, Planting
from kilter.weigh_up.answer.ask import ask
from kilter.weigh_up.answer.differed import in_words
from kilter.weigh_up.answer.fairness import known_of_both
from kilter.weigh_up.answer.gap_words import manner_of
from kilter.weigh_up.answer.wording import sentence
from kilter.weigh_up.question.question import Question, attributes_of

#: Where a decision stands, in words.
OPEN, PLANNED, MET, NOT_MET, ASIDE = "open", "in the plan", "done", "not done", "put aside"
MOST_UNFAIR = 2


@dataclass(frozen=True)
class DecisionStanding:
    """A decision, where it stands and why."""

    decision: Decision
    state: str
    words: str  #: what the plantings tell

    @property
    def is_open(self) -> bool:
        return self.state in {OPEN, PLANNED}

    @property
    def is_done(self) -> bool:
        return self.state == MET


@dataclass(frozen=True)
class Helped:
    """Before and after, as far as the record can tell."""

    words: str
    unfair: tuple[str, ...] = ()  #: what else differed between the two seasons
    address: str = ""


def decisions(household: Household) -> QuerySet[Decision]:
    """All of a household's, with their names."""
    found: QuerySet[Decision] = Decision.objects.of(household).select_related(
        "crop", "variety__crop", "place__site"
    )
    return found


def standing(household: Household, season: int | None = None) -> list[DecisionStanding]:
    """Where the decisions of a season stand, or of all seasons, newest first;
    a fixed number of queries.
    """
    found = decisions(household) if season is None else decisions(household).filter(season=season)
    each = list(found.order_by("-season", "pk"))
    if not each:
        return []
    years = {year for one in each for year in (one.season, one.season + 1)}
    grown = _Grown(household, years)
    return [_stands(one, grown, clock.today(household)) for one in each]


def open_decisions(household: Household) -> list[DecisionStanding]:
    """Those that wait for a plan or a planting."""
    return [one for one in standing(household) if one.is_open]


def _stands(one: Decision, grown: _Grown, today: date) -> DecisionStanding:
    if one.aside:
        return DecisionStanding(one, ASIDE, one.aside)
    found = outcome(
        one.aim,  # type: ignore[arg-type]
        grown.of(one, one.season),
        grown.of(one, one.season + 1),
        percent=one.percent,
        number=one.number,
        detail=one.detail,
        is_over=one.season + 1 < today.year,
    )
    if found.is_met is None:
        words = (
            f"the plan has it since {one.planned_on.day} {one.planned_on:%B %Y}"
            if one.planned_on
            else found.words
        )
        return DecisionStanding(one, PLANNED if one.planned_on else OPEN, words)
    return DecisionStanding(one, MET if found.is_met else NOT_MET, found.words)


class _Grown:
    """What was set out in some seasons, and where it was put by; five queries."""

    def __init__(self, household: Household, years: Iterable[int]) -> None:
        wanted = set(years)
        of_years = Q(season__in=wanted) | Q(is_perennial=True, season__lte=max(wanted))
        plantings = (
            Planting.objects.of(household).filter(of_years).select_related("place", "variety")
        )
        self.plantings: Mapping[int, list[Planting]] = defaultdict(list)
        for planting in plantings.order_by("pk"):
            for year in wanted:
                if _stood_in(planting, year):
                    self.plantings[year].append(planting)
        pks = [one.pk for of in self.plantings.values() for one in of]
        self.methods: Mapping[int, set[str]] = defaultdict(set)
        for tag in MethodTag.objects.filter(planting__in=pks):
            self.methods[tag.planting_id].add(str(tag))
        self.stores: Mapping[int, set[str]] = defaultdict(set)
        put = PutBy.objects.of(household).filter(line__planting__in=pks, crate__isnull=False)
        for pk, store in (
            put.order_by().values_list("line__planting_id", "crate__store__name").distinct()
        ):
            self.stores[pk].add(store)
        self.moved: Mapping[int, set[int]] = defaultdict(set)
        for place, day in Move.objects.of(household).order_by().values_list("place_id", "day"):
            self.moved[day.year].add(place)

    def of(self, one: Decision, season: int) -> GrownInSeason:
        """What of a decision's crop, variety or place was grown in a season."""
        found = [
            planting for planting in self.plantings.get(season, ()) if _is_about(one, planting)
        ]
        new = [p for p in found if p.season == season]
        days = [(p.planted_on - date(season, 1, 1)).days for p in new if p.planted_on is not None]
        is_of_place_only = one.crop_id is None and one.place_id is not None
        places = {str(p.place) for p in found}
        if is_of_place_only and one.place_id in self.moved.get(season, ()):
            places.add("another spot")
        return GrownInSeason(
            plantings=len(found),
            units=sum(p.units or 0 for p in found),
            places=frozenset(places),
            varieties=frozenset(p.variety.name for p in found if p.variety),
            methods=frozenset(tag for p in found for tag in self.methods.get(p.pk, ())),
            stores=frozenset(store for p in found for store in self.stores.get(p.pk, ())),
            day=mean(days) if days else None,
        )


def _stood_in(planting: Planting, year: int) -> bool:
    """Whether it is of a season; what stays over years is of each of them."""
    if not planting.is_perennial:
        return planting.season == year
    return planting.season <= year and (
        planting.finished_on is None or planting.finished_on.year >= year
    )


def _is_about(one: Decision, planting: Planting) -> bool:
    if one.variety_id:
        return planting.variety_id == one.variety_id
    if one.crop_id:
        return planting.crop_id == one.crop_id
    return one.place_id is None or planting.place_id == one.place_id


def did_it_help(household: Household, one: Decision) -> Helped:
    """The season after a decision against the one before it, of what it is about."""
    if one.crop is None:
        return Helped("What it did cannot be read off one crop; look at the season's page.")
    by = "share_lost" if one.aim == "store" else "kg_per_plant"
    years = one.season, one.season + 1
    without: tuple[str, ...] = ()
    if one.variety_id:
        others = (
            Planting.objects.of(household).filter(crop=one.crop).exclude(variety=one.variety_id)
        )
        without = tuple(
            row.record.ref
            for row in facts(household, others.filter(season__in=years).as_they_stand())
        )
    question = Question(crops=(one.crop,), compare="season", by=by, seasons=years, without=without)
    words = attributes_of(household)
    answer = ask(household, question, words)
    address = f"{reverse('weigh_up:index')}?{question.address()}"
    if answer.comparison is None:
        return Helped(f"The record cannot tell yet. {answer.problem}", address=address)
    said = sentence(answer.comparison, manner_of(answer.measure))
    unfair = in_words(known_of_both(answer.fairness.unfair), words, answer.facts)[:MOST_UNFAIR]
    return Helped(
        f"{said.answer} {said.doubt}", tuple(f"{u.what}: {u.words}" for u in unfair), address
    )
