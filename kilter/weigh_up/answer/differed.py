"""What differed between the levels, in words and with the plantings concerned."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date

from django.urls import reverse
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from kilter.core.compare.fairness import NOT_RECORDED, Imbalance
from kilter.core.yields.record import PlantingRecord, density_per_m2
from kilter.records.facts import PlantingFacts
from kilter.tending.models import Happening


def _days(record: PlantingRecord) -> float | None:
    return (
        (record.finished_on - record.planted_on).days
        if record.finished_on and record.planted_on
        else None
    )


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
#: How what happened is named among the rest: its kind, the share lost to it, a verdict of no fair
#: chance.
HAPPENED, LOST, NO_CHANCE = "happened:", "lost", "no_chance"
ALSO_WORDS = {LOST: "% lost to what happened", NO_CHANCE: "had no fair chance, by your verdict"}


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
        links = format_html_join(
            ", ", '<a href="{}{}">{} {}</a>', ((sheet, f.pk, f.place, f.season) for f in shown)
        )
        return format_html("{} and {} more", links, rest) if rest else links


def word_of(attribute: str, words: Mapping[str, str]) -> str:
    """What a thing that differed is called."""
    if attribute.startswith(HAPPENED):
        return str(Happening.Kind(attribute.removeprefix(HAPPENED)).label)
    return words.get(attribute) or ALSO_WORDS.get(attribute) or FIGURES[attribute][0]


def in_words(
    found: tuple[Imbalance, ...], words: Mapping[str, str], rows: Mapping[str, PlantingFacts]
) -> list[Unfair]:
    """Each difference as a gardener would say it."""
    return [
        Unfair(
            word_of(imbalance.attribute, words),
            (
                f"{_side(imbalance, imbalance.a, imbalance.a_value, imbalance.a_of)}, "
                f"{_side(imbalance, imbalance.b, imbalance.b_value, imbalance.b_of)}"
            ),
            tuple(rows[ref] for ref in imbalance.refs),
        )
        for imbalance in found
    ]


def _side(one: Imbalance, level: str, value: str | float, of: tuple[int, int]) -> str:
    if one.is_number:
        return f"{_number(one.attribute, float(value))} for ‘{level}’"
    shown = NOT_RECORDED if value == NOT_RECORDED else f"“{value}”"
    return f"{shown} for {of[0]} of {of[1]} of ‘{level}’"


def _number(attribute: str, value: float) -> str:
    if attribute == "last_lift":
        day = date.fromordinal(date(2026, 1, 1).toordinal() + round(value - 1) % 365)
        return f"{day.day} {day:%B} in the middle"
    return f"{value:.3g} in the middle"
