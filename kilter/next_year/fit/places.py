"""What is planned place by place: pots that are planted alike together, and what does not go."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import groupby

from kilter.core.amounts.units import half_up
from kilter.core.fit.problem import SLOTS
from kilter.drawing.fitted import Block, LaneBlock, lane
from kilter.next_year.fit.shown import KINDS
from kilter.next_year.fit.spacing import plant_m2, plants_a_pot
from kilter.next_year.garden import Habit
from kilter.plans.models import HALVES, PlannedPlanting, begins_words
from kilter.set_out.wording import name_together

#: Whole plants take a little more or less than their share: square metres.
ROUND_M2 = 0.05


@dataclass(frozen=True)
class Planted:
    """One planned planting in words."""

    one: PlannedPlanting

    @property
    def words(self) -> str:
        variety = f" {self.one.variety.name}" if self.one.variety else ""
        plants = "1 plant" if self.one.plants == 1 else f"{self.one.plants} plants"
        part = f", {self.one.part}" if self.one.part else ""
        return (
            f"{self.one.crop.name}{variety}{part}: {plants}, {begins_words(self.one.start)} to "
            f"{HALVES[self.one.end]}"
        )


@dataclass(frozen=True)
class PlannedBar:
    """A planned planting as it is drawn in its lane."""

    one: PlannedPlanting
    block: Block
    words: str

    @property
    def length(self) -> int:
        """Half-months."""
        return self.one.end - self.one.start + 1


@dataclass(frozen=True)
class PlannedPlace:
    """One place, or pots that are planted alike."""

    name: str
    each: tuple[Planted, ...]  #: in one of them
    all: tuple[Planted, ...]
    problem: str
    bars: tuple[PlannedBar, ...]  #: of the first of them
    place: int  #: its key

    @property
    def count(self) -> int:
        return len(self.all) // max(len(self.each), 1)


def places_of(
    planned: Iterable[PlannedPlanting], habits: Mapping[int, Habit]
) -> list[PlannedPlace]:
    """Sort planned plantings by place;
    pots next to each other that are planted alike are told once.
    """
    order = sorted(
        planned,
        key=lambda p: (
            p.place.site_id,
            p.place.name,
            p.place.number or 0,
            p.place_id,
            p.start,
            p.pk,
        ),
    )
    by_place = [list(group) for _, group in groupby(order, key=lambda p: p.place_id)]
    found = []
    for _, alike in groupby(by_place, key=_alike):
        groups = list(alike)
        name = name_together((group[0].place, str(group[0].place)) for group in groups)
        everything = tuple(Planted(one) for group in groups for one in group)
        first = groups[0]
        each = tuple(Planted(one) for one in first)
        bars = _bars(first, habits)
        found.append(
            PlannedPlace(
                name, each, everything, what_is_wrong(first, habits), bars, first[0].place_id
            )
        )
    return found


def _alike(here: Sequence[PlannedPlanting]) -> tuple[object, ...]:
    """Beds are each by themselves."""
    said = tuple(
        (
            planting.crop_id,
            planting.variety_id,
            planting.plants,
            planting.start,
            planting.end,
            bool(planting.planting_id),
        )
        for planting in here
    )
    place = here[0].place
    return place.site_id, place.name, place.pk if place.is_bed else None, said


def _bars(here: Sequence[PlannedPlanting], habits: Mapping[int, Habit]) -> tuple[PlannedBar, ...]:
    """Drawn as high as the share of the place that they take."""
    place = here[0].place
    stands = []
    for planting in here:
        share = (
            1.0
            if not place.is_bed
            else planting.plants * plant_m2(planting.crop, habits) / (place.area_m2 or 1.0)
        )
        book = planting.crop.in_handbook
        series = KINDS.get(book.stands_in_as if book else "", 6)
        stands.append(
            LaneBlock(planting.start, planting.end, min(share, 1.0), str(planting.pk), series)
        )
    of_key = {str(planting.pk): planting for planting in here}
    return tuple(
        PlannedBar(of_key[block.says], block, Planted(of_key[block.says]).words)
        for block in lane(stands)
    )


def what_is_wrong(here: Sequence[PlannedPlanting], habits: Mapping[int, Habit]) -> str:
    """What is wrong with what is planned in one place, in words; empty where nothing is."""
    place = here[0].place
    for slot in range(SLOTS):
        there = [planting for planting in here if planting.start <= slot <= planting.end]
        if not place.is_bed and len(there) > 1:
            return f"{there[0].crop} and {there[1].crop} stand in it at once from {HALVES[slot]}"
        if (
            not place.is_bed
            and there
            and (holds := plants_a_pot(there[0].crop, place)) < there[0].plants
        ):
            return f"{there[0].plants} plants of {there[0].crop} are more than it holds ({holds})"
        if place.is_bed and place.area_m2 and (words := _too_much(there, place.area_m2, habits)):
            return f"from {HALVES[slot]} more stands {words}"
    return ""


def _too_much(there: Sequence[PlannedPlanting], area_m2: float, habits: Mapping[int, Habit]) -> str:
    """Of a bed or of one of its parts."""
    parts = {planting.part for planting in there} - {None}
    for part in (*parts, None):
        mine = [planting for planting in there if part is None or planting.part == part]
        plot = area_m2 * (1.0 if part is None else part.share_of(there[0].place))
        taken = sum(one.plants * plant_m2(one.crop, habits) for one in mine)
        if taken > plot + ROUND_M2:
            return (
                f"{'here' if part is None else f'in {part}'} than there is plot for: "
                f"{half_up(taken, 1)} of {half_up(plot, 1)} m²"
            )
    return ""
