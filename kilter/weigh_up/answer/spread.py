"""How much pots of the same thing differ here, learnt from those that are not compared."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence

from django.db.models import Count, QuerySet

from kilter.core.compare import Prior, Unit
from kilter.core.compare.baskets import settle_baskets
from kilter.core.compare.kinds import Kind, kind_named
from kilter.core.compare.replicates import own_prior
from kilter.core.yields.measures import MeasuredYield, measure_named, measure_yield
from kilter.core.yields.record import density_per_m2
from kilter.people.models import Household
from kilter.records.facts import PlantingFacts, facts
from kilter.records.harvest import NEEDS
from kilter.set_out.models import Planting
from kilter.weigh_up.answer.units import baskets_of, unit_of
from kilter.weigh_up.question.question import Question

#: What makes two plantings the same thing, with their spacing and methods.
ALIKE = ("crop", "variety", "season", "site", "place_kind", "volume")
#: More plantings of other crops say nothing new of how pots of the same thing differ; the latest speak (rule).
ENOUGH_LIKE = 300


def spread_here(
    household: Household,
    question: Question,
    rows: Sequence[PlantingFacts],
    used: set[str],
    read: AllRows | None = None,
) -> Prior:
    """How much pots of the same thing differ here, from those that are not compared.

    ``read`` are the plantings of all crops, where they are read already.
    """
    pool = like_units(rows, question, used, read)
    kind, is_count = kind_of(question), measure_named(question.by).is_count
    of_crop = own_prior(pool, kind=kind, is_count=is_count)
    if of_crop.source != "rule" or not question.crops:
        return of_crop if of_crop.source != "rule" else own_prior([], pool, kind=kind, is_count=is_count)
    if read is not None:
        wider = like_units(read.latest_but(question), question, used, read)
        return own_prior([], [*pool, *wider], kind=kind, is_count=is_count)
    others = Planting.objects.of(household).exclude(crop__in=question.crops).exclude(finished_on=None)
    since = _enough_since(others)
    if since is None:
        return own_prior([], pool, kind=kind, is_count=is_count)
    others = others.filter(season__gte=since)
    needs = frozenset([NEEDS[question.by]] if question.by in NEEDS else [])
    wider = like_units(facts(household, others.as_they_stand(), needs), question, used)
    return own_prior([], [*pool, *wider], kind=kind, is_count=is_count)


def kind_of(question: Question) -> Kind:
    """On which scale the measure of a question is compared."""
    return kind_named(measure_named(question.by).kind)


def _enough_since(plantings: QuerySet[Planting]) -> int | None:
    """The season since which there are enough of them, the earliest if there are not; None for none at all."""
    count, since = 0, None
    for season, inside in plantings.order_by("-season").values_list("season").annotate(Count("pk")):
        count, since = count + inside, season
        if count >= ENOUGH_LIKE:
            break
    return since


def like_units(
    rows: Iterable[PlantingFacts], question: Question, used: set[str], read: AllRows | None = None
) -> list[Unit]:
    """Finished units with, as their level, what makes them the same thing."""
    found, baskets = [], {}
    for row in rows:
        if row.record.ref in used:
            continue
        unit = _like_unit(row, question) if read is None else read.like(row, question)
        if unit is not None:
            found.append(unit)
            if row.record.baskets:
                baskets[row.record.ref] = baskets_of(row, question)
    # what was weighed together with another thing says nothing of how like pots differ
    return list(settle_baskets(found, baskets, most_shared=0.0).units)


def _like_unit(row: PlantingFacts, question: Question) -> Unit | None:
    """One planting with what makes it the same thing as others; None where it is not finished or not measured."""
    if row.record.finished_on is None or row.doubtful:
        return None
    measured = measure_yield(row.record, question.by, grades=question.grades)
    if not isinstance(measured, MeasuredYield):
        return None
    density = density_per_m2(row.record)
    spacing = None if density is None else f"{density:.2g}"
    same = [*(row.attributes[name] for name in ALIKE), spacing, *sorted(row.methods.items())]
    return unit_of(measured, repr(same), ())


class AllRows:
    """Every planting of a garden with all that any question needs, read once by whoever asks many questions of it."""

    def __init__(self, rows: Sequence[PlantingFacts]) -> None:
        self.rows = rows
        self._like: dict[tuple[str, str, tuple[str, ...]], Unit | None] = {}

    def like(self, row: PlantingFacts, question: Question) -> Unit | None:
        """As a like unit, measured as the question measures; each is measured once."""
        key = row.record.ref, question.by, question.grades
        if key not in self._like:
            self._like[key] = _like_unit(row, question)
        return self._like[key]

    def latest_but(self, question: Question) -> list[PlantingFacts]:
        """Of other crops the finished plantings of the latest seasons, as many whole seasons as are enough."""
        crops = {crop.name for crop in question.crops}
        rows = [row for row in self.rows if row.record.finished_on is not None and row.attributes["crop"] not in crops]
        inside = Counter(row.season for row in rows)
        count, since = 0, 0
        for since in sorted(inside, reverse=True):
            count += inside[since]
            if count >= ENOUGH_LIKE:
                break
        return [row for row in rows if row.season >= since]
