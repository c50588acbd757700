"""Where an answer's plantings come from: read for one question,
or all of a garden once for many.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from typing import Protocol

from django.db.models import Count, QuerySet

from kilter.core.compare import Unit
from kilter.people.models import Household
from kilter.records.facts import PlantingFacts, facts
from kilter.set_out.costs import has_costs
from kilter.set_out.models import Planting
from kilter.weigh_up.answer.units import like_unit
from kilter.weigh_up.question.question import Question

#: More plantings of other crops say nothing new of how pots of the same thing differ; the latest
#: speak (rule).
ENOUGH_LIKE = 300


class Rows(Protocol):
    """Plantings that a question may be asked of."""

    def of_crops(self, question: Question) -> list[PlantingFacts]:
        """Those of its crops, of any season."""

    def of_others(self, question: Question) -> list[PlantingFacts]:
        """Of other crops the finished ones of the latest seasons,
        as many whole seasons as are enough.
        """

    def like(self, row: PlantingFacts, question: Question) -> Unit | None:
        """One as a like unit, measured as the question measures."""


class ForOne:
    """Read as they are asked for."""

    def __init__(self, household: Household) -> None:
        self._household = household

    def of_crops(self, question: Question) -> list[PlantingFacts]:
        costs = {"cost"} if has_costs(self._household) else set()
        return facts(self._household, question.plantings(self._household), question.needs | costs)

    def of_others(self, question: Question) -> list[PlantingFacts]:
        others = (
            Planting.objects.of(self._household)
            .exclude(crop__in=question.crops)
            .exclude(finished_on=None)
        )
        since = _enough_since(others)
        if since is None:
            return []
        return facts(
            self._household,
            others.filter(season__gte=since).as_they_stand(),
            question.needs_to_measure,
        )

    def like(self, row: PlantingFacts, question: Question) -> Unit | None:
        return like_unit(row, question)


class AllRows:
    """Every planting of a garden with all that any question needs,
    read once by whoever asks many questions of it.
    """

    def __init__(self, rows: Sequence[PlantingFacts]) -> None:
        self.rows = rows
        self._like: dict[tuple[str, str, tuple[str, ...]], Unit | None] = {}

    def of_crops(self, question: Question) -> list[PlantingFacts]:
        crops = {crop.name for crop in question.crops}
        return [row for row in self.rows if not crops or row.attributes["crop"] in crops]

    def of_others(self, question: Question) -> list[PlantingFacts]:
        crops = {crop.name for crop in question.crops}
        rows = [
            row
            for row in self.rows
            if row.record.finished_on is not None and row.attributes["crop"] not in crops
        ]
        since = _reached(sorted(Counter(row.season for row in rows).items(), reverse=True))
        return [row for row in rows if since is not None and row.season >= since]

    def like(self, row: PlantingFacts, question: Question) -> Unit | None:
        """Each is measured once."""
        key = row.record.ref, question.by, question.grades
        if key not in self._like:
            self._like[key] = like_unit(row, question)
        return self._like[key]


def _enough_since(plantings: QuerySet[Planting]) -> int | None:
    """The season since which there are enough of them, the earliest if there are not;
    None for none at all.
    """
    return _reached(plantings.order_by("-season").values_list("season").annotate(Count("pk")))


def _reached(by_season: Iterable[tuple[int, int]]) -> int | None:
    """The season, counted back from the latest, by which there are enough; None for no season."""
    count, since = 0, None
    for season, inside in by_season:
        count, since = count + inside, season
        if count >= ENOUGH_LIKE:
            break
    return since
