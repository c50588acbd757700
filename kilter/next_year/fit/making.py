"""An order while it is put together:
each crop with every way in which it may stand somewhere for a time.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import timedelta

from kilter.core.fit.order import Foretold
from kilter.core.fit.problem import SLOTS, Option, Wanted
from kilter.core.plan.effects import Planned
from kilter.core.plan.when import Sowing
from kilter.next_year.fit.lasting import Lasting, lasting_of
from kilter.next_year.fit.option_days import OptionDays
from kilter.next_year.fit.plots import Grounds, PlotGround, slot_of
from kilter.next_year.fit.spacing import plant_m2, plants_a_pot
from kilter.next_year.fit.varieties import usually_together, varieties_of
from kilter.next_year.garden import Garden
from kilter.next_year.records import CropRecord, Worked
from kilter.next_year.rows import CropRow
from kilter.next_year.takes import BLOCK_CROPS, BLOCK_ROWS
from kilter.plans.models import PlannedPlanting, Spot
from kilter.set_out.models import Crop
from kilter.set_out.queries import family_of

#: What must be in the fit weighs so many times as much (rule).
MUST = 10
#: What stands tall enough to shade what is beside it (common practice, no source).
TALL = frozenset({"climbing bean", "sweet corn", "tomato", "sunchoke", "pea"})
#: One sowing may begin so many half-months later, as long as it is sensible (rule).
LATER = (0, 1, 2)
#: Why what stays over years is not fitted.
STAYS = "it stays where it stands, and none of it does yet"
#: A block of corn is so many plants at least: four rows of three (common practice, no source).
LEAST_BLOCK = BLOCK_ROWS * 3


class OrderInMaking:
    """An order while it is put together."""

    def __init__(
        self, shared: Garden, grounds: Grounds, spots: Sequence[Spot], stands: dict[int, int]
    ) -> None:
        self.shared, self.grounds, self.stands = shared, grounds.plots, stands
        self.only: dict[int, set[int]] = defaultdict(set)
        self.never: dict[int, set[int]] = defaultdict(set)
        for spot in spots:
            if spot.crop_id is not None and spot.place_id is not None:
                (self.only if spot.says == Spot.Says.ONLY else self.never)[spot.crop_id].add(
                    spot.place_id
                )
        self.rows: list[CropRow] = []
        self.needs_kg: list[float] = []
        self.wanted: list[Wanted] = []
        self.foretold: list[Foretold] = []
        self.options: list[Option] = []
        self.spots_of: list[int] = []
        self.windows: list[OptionDays] = []
        self.pinned: dict[int, float] = {}
        self.aside: list[tuple[str, str]] = []
        self.lasting: list[Lasting] = []

    def take(self, found: CropRow) -> None:
        """A crop with all its options, or why it has none."""
        why = self._why_not(found)
        if why == STAYS and (stands := lasting_of(found, self.shared.season)) is not None:
            self.lasting.append(stands)
        elif why:
            self.aside.append((found.crop.name, why))
        if why:
            return
        need_kg = need_of(found)
        still_kg = need_kg - planted_kg(found, self.stands)
        if still_kg <= 0:
            self.aside.append((found.crop.name, "enough of it is planted already"))
            return
        windows = [
            window for sowing in found.dates.sowings for window in self._windows(found, sowing)
        ]
        places = [
            (p, use)
            for p, ground in enumerate(self.grounds)
            if (use := self._use(found.crop, ground))
        ]
        if not places:
            self.aside.append((found.crop.name, "no place is left in which it may stand"))
            return
        self.needs_kg.append(need_kg)
        self._add(found, still_kg, windows, places)

    def _add(
        self,
        found: CropRow,
        need_kg: float,
        windows: list[OptionDays],
        places: list[tuple[int, float]],
    ) -> None:
        c, season = len(self.wanted), self.shared.season
        said, name = found.said, found.crop.name
        past = self.shared.past.get(found.crop.pk, CropRecord())
        varieties = varieties_of(
            past, [line.lot.variety for line in self.shared.lots.get(found.crop.pk, [])]
        )
        worked = self.shared.worked.get(found.crop.pk, Worked())
        spots: dict[Planned, int] = {}
        for variety, method in varieties:
            for p, use in places:
                spot = self._spot(past, variety, method, self.grounds[p], usually_together(past))
                at = spots.setdefault(spot, len(spots))
                for window in windows:
                    start, end = slot_of(window.begins, season), slot_of(window.lift_to, season)
                    self.options.append(
                        Option(
                            crop=c,
                            variety=variety,
                            plot=p,
                            start=start,
                            end=end,
                            use=use,
                            cost=worked.cost_minor or 0.0,
                            minutes=worked.minutes or 0.0,
                            water=worked.water_l or 0.0,
                        )
                    )
                    self.spots_of.append(at)
                    self.windows.append(window)
        book = found.crop.in_handbook
        self.rows.append(found)
        self.foretold.append(
            Foretold(
                past.grown,
                past.failed,
                past.setbacks,
                book.kg_per_plant if book else None,
                tuple(spots),
            )
        )
        self.wanted.append(
            Wanted(
                name=name,
                family=family_of(name),
                need_kg=need_kg,
                certainty=said.certainty / 100,
                weight=max(found.comes_first, 0.1) * (MUST if said.is_must else 1),
                min_block=LEAST_BLOCK if book is not None and book.name in BLOCK_CROPS else 0,
                variety_share=said.variety_share_percent / 100,
                site_share=said.site_share_percent / 100,
                is_tall=book is not None and book.name in TALL,
                is_low=book is None or book.name not in TALL,
            )
        )

    def _why_not(self, found: CropRow) -> str:
        book = found.crop.in_handbook
        # no number may be as sure as one asks; as much as fits is fitted all the same
        if found.needed.lift_kg is None or found.plants == 0 or found.one_plant is None:
            return found.problem or "nothing is wanted of it"
        if book is not None and book.is_lasting:
            return STAYS
        if not found.dates.sowings or all(sowing.lift_to is None for sowing in found.dates.sowings):
            return found.dates.problem or "its dates are not known"
        return ""

    def _windows(self, found: CropRow, sowing: Sowing) -> list[OptionDays]:
        """A sowing on its first day, and where it is the only one a little later too."""
        if sowing.lift_from is None or sowing.lift_to is None:
            return []
        on = found.dates.date_of
        found_ = [OptionDays(on(sowing.ground_from), on(sowing.lift_from), on(sowing.lift_to))]
        if len(found.dates.sowings) == 1 and sowing.kind != "autumn":
            for later in LATER[1:]:
                day = sowing.ground_from + round(later * 365 / SLOTS)
                if day <= sowing.ground_to:
                    moved = timedelta(days=day - sowing.ground_from)
                    first = found_[0]
                    found_.append(
                        OptionDays(
                            first.begins + moved, first.lift_from + moved, first.lift_to + moved
                        )
                    )
        return found_

    def _use(self, crop: Crop, ground: PlotGround) -> float:
        """Square metres a plant, or pots a plant; 0 where it may not stand."""
        here = {place.pk for place in ground.places}
        if self.only[crop.pk] and not here & self.only[crop.pk]:
            return 0.0
        if here & self.never[crop.pk]:
            return 0.0
        if ground.plot.is_pots:
            each = plants_a_pot(crop, ground.places[0])
            return 1 / each if each else 0.0
        return plant_m2(crop, self.shared.habits)

    def _spot(
        self, past: CropRecord, variety: str, method: str, ground: PlotGround, together: float
    ) -> Planned:
        """A place that the crop has stood in has a name; any other is like those of its site."""
        known = {one.as_planned.place for one in past.taken}
        names = [str(place) for place in ground.places if str(place) in known]
        label = names[0] if names and not ground.plot.is_pots else f"another at {ground.site}"
        return Planned(variety, method, label, together, ground.site)

    def pin(self, taken: Sequence[PlannedPlanting]) -> None:
        """What is said to stay as it is, where that option is still there."""
        crops = [found.crop.pk for found in self.rows]
        of_place: dict[tuple[int, int | None], int] = {
            (place.pk, ground.part.pk if ground.part else None): p
            for p, ground in enumerate(self.grounds)
            for place in ground.places
        }
        for (place, _), p in list(
            of_place.items()
        ):  # what says no part of a bed with parts stands in one of them
            of_place.setdefault((place, None), p)
        for planting in taken:
            at = of_place.get(
                (planting.place_id, planting.part_id), of_place.get((planting.place_id, None))
            )
            if (
                not planting.is_pinned
                or planting.planting_id
                or planting.crop_id not in crops
                or at is None
            ):
                continue
            c, p = crops.index(planting.crop_id), at
            variety = planting.variety.name if planting.variety else ""
            alike = [
                o for o, option in enumerate(self.options) if (option.crop, option.plot) == (c, p)
            ]
            if alike:
                at = min(
                    alike,
                    key=lambda o: (
                        self.options[o].variety != variety,
                        abs(self.options[o].start - planting.start)
                        + abs(self.options[o].end - planting.end),
                    ),
                )
                self.pinned[at] = self.pinned.get(at, 0.0) + planting.plants


def need_of(row: CropRow) -> float:
    """What is to be lifted; of one's own number or the rule's as much as that many give as surely
    as wanted.
    """
    assert row.one_plant is not None
    if row.follows_sure or row.plants is None:
        return row.needed.lift_kg or 0.0
    return row.one_plant.span_kg(row.plants, 1 - row.said.certainty / 100)[0]


def planted_kg(row: CropRow, planted: Mapping[int, int]) -> float:
    """What is set out already gives in the middle of the years; the fit looks for the rest."""
    return planted.get(row.crop.pk, 0) * (row.one_plant.median_kg if row.one_plant else 0.0)
