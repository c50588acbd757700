"""Places as the drawing of a ground needs them."""

from __future__ import annotations

from typing import Any

from kilter.drawing.ground_map import MapPlace
from kilter.ground.models import Place


def map_spot(place: Place, **more: Any) -> MapPlace:
    """A place that is on the map, with what is to be painted on it."""
    assert place.x_m is not None
    assert place.y_m is not None
    long_m, wide_m = place.length_m or place.diameter_m, place.width_m or place.diameter_m
    size: dict[str, Any] = {"length_m": long_m, "width_m": wide_m, "volume_l": place.volume_l}
    return MapPlace(
        pk=place.pk,
        label=str(place),
        kind=place.kind,
        is_bed=place.is_bed,
        x_m=place.x_m,
        y_m=place.y_m,
        **size,
        **more,
    )
