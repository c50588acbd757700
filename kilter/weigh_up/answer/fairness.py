"""What else differed than what was asked about, from the plantings' records, and in words."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from django.urls import reverse
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from kilter.core.compare import Comparison
from kilter.core.compare.fairness import NOT_RECORDED, Imbalance, imbalances, unrolled
from kilter.core.yields.record import PlantingRecord, density_per_m2
from kilter.people.models import Household
from kilter.records.facts import PlantingFacts, levels_among
from kilter.tending.models import Happening
from kilter.tending.queries import happened_to_each
from kilter.weigh_up.question.question import Question
from kilter.weigh_up.varieties.models import Verdict


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
#: What only says which planting it is.
LABELS = frozenset({"place"})
#: So many plantings are named with each thing that differed.
MOST_NAMED = 24
#: Attributes that are judged by their figures instead.
AS_FIGURES = frozenset({"density", "volume"})
#: Methods whose levels are times, and so bring the time of planting with them.
METHODS_OF_TIME = frozenset({"setting", "set", "planting", "sowing", "sown", "planted", "time", "season"})
#: What holds for a planting that is not named, and by ref what for those that are.
Column = tuple[str | float, dict[str, str | float]]
#: How what happened is named among the rest: its kind, the share lost to it, a verdict of no fair chance.
HAPPENED, LOST, NO_CHANCE = "happened:", "lost", "no_chance"
ALSO_WORDS = {LOST: "% lost to what happened", NO_CHANCE: "had no fair chance, by your verdict"}
#: What goes with what is compared by its nature, and so is no unfairness of its own.
FOLLOWS = {
    "variety": {"lot"},
    "lot": {"variety"},
    "season": {"year_of_life", "lot", "before"},
    "crop": {"variety", "lot"},
    "place": {"site", "place_kind", "material", "part", "edge", "along", "light", "before", "volume_l"},
    "site": {"place", "light"},
    "volume": {"volume_l"},
    "planting_time": {"days", "last_lift", "moon", "moon_phase"},
    "density": {"units"},
    "edge": {"part", "along"},
    "along": {"part", "edge"},
    "place_kind": {"material", "volume_l"},
    "material": {"place_kind"},
    "part": {"light"},
    "kept_in": {"cured"},
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


@dataclass(frozen=True)
class Fairness:
    """What else differed, worst first: what may be part of the gap, and what only goes with what is compared."""

    unfair: tuple[Imbalance, ...] = ()
    goes_with: tuple[Imbalance, ...] = ()


def fairness_of(
    household: Household,
    comparison: Comparison,
    question: Question,
    words: Mapping[str, str],
    rows: Mapping[str, PlantingFacts],
    happened: Mapping[str, Column] | None = None,
) -> Fairness:
    """What else differed between the levels than what was asked about or held alike.

    Whoever judges many comparisons reads ``happened`` once for all of their plantings.
    """
    compared = {question.compare, question.second_factor} - {""}
    asked = {*compared, *question.within}
    follows = {name for one in compared for name in follows_of(one)}
    facts = [rows[unit.ref] for unit in comparison.units]
    # Attributes that are the same everywhere are skipped.
    names = [name for name in words if name not in asked | AS_FIGURES and len(levels_among(facts, name)) > 1]
    figures = {key: figure for key, (_, figure) in FIGURES.items() if key not in asked}
    if happened is None:
        happened = happened_to(household, facts)
    last_lifts = unrolled([_last_lift(fact.record) for fact in facts])
    columns: dict[str, Sequence[str | float | None]] = {
        **{name: [fact.attribute(name) for fact in facts] for name in names},
        **{key: [of(fact.record) for fact in facts] for key, of in figures.items() if key != "last_lift"},
        **({"last_lift": last_lifts} if "last_lift" in figures else {}),
        **{name: [of.get(u.ref, nothing) for u in comparison.units] for name, (nothing, of) in happened.items()},
    }
    units = [(unit.ref, unit.level) for unit in comparison.units]
    found = imbalances(units, columns, names=("variety", *happened), labels=LABELS)
    return Fairness(
        tuple(one for one in found if one.attribute not in follows),
        tuple(one for one in found if one.attribute in follows),
    )


def follows_of(compared: str) -> set[str]:
    """What goes with something by its nature; a method of planting in autumn or spring brings the times with it."""
    if compared.startswith("method:") and compared.removeprefix("method:").lower() in METHODS_OF_TIME:
        return {"planting_time", *FOLLOWS["planting_time"]}
    return FOLLOWS.get(compared, set())


def happened_to(
    household: Household, facts: Sequence[PlantingFacts], hits_of: Mapping[int, Sequence[Happening]] | None = None
) -> dict[str, Column]:
    """By what happened: what holds for a planting it did not happen to, and of those it did what does."""
    found: dict[str, Column] = {}
    of_planting = happened_to_each(household, {fact.pk for fact in facts}) if hits_of is None else hits_of
    verdicts = Verdict.objects.of(household).filter(kind=Verdict.Kind.ELSEWHERE)
    unlucky = set(verdicts.values_list("variety__crop__name", "variety__name", "season"))
    for fact in facts:
        ref, hits = fact.record.ref, list(of_planting.get(fact.pk, ()))
        if fact.is_perennial:
            hits = [one for one in hits if one.day.year <= fact.season <= (one.until or one.day).year]
        for one in hits:
            found.setdefault(HAPPENED + one.kind, ("no", {}))[1][ref] = "yes"
        if lost := min(sum(one.lost_share or 0.0 for one in hits), 1.0):
            found.setdefault(LOST, (0.0, {}))[1][ref] = lost * 100
        if (fact.attributes["crop"], fact.attributes["variety"], fact.season) in unlucky:
            found.setdefault(NO_CHANCE, ("no", {}))[1][ref] = "yes"
    return found


def word_of(attribute: str, words: Mapping[str, str]) -> str:
    """What a thing that differed is called."""
    if attribute.startswith(HAPPENED):
        return str(Happening.Kind(attribute.removeprefix(HAPPENED)).label)
    return words.get(attribute) or ALSO_WORDS.get(attribute) or FIGURES[attribute][0]


def in_words(found: tuple[Imbalance, ...], words: Mapping[str, str], rows: Mapping[str, PlantingFacts]) -> list[Unfair]:
    """Each difference as a gardener would say it."""
    return [
        Unfair(
            word_of(one.attribute, words),
            f"{_side(one, one.a, one.a_value, one.a_of)}, {_side(one, one.b, one.b_value, one.b_of)}",
            tuple(rows[ref] for ref in one.refs),
        )
        for one in found
    ]


def known_of_both(found: Iterable[Imbalance]) -> tuple[Imbalance, ...]:
    """What differed by the record, without what was written down of one side only."""
    return tuple(one for one in found if NOT_RECORDED not in (one.a_value, one.b_value))


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
