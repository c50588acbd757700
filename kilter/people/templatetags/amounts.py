"""Amounts in templates: each filter hands over to a tested function of the core."""

from __future__ import annotations

from django import template

from kilter.core.amounts.units import format_mass, half_up, kg_to
from kilter.core.larder.amount import much_words
from kilter.core.yields.harvest import GradeTotal
from kilter.core.yields.record import FoodSoFar

register = template.Library()


@register.filter
def mass(mass_mg: int | None, system: str) -> str:
    """Milligrams as text; nothing for a mass that is still to come."""
    return "" if mass_mg is None else format_mass(mass_mg, system)


@register.filter
def weighed(total: GradeTotal, system: str) -> str:
    """What lines weigh, ~ where part of it is reckoned from counts;
    what was not weighed is never 0.
    """
    if total.likely_mg is None:
        return "not weighed"
    figure = f"{'~' * bool(total.estimated)}{format_mass(round(total.likely_mg), system)}"
    return f"{figure}, part of it not weighed" if total.is_part_weighed else figure


@register.filter
def pieces(count: float | None) -> str:
    """So many pieces, to a tenth; nothing where none is known."""
    return "" if count is None else much_words(None, count)


@register.filter
def counted(total: GradeTotal) -> str:
    """How many pieces; what was not counted is never 0."""
    if total.known_count is None:
        return "not counted"
    return f"{total.known_count}{', part of it not counted' if total.uncounted else ''}"


@register.filter
def food(found: FoodSoFar, system: str) -> str:
    """The food of a planting so far, or what is known instead."""
    if not found.is_lifted:
        return "not lifted yet"
    if found.mass_mg is None:
        return "not weighed" if found.count is None else f"{found.count} counted, not weighed"
    figure = f"{'~' * found.is_estimated}{format_mass(round(found.mass_mg), system)}"
    return f"{figure}, part of it not weighed" if found.is_partly else figure


@register.filter
def kg(mass_kg: float | None, system: str) -> str:
    """Kilograms as text, three figures."""
    if mass_kg is None:
        return ""
    figure, unit = kg_to(mass_kg, system)
    return f"{half_up(figure, 2 if figure < 9.995 else 1):,} {unit}"


@register.filter
def shortly(mass_mg: int, system: str) -> str:
    """Milligrams as text of about three figures, for a line among others; tables have it all."""
    return (
        kg(mass_mg / 1e6, system)
        if abs(mass_mg) >= 1_000_000
        else mass(int(half_up(mass_mg / 1000, 0)) * 1000, system)
    )


@register.filter
def percent(share: float) -> str:
    """A share as whole percent."""
    return f"{half_up(share * 100, 0)} %"


@register.filter
def finer(share: float) -> str:
    """A share as percent with a decimal."""
    return f"{half_up(share * 100, 1)} %"


@register.filter
def money(minor: float | None, currency: str) -> str:
    """Smallest coins as a price."""
    return "" if minor is None else f"{half_up(minor / 100, 2):,} {currency}"


@register.filter
def own_mark(own: frozenset[str], name: str) -> str:
    """Beside a value that the household put in place of the handbook's."""
    return " (own)" if name in own else ""
