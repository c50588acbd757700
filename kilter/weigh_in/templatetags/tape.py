"""What a line of the tape says of its weight, decided here so that the template only prints it."""

from __future__ import annotations

from dataclasses import dataclass

from django import template

from kilter.core.amounts.units import format_mass
from kilter.weigh_in.models import WeighIn
from kilter.weigh_in.queries import TapeLine

register = template.Library()


@dataclass(frozen=True)
class LineWords:
    """The weight of a line in words."""

    before: str  #: own measures, where they stand for the weight
    figure: str
    is_soft: bool  #: reckoned, remembered, or still to come
    doubt: str
    notes: tuple[str, ...]


@register.simple_tag
def line_words(one: TapeLine, system: str) -> LineWords:
    """What a line weighs, how that is known, and what is open."""
    line = one.line
    measured = f"{line.measures:g} {line.measure}" if line.measures else ""
    if line.mass_mg is not None:
        doubt = f"± {format_mass(round(one.doubt_mg), system)}" if one.doubt_mg else ""
        notes = (measured, *_notes(line, system))
        return LineWords(
            "",
            format_mass(line.mass_mg, system),
            line.is_remembered,
            doubt,
            tuple(filter(None, notes)),
        )
    if one.estimate is None:
        return LineWords(
            measured, "waits" if line.waits else "counted", line.waits, "", _notes(line, system)
        )
    figure, sd_mg = (
        f"~{format_mass(round(one.estimate.mass_mg), system)}",
        round(one.estimate.sd_mg),
    )
    doubt = f"± {format_mass(sd_mg, system)}" if sd_mg else ""
    return LineWords(measured, figure, True, doubt, ("waits",) * line.waits + _notes(line, system))  # noqa: FBT003


def _notes(line: WeighIn, system: str) -> tuple[str, ...]:
    """How the weight came about, in small type."""
    tare = (
        f"less {format_mass(line.tare_mg, system)} {line.bowl or ''}".strip()
        if line.tare_mg
        else ""
    )
    said = (
        tare,
        "from memory" if line.is_remembered else "",
        f"split {line.get_split_by_display()}" if line.split_by else "",
        "off the shelf" if line.turned_from_id else "",
        f"{line.loads} loads" if line.loads > 1 else "",
        "corrected" if line.corrections else "",
    )
    return tuple(filter(None, said))
