"""The units of a comparison: each planting measured once, as far as it was lifted by then, or why it cannot be."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from dataclasses import replace as with_changes
from datetime import date

from kilter.core.compare import Unit
from kilter.core.yields.bearing import as_of, common_cuts
from kilter.core.yields.measures import LeftOut, MeasuredYield, known_alike, measure_yield
from kilter.records.facts import PlantingFacts
from kilter.weigh_up.question.question import Question

LEFT_OUT_BY_HAND = "you left it out"
BLINDED = "belongs to a trial that is blinded until all of it is in"


@dataclass(frozen=True)
class Measured:
    """Units with the second level of each, and what cannot be used with its reason."""

    units: tuple[Unit, ...]
    seconds: tuple[str, ...]
    left_out: tuple[LeftOut, ...]
    measures: Mapping[str, MeasuredYield]  #: by ref, of those used


def units_of(
    rows: Sequence[PlantingFacts],
    question: Question,
    words: Mapping[str, str],
    blinded: Iterable[int],
    today: date,
) -> Measured:
    """Measure every planting that is asked about."""
    kept_back, by_hand = set(blinded), set(question.without)
    left_out = [LeftOut(row.record.ref, BLINDED) for row in rows if row.pk in kept_back]
    seen = [row for row in rows if row.pk not in kept_back]
    left_out += [LeftOut(row.record.ref, LEFT_OUT_BY_HAND) for row in seen if row.record.ref in by_hand]
    asked, late = _as_of(question, [row for row in seen if row.record.ref not in by_hand], today)
    labels, measures = {}, []
    names = question.attributes
    for row in asked:
        values = [row.attribute(name) for name in names]
        found = _unknown(row, names, words) if None in values else _measure(row, question)
        if isinstance(found, LeftOut):
            late.append(found)
        else:
            labels[found.ref] = [value or "" for value in values]
            measures.append(found)
    kept, unlike = known_alike(measures)
    units, seconds = [], []
    for one in kept:
        level, *blocks = labels[one.ref]
        if question.second_factor:
            seconds.append(blocks.pop(0))
        units.append(unit_of(one, level, tuple(blocks)))
    return Measured(tuple(units), tuple(seconds), (*left_out, *late, *unlike), {one.ref: one for one in kept})


def unit_of(measured: MeasuredYield, level: str, blocks: tuple[str, ...]) -> Unit:
    """A measured planting as a unit of the comparison."""
    return Unit(measured.ref, measured.amount, measured.exposure, level, blocks, measured.plants, measured.vague_sd)


def _unknown(row: PlantingFacts, names: Iterable[str], words: Mapping[str, str]) -> LeftOut:
    reasons = [
        f"its {words[name]} {'is in doubt' if name in row.doubtful else 'was not recorded'}"
        for name in names
        if row.attribute(name) is None
    ]
    return LeftOut(row.record.ref, " and ".join(reasons))


def _measure(row: PlantingFacts, question: Question) -> MeasuredYield | LeftOut:
    return measure_yield(row.record, question.by, grades=question.grades, with_estimates=question.with_estimates)


def _as_of(question: Question, rows: list[PlantingFacts], today: date) -> tuple[list[PlantingFacts], list[LeftOut]]:
    """The rows as they were on the day, or at the age, that all have reached; and those whose age is not known."""
    if not question.cut_off:
        return rows, []
    seasons = {row.record.ref: row.season for row in rows}
    ahead = {row.record.ref for row in rows if row.record.finished_on is None and row.season > today.year}
    cuts = common_cuts([row.record for row in rows if row.record.ref not in ahead], seasons, question.cut_off, today)
    kept, late = [], []
    for row in rows:
        ref = row.record.ref
        if ref in ahead:
            late.append(LeftOut(ref, "its season has not begun"))
        elif ref in cuts:
            kept.append(with_changes(row, record=as_of(row.record, row.lifts, cuts[ref])))
        else:
            late.append(LeftOut(ref, "nobody wrote down when it was planted"))
    return kept, late
