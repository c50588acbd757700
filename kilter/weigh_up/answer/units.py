"""The units of a comparison: each planting measured once, as far as it was lifted by then,
or why it cannot be.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from functools import partial

from kilter.core.compare import Unit
from kilter.core.compare.baskets import settle_baskets
from kilter.core.yields.bearing import all_up_to
from kilter.core.yields.lacks import Lack, LeftOut
from kilter.core.yields.measures import MeasuredYield, known_alike, measure_yield
from kilter.core.yields.record import PlantingRecord, density_per_m2
from kilter.records.facts import PlantingFacts
from kilter.weigh_up.question.question import Question

LEFT_OUT_BY_HAND = Lack("by hand", "you left it out", "put in")
BLINDED = Lack("blinded", "belongs to a trial that is blinded until all of it is in")
#: What makes two plantings the same thing, with their spacing and methods.
ALIKE = ("crop", "variety", "season", "site", "place_kind", "volume")


@dataclass(frozen=True)
class Measured:
    """Units with the second level of each, and what cannot be used with its reason."""

    units: tuple[Unit, ...]
    seconds: tuple[str, ...]
    left_out: tuple[LeftOut, ...]
    measures: Mapping[str, MeasuredYield]  #: by ref, of those used
    joined: Mapping[
        str, tuple[str, ...]
    ]  #: of a unit that stands for several, all of them: they were one basket


def units_of(
    rows: Sequence[PlantingFacts],
    question: Question,
    words: Mapping[str, str],
    blinded: Iterable[int],
    today: date,
) -> Measured:
    """Measure every planting that is asked about."""
    kept_back, by_hand = set(blinded), set(question.without)
    seen = [row for row in rows if row.pk not in kept_back]
    asked = [row for row in seen if row.record.ref not in by_hand]
    left_out = [LeftOut(row.record.ref, BLINDED) for row in rows if row.pk in kept_back]
    left_out += [
        LeftOut(row.record.ref, LEFT_OUT_BY_HAND) for row in seen if row.record.ref in by_hand
    ]
    lacks = {row.record.ref: row.lack(question.attributes, words) for row in asked}
    left_out += [LeftOut(ref, lack) for ref, lack in lacks.items() if lack]
    # what cannot be told apart holds none of the others back to a day or an age
    told = [row for row in asked if not lacks[row.record.ref]]
    labels = {
        row.record.ref: tuple(row.attribute(name) or "" for name in question.attributes)
        for row in told
    }
    records: Iterable[PlantingRecord | LeftOut] = [row.record for row in told]
    if question.cut_off:
        seasons = {row.record.ref: row.season for row in told}
        lifts = {row.record.ref: row.lifts for row in told}
        records = all_up_to(
            [row.record for row in told], seasons, lifts, question.cut_off, today
        ).values()
    measure = partial(
        measure_yield,
        measure_key=question.by,
        grades=question.grades,
        with_estimates=question.with_estimates,
    )
    found = [record if isinstance(record, LeftOut) else measure(record) for record in records]
    left_out += [one for one in found if isinstance(one, LeftOut)]
    measures = [one for one in found if not isinstance(one, LeftOut)]
    kept, unlike = known_alike(measures)
    # the second thing compared is a block until the baskets are settled: none of them joins what it
    # tells apart
    settled = settle_baskets(
        [Unit.of(one, labels[one.ref][0], labels[one.ref][1:]) for one in kept]
    )
    units, seconds = (
        settled.units,
        tuple(unit.blocks[0] for unit in settled.units if question.second_factor),
    )
    if question.second_factor:
        units = tuple(replace(unit, blocks=unit.blocks[1:]) for unit in units)
    gone = {out.ref for out in settled.left_out}
    used = {one.ref: one for one in kept if one.ref not in gone}
    return Measured(units, seconds, (*left_out, *unlike, *settled.left_out), used, settled.joined)


def like_unit(row: PlantingFacts, question: Question) -> Unit | None:
    """One planting with what makes it the same thing as others;
    None where it is not finished or not measured.
    """
    if row.record.finished_on is None or row.doubtful:
        return None
    measured = measure_yield(row.record, question.by, grades=question.grades)
    if isinstance(measured, LeftOut):
        return None
    density = density_per_m2(row.record)
    spacing = None if density is None else f"{density:.2g}"
    same = [*(row.attributes[name] for name in ALIKE), spacing, *sorted(row.methods.items())]
    return Unit.of(measured, repr(same))


def like_units(
    rows: Iterable[PlantingFacts],
    question: Question,
    used: Iterable[str] = (),
    measured_as: Callable[[PlantingFacts, Question], Unit | None] = like_unit,
) -> list[Unit]:
    """Finished units but those that are used already,
    each with what makes it the same thing as its level.
    """
    but = set(used)
    found = (measured_as(row, question) for row in rows if row.record.ref not in but)
    # what was weighed together with another thing says nothing of how like pots differ
    return list(settle_baskets([unit for unit in found if unit is not None], most_shared=0.0).units)
