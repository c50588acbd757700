"""What people say of varieties beside what was measured: scores, verdicts,
and the ranking of both together.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass

from kilter.core.compare import Comparison
from kilter.core.compare.ranking import Candidate, Placed, rank
from kilter.core.errors import ComparisonError
from kilter.core.yields.lacks import LeftOut
from kilter.core.yields.measures import measure_yield
from kilter.people.models import Household
from kilter.set_out.models import Crop, Planting, Variety
from kilter.weigh_up.answer.ask import Answer, ask
from kilter.weigh_up.answer.units import BLINDED, LEFT_OUT_BY_HAND
from kilter.weigh_up.question.question import Question, attributes_of
from kilter.weigh_up.varieties.models import Criterion, Score, Verdict

#: What enters the ranking as measured, by which measure, and whether less is better.
MEASURED = {
    "yield": ("kg_per_plant", False),
    "earliness": ("days_to_first", True),
    "length of bearing": ("days_bearing", False),
}
MEASURED_WEIGHTS = {"yield": 2.0, "earliness": 0.0, "length of bearing": 0.0}
OVERALL = "kg_per_plant"  # what each season gave
#: With fewer seasons than this on record, a variety has hardly had its chance (common practice, no
#: source).
SEASONS_BEFORE_DROPPING = 2


@dataclass(frozen=True)
class VarietyYear:
    """One variety in one season: what it gave, what was said of it."""

    season: int
    mean: float | None  #: kg per plant, plain total over total
    places: int
    scores: tuple[tuple[str, float, int], ...]  #: criterion, mean, judges
    verdict: Verdict | None


@dataclass(frozen=True)
class VarietyRow:
    """One variety in the ranking, with its seasons side by side."""

    variety: Variety
    placed: Placed | None
    years: tuple[VarietyYear, ...]


@dataclass(frozen=True)
class Ranking:
    """Varieties of a crop, best first; then those that nothing is known of."""

    crop: Crop
    rows: tuple[VarietyRow, ...]
    problem: str
    uses: tuple[str, ...]


def ranking(
    household: Household, crop: Crop, weights: Mapping[str, float], use: str = ""
) -> Ranking:
    """Rank a crop's varieties by the weights given,
    scores for a use going before those in general.
    """
    varieties = list(Variety.objects.of(household).filter(crop=crop).order_by("name"))
    scores = list(
        Score.objects.of(household)
        .filter(variety__crop=crop)
        .select_related("criterion", "variety")
    )
    criteria = {c.name for c in Criterion.objects.of(household)}
    measured: dict[str, dict[str, tuple[float, float]]] = defaultdict(dict)
    words = attributes_of(household)
    unlucky = _had_no_chance(household, crop)
    overall = ask(
        household, Question(crops=(crop,), compare="variety", by=OVERALL, without=unlucky), words
    )
    for name, (by, is_less_better) in MEASURED.items():
        if weights.get(name):
            by_season = Question(
                crops=(crop,), compare="variety", by=by, within=("season",), without=unlucky
            )
            comparison = ask(household, by_season, words).comparison
            if comparison is None:  # the seasons cannot be told from the varieties
                plain = Question(crops=(crop,), compare="variety", by=by, without=unlucky)
                comparison = (
                    overall.comparison if by == OVERALL else ask(household, plain, words).comparison
                )
            for variety, value in _on_link(comparison, is_less_better=is_less_better).items():
                measured[variety][name] = value
    kept = _scores_of(scores, use)
    candidates = [
        Candidate(
            v.name, {c: s for c, s in kept[v.name].items() if c in criteria}, measured[v.name]
        )
        for v in varieties
        if kept[v.name] or measured[v.name]
    ]
    placed: dict[str, Placed] = {}
    problem = ""
    try:
        placed = {one.name: one for one in rank(candidates, weights)}
    except ComparisonError as error:
        problem = str(error)
    years = _years(household, crop, scores, overall)
    rows = [VarietyRow(v, placed.get(v.name), years[v.pk]) for v in varieties]
    rows.sort(key=lambda row: (row.placed is None, row.placed.place if row.placed else 0))
    uses = tuple(sorted({score.use for score in scores if score.use}))
    return Ranking(crop, tuple(rows), problem, uses)


def without_chance(household: Household, season: int) -> frozenset[int]:
    """Varieties that the household says had no fair chance in a season."""
    said = Verdict.objects.of(household).filter(season=season, kind=Verdict.Kind.ELSEWHERE)
    return frozenset(said.order_by().values_list("variety_id", flat=True))


def _had_no_chance(household: Household, crop: Crop) -> tuple[str, ...]:
    """The plantings of a variety in a season that the household says was no fair chance:
    their yield says nothing.
    """
    verdicts = Verdict.objects.of(household).filter(variety__crop=crop, kind=Verdict.Kind.ELSEWHERE)
    seasons: dict[int, set[int]] = defaultdict(set)
    for variety, season in verdicts.values_list("variety_id", "season"):
        seasons[variety].add(season)
    refs: list[str] = []
    grown = Planting.objects.of(household).filter(crop=crop, variety__in=list(seasons))
    for ref, variety, season, lasts in grown.values_list(
        "ref", "variety_id", "season", "is_perennial"
    ):
        said = seasons[variety or 0]
        refs += [f"{ref}/{year}" for year in said] if lasts else [ref] if season in said else []
    return tuple(refs)


def _on_link(
    comparison: Comparison | None, *, is_less_better: bool
) -> dict[str, tuple[float, float]]:
    """Level means on the scale they are compared on with their standard errors,
    turned so that more is better.
    """
    sign = -1.0 if is_less_better else 1.0
    levels = comparison.levels if comparison else ()
    return {level.level: (sign * level.eta, level.sd) for level in levels if level.low is not None}


def _scores_of(scores: list[Score], use: str) -> dict[str, dict[str, list[float]]]:
    """By variety and criterion: the scores for a use where there are any, else those in general."""
    for_use: dict[tuple[str, str], list[float]] = defaultdict(list)
    general: dict[tuple[str, str], list[float]] = defaultdict(list)
    for score in scores:
        key = score.variety.name, score.criterion.name
        if use and score.use == use:
            for_use[key].append(score.value)
        elif not score.use or not use:
            general[key].append(score.value)
    found: dict[str, dict[str, list[float]]] = defaultdict(dict)
    for variety, criterion in {*for_use, *general}:
        found[variety][criterion] = for_use.get((variety, criterion)) or general[variety, criterion]
    return found


def _years(
    household: Household, crop: Crop, scores: list[Score], answer: Answer
) -> dict[int, tuple[VarietyYear, ...]]:
    sums: dict[tuple[str, int], tuple[float, float, int]] = {}
    kept_back = {out.ref for out in answer.left_out if out.lack in (BLINDED, LEFT_OUT_BY_HAND)}
    for ref, fact in answer.facts.items():
        found_yield = measure_yield(fact.record, OVERALL)
        if ref in kept_back or isinstance(found_yield, LeftOut):
            continue
        key = fact.attributes["variety"] or "", fact.season
        amount, exposure, places = sums.get(key, (0.0, 0.0, 0))
        sums[key] = amount + found_yield.amount, exposure + found_yield.exposure, places + 1
    said: dict[tuple[int, int, str], list[int]] = defaultdict(list)
    for score in scores:
        said[score.variety_id, score.season, score.criterion.name].append(score.value)
    verdicts = {
        (v.variety_id, v.season): v
        for v in Verdict.objects.of(household).filter(variety__crop=crop)
    }
    grown = Planting.objects.of(household).filter(crop=crop).exclude(variety=None)
    seasons: dict[int, set[int]] = defaultdict(set)
    for variety_id, season in grown.order_by().values_list("variety_id", "season").distinct():
        seasons[variety_id or 0].add(season)
    names = dict(Variety.objects.of(household).filter(crop=crop).values_list("pk", "name"))
    found: dict[int, tuple[VarietyYear, ...]] = defaultdict(tuple)
    for pk, name in names.items():
        years = (
            seasons[pk]
            | {season for variety, season, _ in said if variety == pk}
            | {y for v, y in verdicts if v == pk}
        )
        found[pk] = tuple(
            VarietyYear(
                year,
                sums[name, year][0] / sums[name, year][1] if (name, year) in sums else None,
                sums.get((name, year), (0, 0, 0))[2],
                tuple(
                    (c, sum(s) / len(s), len(s))
                    for (v, y, c), s in sorted(said.items())
                    if (v, y) == (pk, year)
                ),
                verdicts.get((pk, year)),
            )
            for year in sorted(years, reverse=True)
        )
    return found
