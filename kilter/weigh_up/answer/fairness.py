"""What else differed than what was asked about, from the plantings' records, and in words."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from kilter.core.compare import Comparison
from kilter.core.compare.fairness import NOT_RECORDED, Imbalance, imbalances, unrolled
from kilter.people.models import Household
from kilter.records.facts import PlantingFacts, levels_among
from kilter.tending.models import Happening
from kilter.tending.queries import happened_to_each
from kilter.weigh_up.answer.differed import FIGURES, HAPPENED, LOST, NO_CHANCE, _last_lift
from kilter.weigh_up.question.question import Question
from kilter.weigh_up.varieties.models import Verdict

#: What only says which planting it is.
LABELS = frozenset({"place"})
#: Attributes that are judged by their figures instead.
AS_FIGURES = frozenset({"density", "volume"})
#: Methods whose levels are times, and so bring the time of planting with them.
METHODS_OF_TIME = frozenset(
    {"setting", "set", "planting", "sowing", "sown", "planted", "time", "season"}
)
#: What holds for a planting that is not named, and by ref what for those that are.
Column = tuple[str | float, dict[str, str | float]]
#: What goes with what is compared by its nature, and so is no unfairness of its own.
FOLLOWS = {
    "variety": {"lot"},
    "lot": {"variety"},
    "season": {"year_of_life", "lot", "before"},
    "crop": {"variety", "lot"},
    "place": {
        "site",
        "place_kind",
        "material",
        "part",
        "edge",
        "along",
        "light",
        "before",
        "volume_l",
    },
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
class Fairness:
    """What else differed, worst first: what may be part of the gap,
    and what only goes with what is compared.
    """

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
    names = [
        name
        for name in words
        if name not in asked | AS_FIGURES and len(levels_among(facts, name)) > 1
    ]
    figures = {key: figure for key, (_, figure) in FIGURES.items() if key not in asked}
    if happened is None:
        happened = happened_to(household, facts)
    last_lifts = unrolled([_last_lift(fact.record) for fact in facts])
    columns: dict[str, Sequence[str | float | None]] = {
        **{name: [fact.attribute(name) for fact in facts] for name in names},
        **{
            key: [of(fact.record) for fact in facts]
            for key, of in figures.items()
            if key != "last_lift"
        },
        **({"last_lift": last_lifts} if "last_lift" in figures else {}),
        **{
            name: [of.get(u.ref, nothing) for u in comparison.units]
            for name, (nothing, of) in happened.items()
        },
    }
    units = [(unit.ref, unit.level) for unit in comparison.units]
    found = imbalances(units, columns, names=("variety", *happened), labels=LABELS)
    return Fairness(
        tuple(imbalance for imbalance in found if imbalance.attribute not in follows),
        tuple(imbalance for imbalance in found if imbalance.attribute in follows),
    )


def follows_of(compared: str) -> set[str]:
    """What goes with something by its nature;
    a method of planting in autumn or spring brings the times with it.
    """
    if (
        compared.startswith("method:")
        and compared.removeprefix("method:").lower() in METHODS_OF_TIME
    ):
        return {"planting_time", *FOLLOWS["planting_time"]}
    return FOLLOWS.get(compared, set())


def happened_to(
    household: Household,
    facts: Sequence[PlantingFacts],
    hits_of: Mapping[int, Sequence[Happening]] | None = None,
) -> dict[str, Column]:
    """By what happened: what holds for a planting it did not happen to,
    and of those it did what does.
    """
    found: dict[str, Column] = {}
    of_planting = (
        happened_to_each(household, {fact.pk for fact in facts}) if hits_of is None else hits_of
    )
    verdicts = Verdict.objects.of(household).filter(kind=Verdict.Kind.ELSEWHERE)
    unlucky = set(verdicts.values_list("variety__crop__name", "variety__name", "season"))
    for fact in facts:
        ref, hits = fact.record.ref, list(of_planting.get(fact.pk, ()))
        if fact.is_perennial:
            hits = [
                one for one in hits if one.day.year <= fact.season <= (one.until or one.day).year
            ]
        for one in hits:
            found.setdefault(HAPPENED + one.kind, ("no", {}))[1][ref] = "yes"
        if lost := min(sum(one.lost_share or 0.0 for one in hits), 1.0):
            found.setdefault(LOST, (0.0, {}))[1][ref] = lost * 100
        if (fact.attributes["crop"], fact.attributes["variety"], fact.season) in unlucky:
            found.setdefault(NO_CHANCE, ("no", {}))[1][ref] = "yes"
    return found


def known_of_both(found: Iterable[Imbalance]) -> tuple[Imbalance, ...]:
    """What differed by the record, without what was written down of one side only."""
    return tuple(
        imbalance
        for imbalance in found
        if NOT_RECORDED not in (imbalance.a_value, imbalance.b_value)
    )
