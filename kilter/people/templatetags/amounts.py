"""Amounts in templates: each filter hands over to a tested function of the core."""

from __future__ import annotations

from django import template

from kilter.core.amounts.units import format_mass, kg_to

register = template.Library()


@register.filter
def mass(mass_mg: int | None, system: str) -> str:
    """Milligrams as text; nothing for a mass that is still to come."""
    return "" if mass_mg is None else format_mass(mass_mg, system)


@register.filter
def kg(mass_kg: float | None, system: str) -> str:
    """Kilograms as text, three figures."""
    if mass_kg is None:
        return ""
    figure, unit = kg_to(mass_kg, system)
    return f"{figure:.2f} {unit}" if figure < 10 else f"{figure:,.1f} {unit}"


@register.filter
def percent(share: float) -> str:
    """A share as whole percent."""
    return f"{share * 100:.0f} %"


@register.filter
def money(minor: float | None, currency: str) -> str:
    """Smallest coins as a price."""
    return "" if minor is None else f"{minor / 100:,.2f} {currency}"
