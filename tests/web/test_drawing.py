"""Geometry: what is drawn is to scale, where it stands, and never outside its sheet."""

from __future__ import annotations

from datetime import date

import pytest

from kilter.drawing.dial import FACES_KG, dial_face, dial_marks
from kilter.drawing.ground_map import MapPlace, ground_map
from kilter.drawing.lanes import WIDTH, calendar_of
from kilter.drawing.vessels import vessel


def points(text):
    return [tuple(float(v) for v in pair.split(",")) for pair in text.split()]


def spot(pk, label, x, y, **more):
    given = {
        "kind": "bed",
        "is_bed": True,
        "length_m": 4.0,
        "width_m": 1.0,
        "volume_l": None,
        **more,
    }
    return MapPlace(pk=pk, label=label, x_m=x, y_m=y, **given)


def box(place):
    """Left, top, right, bottom of a drawn place."""
    xs, ys = zip(*points(place.outline), strict=True)
    return min(xs), min(ys), max(xs), max(ys)


def test_the_map_is_to_scale_and_north_is_up():
    drawn = ground_map([spot(1, "south", 1, 0), spot(2, "north", 1, 3)], 10, 5)
    south, north = (box(place) for place in drawn.places)
    assert (south[2] - south[0]) / (south[3] - south[1]) == pytest.approx(4, rel=0.01)
    assert south[2] - south[0] == pytest.approx(4 * drawn.px_per_m, abs=0.2)
    assert north[1] < south[1]
    assert [tick.label for tick in drawn.strips[0].ticks][:2] == ["0 m", "1 m"]


@pytest.mark.parametrize("x", [-3.0, 0.0, 25.0])
def test_what_stands_outside_the_stated_site_is_still_drawn(x):
    drawn = ground_map([spot(1, "far", x, 1)], 10, 5)
    left, _, right, _ = box(drawn.places[0])
    assert left >= drawn.strips[0].x
    assert right <= drawn.width


def test_a_long_site_is_drawn_in_strips_that_cut_through_nothing():
    beds = [spot(i, f"Bed {i}", 0.8 + i * 5.6, 0.2, length_m=5.2) for i in range(5)]
    drawn = ground_map(beds, 38, 3.4)
    assert len(drawn.strips) == 2
    for place in drawn.places:
        left, top, right, bottom = box(place)
        assert any(
            s.x - 0.2 <= left
            and right <= s.x + s.width + 0.2
            and s.y <= top
            and bottom <= s.y + s.height + 0.2
            for s in drawn.strips
        )
    assert len(ground_map(beds, 38, 30).strips) == 1  # a broad site stays whole


def test_overlaps_are_named_and_touching_is_none():
    drawn = ground_map([spot(1, "a", 0, 0), spot(2, "b", 3.9, 0), spot(3, "c", 7.9, 0)], 20, 8)
    assert drawn.overlaps == (("a", "b"),)
    assert [place.overlaps for place in drawn.places] == [True, True, False]


@pytest.mark.parametrize(("side", "dx", "dy"), [("N", 0, -1), ("E", 1, 0), ("SW", -1, 1)])
def test_what_stands_high_shades_to_its_side_as_far_as_it_is_high(side, dx, dy):
    drawn = ground_map([spot(1, "beans", 4, 4, height_m=2.0, shade_side=side)], 12, 10)
    xs, ys = zip(*points(drawn.places[0].shade), strict=True)
    left, top, right, bottom = box(drawn.places[0])
    reach = 2 * drawn.px_per_m
    assert max(xs) - right == pytest.approx(max(dx, 0) * reach, abs=0.2)
    assert left - min(xs) == pytest.approx(max(-dx, 0) * reach, abs=0.2)
    assert top - min(ys) == pytest.approx(max(-dy, 0) * reach, abs=0.2)
    assert max(ys) - bottom == pytest.approx(max(dy, 0) * reach, abs=0.2)


def test_vessels_grow_with_their_litres_and_sets_are_named_once():
    small, large = (
        spot(
            i,
            f"Crock {i}",
            i,
            1,
            kind="crock",
            is_bed=False,
            length_m=None,
            width_m=None,
            volume_l=litres,
        )
        for i, litres in ((1, 10.0), (2, 80.0))
    )
    drawn = ground_map([small, large], 10, 5)
    widths = [box(place)[2] - box(place)[0] for place in drawn.places]
    assert widths[1] / widths[0] == pytest.approx(
        2, rel=0.02
    )  # eight times the litres, twice the width
    assert [label.text for label in drawn.sets] == ["Crock, 2"]
    assert [place.text for place in drawn.places] == ["1", "2"]


def test_an_empty_site_can_be_drawn():
    assert ground_map([], None, None).places == ()


@pytest.mark.parametrize(
    ("share", "filled"), [(0.0, 0.0), (0.5, 0.5), (1.0, 1.0), (1.7, 1.0), (-1.0, 0.0)]
)
def test_a_vessel_is_filled_to_its_share(share, filled):
    drawn = vessel(0, 0, 40, 80, kind="pot", share=share)
    if not filled:
        assert drawn.fill == ""
        return
    ys = [y for _, y in points(drawn.fill)]
    assert max(ys) - min(ys) == pytest.approx(80 * filled)


def test_forms_differ_and_a_bed_is_square():
    pot, crate, bed = (
        vessel(0, 0, 40, 80, kind=k, is_bed=b)
        for k, b in (("pot", False), ("crate", False), ("pot", True))
    )
    assert pot.outline != crate.outline == bed.outline


@pytest.mark.parametrize(("kg", "face"), [(0, 5), (5, 5), (5.001, 25), (99, 100), (400, 500)])
def test_the_dial_takes_the_smallest_face_that_holds_the_load(kg, face):
    found = dial_face(kg)
    assert found.labels[-1] == f"{face} kg"
    assert found.angle_deg == pytest.approx(kg / face * 270 - 135, abs=0.01)


def test_the_dial_stops_at_its_end_and_has_all_its_marks():
    assert dial_face(10 * FACES_KG[-1]).angle_deg == 135
    assert [mark.part for mark in dial_marks() if mark.part is not None] == [0, 1, 2, 3, 4, 5]


def test_lanes_run_from_planting_to_lifting():
    calendar = calendar_of(2026, [date(2025, 10, 20), date(2026, 3, 1)])
    assert calendar.start == date(2025, 10, 1)
    bar = calendar.stretch(date(2026, 1, 1), date(2026, 12, 31))
    assert bar.x + bar.width == pytest.approx(WIDTH)
    assert [tick.label for tick in calendar.months()][:4] == ["Oct", "Nov", "Dec", "Jan"]
    assert calendar.stretch(None, date(2026, 5, 1)) is None
    assert calendar.stretch(date(2027, 2, 1), date(2027, 3, 1)) is None
