"""Containers seen from the side and sections of beds, filled to what they gave."""

from __future__ import annotations

from dataclasses import dataclass

from kilter.core.trade.places import place_kind


@dataclass(frozen=True)
class Vessel:
    """Outline and fill as polygon points, with the box they stand in."""

    outline: str
    fill: str  #: empty where there is nothing in it
    x: float
    y: float
    width: float
    height: float


def vessel(
    x: float,
    y: float,
    width: float,
    height: float,
    *,
    kind: str = "",
    is_bed: bool = False,
    share: float = 0.0,
) -> Vessel:
    """Draw a vessel from its top left corner, filled to a share of its height."""
    taper = 0.0 if is_bed else place_kind(kind).taper
    inset = width * taper
    outline = [(x, y), (x + width, y), (x + width - inset, y + height), (x + inset, y + height)]
    share = min(max(share, 0.0), 1.0)
    top, edge = y + height * (1 - share), inset * (1 - share)
    fill = [(x + edge, top), (x + width - edge, top), outline[2], outline[3]] if share else []
    return Vessel(_points(outline), _points(fill), x, y, width, height)


def _points(corners: list[tuple[float, float]]) -> str:
    return " ".join(f"{px:.1f},{py:.1f}" for px, py in corners)
