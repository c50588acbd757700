"""What so many plants take, as a list of facts: each with its value,
and a note where it needs one.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from kilter.core.amounts.units import half_up
from kilter.next_year.takes import Takes
from kilter.people.templatetags.amounts import money


class Fact(NamedTuple):
    """One fact as it is shown."""

    label: str
    value: str
    note: str = ""


def facts_of(takes: Takes, currency: str) -> list[Fact]:
    """The facts that are known, in the order in which one asks for them."""
    return [fact for fact in _facts(takes, currency) if fact.value]


def _facts(takes: Takes, currency: str) -> Iterator[Fact]:
    yield Fact("Row", _row(takes))
    yield Fact("Ground", "" if not takes.area_m2 else f"{half_up(takes.area_m2, 1)} m²")
    yield Fact("Or containers", takes.vessels_said)
    yield Fact("Set out or sown", takes.pieces_said, takes.pieces_why)
    yield Fact("Spacing", takes.spacing)
    if takes.block:
        rows, each, inner = takes.block
        yield Fact(
            "As a block",
            f"{rows} rows of {each}",
            f"{half_up(inner * 100, 0)} % have neighbours all round; ears fill by wind",
        )
    yield Fact("Afterwards", takes.kept)
    if takes.medium_l and not takes.is_too_many:
        yield Fact("Medium, in containers", f"{half_up(takes.medium_l, 0)} L")
    yield Fact("Work, as it was", "" if not takes.minutes else f"{half_up(takes.minutes, 0)} min")
    yield Fact("Water, as it was", "" if not takes.water_l else f"{half_up(takes.water_l, 0)} L")
    yield Fact(
        "Money, as it was", "" if not takes.cost_minor else money(takes.cost_minor, currency)
    )


def _row(takes: Takes) -> str:
    if takes.row_m is None:
        return ""
    a_person = f", {half_up(takes.metres_a_person, 1)} m a person" if takes.metres_a_person else ""
    return f"{half_up(takes.row_m, 1)} m{a_person}"
