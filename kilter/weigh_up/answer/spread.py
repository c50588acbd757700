"""How much pots of the same thing differ here, learnt from those that are not compared."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from kilter.core.compare import Prior, Unit
from kilter.core.compare.replicates import own_prior
from kilter.records.facts import PlantingFacts
from kilter.weigh_up.answer.reading import Rows
from kilter.weigh_up.answer.units import like_units
from kilter.weigh_up.question.question import Question


def spread_here(
    question: Question, of_crops: Iterable[PlantingFacts], used: Iterable[str], rows: Rows
) -> Prior:
    """How much pots of the same thing differ here,
    from those that are not used in the comparison.
    """
    alike = like_units(of_crops, question, used, rows.like)

    def of_all() -> Iterator[Unit]:
        """Read only where the crop's own are too few."""
        yield from alike
        if question.crops:
            yield from like_units(rows.of_others(question), question, used, rows.like)

    return own_prior(alike, of_all(), kind=question.kind, is_count=question.measure.is_count)
