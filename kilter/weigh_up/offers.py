"""Which questions the records can answer, and of the others what is missing."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from kilter.core.yields.measures import MEASURES, LeftOut, Measure, measure_yield
from kilter.records.facts import PlantingFacts, levels_among
from kilter.weigh_in.models import Grade
from kilter.weigh_up.questions import UPTO_WORDS, Question, QuestionForm

#: Two of a kind are the least that can be compared.
ENOUGH = 2


@dataclass(frozen=True)
class Offer:
    """One thing that may be picked in a gap, or why not."""

    key: str
    label: str
    reason: str = ""
    is_picked: bool = False


@dataclass(frozen=True)
class Gap:
    """One gap of the sentence."""

    name: str
    label: str
    offers: tuple[Offer, ...]
    none: str = ""  #: what an empty gap says, where several may be ticked

    @property
    def can(self) -> list[Offer]:
        return [offer for offer in self.offers if not offer.reason or offer.is_picked]

    @property
    def cannot(self) -> list[Offer]:
        return [offer for offer in self.offers if offer.reason and not offer.is_picked]

    @property
    def picked(self) -> list[str]:
        return [offer.label for offer in self.offers if offer.is_picked]


def gaps(form: QuestionForm, question: Question, rows: Sequence[PlantingFacts]) -> dict[str, Gap]:
    """Every gap with what can be asked of these rows."""
    known = [row for row in rows if row.record.finished_on is not None or question.upto]
    words = form.attributes
    missing = {name: _attribute(name, known) for name in words}
    attributes = [(name, word, missing[name]) for name, word in words.items()]
    plain = [("", "nothing else", "")]
    crops = [(crop.name, crop.name, "") for crop in form.fields["crop"].queryset]  # type: ignore[attr-defined]
    sites = [(site.ref, str(site), "") for site in form.fields["site"].queryset]  # type: ignore[attr-defined]
    seasons = [(str(year), str(label), "") for year, label in form.fields["season"].choices]  # type: ignore[attr-defined]
    return {
        gap.name: gap
        for gap in (
            _gap("compare", "what is compared", attributes, [question.compare]),
            _gap("also", "a second thing", [*plain, *attributes], [question.also]),
            _gap("by", "measure", _measures(known), [question.by]),
            _gap("grade", "grades", [(g, label, "") for g, label in Grade.choices], question.grades, _grades(question)),
            _gap("crop", "crops", crops, [crop.name for crop in question.crops], "all crops"),
            _gap("season", "seasons", seasons, map(str, question.seasons), "all seasons"),
            _gap("site", "sites", sites, question.sites, "all sites"),
            _gap("upto", "how far", [(key, word, "") for key, word in UPTO_WORDS.items()], [question.upto]),
            _gap("within", "like with like within", attributes, question.within, "nothing"),
        )
    }


def _grades(question: Question) -> str:
    return "hurt and lost" if MEASURES[question.by].kind == "share" else "what is food"


def _gap(name: str, label: str, options: Iterable[tuple[str, str, str]], picked: Iterable[str], none: str = "") -> Gap:
    chosen = set(picked)
    return Gap(name, label, tuple(Offer(key, word, why, key in chosen) for key, word, why in options), none)


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
            why = out if isinstance(out, str) else ""
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
