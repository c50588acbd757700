"""Which questions the records can answer, and of the others what is missing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from kilter.core.yields.lacks import Lack, LeftOut
from kilter.core.yields.measures import MEASURES, Measure, measure_yield
from kilter.records.facts import PlantingFacts, levels_among
from kilter.weigh_up.question.forms import QuestionForm
from kilter.weigh_up.question.gaps import GAPS, Gap, fixed_words
from kilter.weigh_up.question.question import Question

#: Two of a kind are the least that can be compared.
ENOUGH = 2


@dataclass(frozen=True)
class GapOffer:
    """One thing that may be picked in a gap, or why not."""

    key: str
    label: str
    reason: str = ""
    is_picked: bool = False


@dataclass(frozen=True)
class OfferedGap:
    """One gap of the sentence with what may stand in it."""

    name: str
    label: str
    offers: tuple[GapOffer, ...]
    none: str = ""  #: what an empty gap says, where several may be ticked
    problem: str = ""  #: why it cannot be asked so

    @property
    def can(self) -> list[GapOffer]:
        return [offer for offer in self.offers if not offer.reason or offer.is_picked]

    @property
    def cannot(self) -> list[GapOffer]:
        return [offer for offer in self.offers if offer.reason and not offer.is_picked]

    @property
    def picked(self) -> list[str]:
        return [offer.label for offer in self.offers if offer.is_picked]


def gaps(
    form: QuestionForm, question: Question, rows: Sequence[PlantingFacts]
) -> dict[str, OfferedGap]:
    """Every gap that stands in the sentence with what can be asked of these rows."""
    known = [row for row in rows if row.record.finished_on is not None or question.cut_off]
    missing = {name: _attribute(name, known) for name in form.attributes}
    return {gap.name: _offered(gap, form, question, known, missing) for gap in GAPS if gap.said}


def _offered(
    gap: Gap,
    form: QuestionForm,
    question: Question,
    known: Sequence[PlantingFacts],
    missing: Mapping[str, str],
) -> OfferedGap:
    picked = set(question.values(gap)) or ({""} if not gap.is_many else set())
    offers = [
        GapOffer(key, label, reason, key in picked)
        for key, label, reason in _options(gap, form, known, missing)
    ]
    none = "hurt and lost" if gap.kind == "grade" and question.by == "share_spoilt" else gap.none
    return OfferedGap(gap.name, gap.label, tuple(offers), none)


def _options(
    gap: Gap, form: QuestionForm, known: Sequence[PlantingFacts], missing: Mapping[str, str]
) -> list[tuple[str, str, str]]:
    """What may stand in a gap, in words, and of each why it cannot be asked; empty if it can."""
    match gap.kind:
        case "measure":
            return _measures(known)
        case "crop":
            return [(name, name, "") for name in form.records["crop"]]
        case "site":
            return [(ref, str(site), "") for ref, site in form.records["site"].items()]
        case "season":
            return [(str(year), str(year), "") for year in form.seasons]
        case "attribute":
            none = [] if gap.is_many or gap.is_needed else [("", "nothing else", "")]
            return [*none, *((name, word, missing[name]) for name, word in form.attributes.items())]
        case "grade":
            return [(key, word, "") for key, word in form.choices_of(gap)]
    return [(key, word, "") for key, word in fixed_words(gap.kind).items()]


def _attribute(name: str, rows: Sequence[PlantingFacts]) -> str:
    """Why an attribute cannot be compared, empty if it can."""
    seen = levels_among(rows, name) - {None}
    if len(seen) >= ENOUGH:
        return ""
    return f"only “{seen.pop()}” is written down" if seen else "not written down for any"


def _measures(rows: Sequence[PlantingFacts]) -> list[tuple[str, str, str]]:
    """Every measure in words, and why nothing can be measured so, empty if it can."""
    by_exposure: dict[object, str] = {}
    found = []
    for key, measure in MEASURES.items():
        # Weight and number per something have the same divisor, and so the same reason.
        asked: object = measure.exposure if measure.kind == "yield" else key
        if asked not in by_exposure:
            by_exposure[asked] = _measure(measure, rows)
        found.append((key, measure.words, by_exposure[asked]))
    return found


def _measure(measure: Measure, rows: Sequence[PlantingFacts]) -> str:
    """Why nothing can be measured so, empty if it can."""
    found, reason = 0, "nothing is finished yet"
    for row in rows:
        if measure.kind == "yield":
            out = measure.exposure(row.record)
            why = out.words if isinstance(out, Lack) else ""
        elif measure.kind == "days":
            why = ""  # it takes a query of its own to know; asking tells
        else:
            measured = measure_yield(row.record, measure.key)
            why = measured.reason if isinstance(measured, LeftOut) else ""
        if why:
            reason = why
            continue
        found += 1
        if found >= ENOUGH:
            return ""
    return reason
