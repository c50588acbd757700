"""Yields per something in templates."""

from __future__ import annotations

from django import template

from kilter.core.amounts.units import format_mass, half_up
from kilter.core.amounts.weighing import is_doubt_shown
from kilter.core.yields.measures import MeasuredYield, measure_named
from kilter.weigh_up.answer.pictures import price_words, rate_figure, rate_unit
from kilter.weigh_up.answer.wording import percent

register = template.Library()

#: How the plants divided by are known, where they were not counted.
HOW_KNOWN = {"reckoned": ", reckoned from those set out", "set out": ", as set out"}


@register.filter
def rate(found: MeasuredYield, system: str) -> str:
    """A yield with its unit, and its doubt where that matters."""
    measure = measure_named(found.measure)
    doubt = (
        f" ± {rate_figure(found.rate_sd, measure, system)}"
        if is_doubt_shown(found.rate, found.rate_sd)
        else ""
    )
    words = f"{rate_figure(found.rate, measure, system)}{doubt}", rate_unit(measure, system)
    return " ".join(filter(None, (*words, price_words(found.rate, measure, system))))


@register.filter
def rate_from(found: MeasuredYield, system: str) -> str:
    """What was divided by what; nothing for what stands for itself, as days do."""
    measure = measure_named(found.measure)
    if measure.kind == "days":
        return ""
    amount = f"{found.amount:g}" if measure.is_count else format_mass(found.amount * 1e6, system)
    over = (
        format_mass(found.exposure * 1e6, system)
        if measure.kind == "share"
        else f"{found.exposure:.4g}"
    )
    return f"{amount} over {over}{HOW_KNOWN.get(found.plants_known_by, '')}"


@register.filter
def chance(share: float) -> str:
    """A chance, never rounded to a certainty either way."""
    return f"under {percent(0.01)}" if share < 0.005 else percent(share)


@register.filter
def as_gap(ratio: float) -> str:
    """A ratio above one as what it is more."""
    return (
        f"{ratio:.2g} times as much"
        if ratio >= 1.995
        else f"{half_up((ratio - 1) * 100, 0)}\u00a0%"
    )
