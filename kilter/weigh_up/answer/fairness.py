"""What else differed than what was asked about, from the plantings' records, and in words."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date

from django.urls import reverse
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from kilter.core.compare import Comparison
from kilter.core.compare.fairness import NOT_RECORDED, Imbalance, Witness, imbalances
from kilter.core.yields.record import PlantingRecord, density_per_m2
from kilter.records.facts import PlantingFacts, levels_among
from kilter.weigh_up.question.question import Question


def _days(record: PlantingRecord) -> float | None:
    return (record.finished_on - record.planted_on).days if record.finished_on and record.planted_on else None


def _last_lift(record: PlantingRecord) -> float | None:
    return record.finished_on.timetuple().tm_yday if record.finished_on else None


#: Figures of a planting that may differ between levels, in words.
FIGURES: dict[str, tuple[str, Callable[[PlantingRecord], float | None]]] = {
    "units": ("number set out", lambda record: record.units),
    "density": ("plants per square metre", density_per_m2),
    "volume_l": ("litres of medium", lambda record: record.place_volume_l),
    "minutes": ("minutes of work", lambda record: record.minutes),
    "water_l": ("litres of water", lambda record: record.water_l),
    "days": ("days in the ground", _days),
    "last_lift": ("last lift", _last_lift),
}
#: So many plantings are named with each thing that differed.
MOST_NAMED = 24
#: Attributes that are judged by their figures instead.
AS_FIGURES = frozenset({"density", "volume"})
#: What goes with what is compared by its nature, and so is no unfairness of its own.
FOLLOWS = {
    "variety": {"lot"},
    "lot": {"variety"},
    "season": {"year_of_life", "lot", "before"},
    "crop": {"variety", "lot"},
    "place": {"site", "place_kind", "material", "part", "edge", "along", "light", "before", "volume_l"},
    "site": {"place", "light"},
    "volume": {"volume_l"},
    "planting_time": {"days", "last_lift"},
    "density": {"units"},
    "edge": {"part", "along"},
    "along": {"part", "edge"},
    "place_kind": {"material", "volume_l"},
    "material": {"place_kind"},
    "part": {"light"},
    "moon": {"moon_phase"},
    "moon_phase": {"moon"},
}


@dataclass(frozen=True)
class Unfair:
    """One thing that differed, in words, with the plantings concerned."""

    what: str
    words: str
    facts: tuple[PlantingFacts, ...]

    @property
    def links(self) -> SafeString:
        """The plantings concerned; of very many the first ones, and how many more."""
        sheet = reverse("set_out:index")
        shown = self.facts[:MOST_NAMED]
        rest = len(self.facts) - len(shown)
        links = format_html_join(", ", '<a href="{}{}">{} {}</a>', ((sheet, f.pk, f.place, f.season) for f in shown))
        return format_html("{} and {} more", links, rest) if rest else links


def fairness_of(
    comparison: Comparison, question: Question, words: Mapping[str, str], rows: dict[str, PlantingFacts]
) -> tuple[Imbalance, ...]:
    """What else differed between the levels than what was asked about or held alike, worst first."""
    compared = {question.compare, question.second_factor} - {""}
    passed = {*compared, *question.within, *AS_FIGURES, *(name for one in compared for name in FOLLOWS.get(one, ()))}
    names = [name for name in words if name not in passed]
    figures = {key: figure for key, (_, figure) in FIGURES.items() if key not in passed}
    facts = [rows[unit.ref] for unit in comparison.units]
    # What is the same for all needs no judging, and most is.
    names = [name for name in names if len(levels_among(facts, name)) > 1]
    witnesses = []
    for unit, fact in zip(comparison.units, facts, strict=True):
        values: dict[str, str | float | None] = {name: fact.attribute(name) for name in names}
        values.update((key, of(fact.record)) for key, of in figures.items())
        witnesses.append(Witness(unit.ref, unit.level, values))
    return imbalances(witnesses, [*names, *figures])


def in_words(found: tuple[Imbalance, ...], words: Mapping[str, str], rows: dict[str, PlantingFacts]) -> list[Unfair]:
    """Each difference as a gardener would say it."""
    return [
        Unfair(
            words.get(one.attribute) or FIGURES[one.attribute][0],
            f"{_side(one, one.a, one.a_value, one.a_of)}, {_side(one, one.b, one.b_value, one.b_of)}",
            tuple(rows[ref] for ref in one.refs),
        )
        for one in found
    ]


def _side(one: Imbalance, level: str, value: str | float, of: tuple[int, int]) -> str:
    if one.is_number:
        return f"{_number(one.attribute, float(value))} for ‘{level}’"
    shown = NOT_RECORDED if value == NOT_RECORDED else f"“{value}”"
    return f"{shown} for {of[0]} of {of[1]} of ‘{level}’"


def _number(attribute: str, value: float) -> str:
    if attribute == "last_lift":
        day = date.fromordinal(date(2026, 1, 1).toordinal() + round(value) - 1)
        return f"{day.day} {day:%B} in the middle"
    return f"{value:.3g} in the middle"
