"""The units of a comparison: each planting measured once, as far as it was lifted by then, or why it cannot be."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from dataclasses import replace as with_changes
from datetime import date

from kilter.core.compare import Unit
from kilter.core.compare.baskets import BasketPart, settle_baskets
from kilter.core.yields.bearing import as_of, common_cuts
from kilter.core.yields.measures import (
    LeftOut,
    MeasuredYield,
    basket_shares,
    known_alike,
    measure_named,
    measure_yield,
)
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
    joined: Mapping[
        str, tuple[str, ...]
    ]  #: of a unit that stands for several, all of them: their lifts were one basket


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
    of = {row.record.ref: row for row in asked}
    # the second thing compared is a block until the baskets are settled: none of them joins what it tells apart
    units = [unit_of(one, labels[one.ref][0], tuple(labels[one.ref][1:])) for one in kept]
    settled = settle_baskets(
        units, {one.ref: baskets_of(of[one.ref], question) for one in kept if of[one.ref].record.baskets}
    )
    seconds: tuple[str, ...] = ()
    found_units = settled.units
    if question.second_factor:
        seconds = tuple(unit.blocks[0] for unit in found_units)
        found_units = tuple(with_changes(unit, blocks=unit.blocks[1:]) for unit in found_units)
    gone = {out.ref for out in settled.left_out}
    used = {one.ref: one for one in kept if one.ref not in gone}
    return Measured(found_units, seconds, (*left_out, *late, *unlike, *settled.left_out), used, settled.joined)


def unit_of(measured: MeasuredYield, level: str, blocks: tuple[str, ...]) -> Unit:
    """A measured planting as a unit of the comparison."""
    return Unit(
        measured.ref,
        measured.amount,
        measured.exposure,
        level,
        blocks,
        measured.plants,
        measured.vague_sd,
        measured.pieces,
    )


def baskets_of(row: PlantingFacts, question: Question) -> list[BasketPart]:
    """What of a planting's amount came in baskets shared with others."""
    shares = basket_shares(row.record, measure_named(question.by), question.grades)
    return [BasketPart(basket, share, parts) for basket, (share, parts) in shares.items()]


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
