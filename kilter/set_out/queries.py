"""Plantings of a season as lanes, their windows and standing; what is left of the seed lots."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from itertools import groupby

from django.db.models import Prefetch, Q, QuerySet

from kilter.core.amounts.vague import VagueDate
from kilter.core.errors import RecordError
from kilter.core.growing.growth import StandingPlants, germination_of, left_of_lot, standing
from kilter.core.growing.ready import LiftWindow, due_window
from kilter.core.handbook import Span, crop_called
from kilter.drawing.lanes import DrawnLane, calendar_of, drawn_lane
from kilter.drawing.scales import Tick
from kilter.people.models import Household
from kilter.set_out.models import (
    Crop,
    MethodTag,
    PlantCount,
    Planting,
    PlantingQuerySet,
    SeedLot,
    amount_words,
)
from kilter.set_out.wording import name_places


@dataclass(frozen=True)
class Lane:
    """Plantings alike in all but their place, as one lane over the weeks."""

    label: str
    places: str
    plantings: tuple[Planting, ...]
    window: LiftWindow | None

    @property
    def first(self) -> Planting:
        return self.plantings[0]

    @property
    def planted(self) -> VagueDate | None:
        return self.first.planted

    @property
    def finished_on(self) -> date | None:
        return self.first.finished_on

    @property
    def units(self) -> int:
        return sum(planting.units or 0 for planting in self.plantings)

    @property
    def amount(self) -> str:
        """All units together, with the doubt of each added up."""
        known = [planting for planting in self.plantings if planting.units is not None]
        doubt = sum(planting.units_pm or 0 for planting in known)
        return amount_words(self.units if known else None, doubt, self.first.unit_kind)


@dataclass(frozen=True)
class SeasonSheet:
    """A season's lanes, drawn."""

    lanes: tuple[tuple[Lane, DrawnLane], ...]
    months: tuple[Tick, ...]
    today_x: float | None
    plantings: tuple[Planting, ...]


@dataclass(frozen=True)
class LotLine:
    """A seed lot with what became of it."""

    lot: SeedLot
    sowings: tuple[tuple[Planting, int | None], ...]  #: each with what was left after it
    left: int | None
    unknown: int  #: sowings that do not say how much they took
    germination: float | None
    is_past: bool


def plantings_of(household: Household, season: int) -> QuerySet[Planting]:
    """A season's plantings with all their names, as they stand;
    perennials in every year they stood.
    """
    over_years = Q(is_perennial=True, season__lte=season) & (
        Q(finished_on=None) | Q(finished_on__year__gte=season)
    )
    return with_all_names(Planting.objects.of(household).filter(Q(season=season) | over_years))


def with_all_names(plantings: PlantingQuerySet) -> QuerySet[Planting]:
    """Plantings with places, crops, varieties, methods and counts, as they stand."""
    tags = Prefetch("methods", MethodTag.objects.order_by("name"))
    counts = Prefetch(
        "counts", PlantCount.objects.filter(struck_at=None), to_attr="standing_counts"
    )
    return plantings.with_names().prefetch_related(tags, counts).as_they_stand()


def set_out_with(planting: Planting) -> PlantingQuerySet:
    """The others of a set that were set out alike: the same crop and variety,
    in the same season, on the same day.
    """
    if planting.pk is None:
        return Planting.objects.none()
    place = planting.place
    alike = Planting.objects.of(planting.household).filter(
        crop=planting.crop_id, variety=planting.variety_id
    )
    alike = alike.filter(season=planting.season, planted_on=planting.planted_on).exclude(
        pk=planting.pk
    )
    found = alike.filter(place__site=place.site_id, place__name=place.name).exclude(
        place__number=None
    )
    return (found if place.number is not None else found.none()).with_names().as_they_stand()


def seasons_of(household: Household, current: int) -> list[int]:
    """All seasons on record and the current one, newest first."""
    known = Planting.objects.of(household).values_list("season", flat=True).order_by().distinct()
    return sorted({current, *known}, reverse=True)


def lanes(plantings: Iterable[Planting], today: date) -> list[Lane]:
    """Group plantings that differ only in their place."""

    def alike(p: Planting) -> tuple[str, ...]:
        tags = ";".join(str(tag) for tag in p.methods.all())
        return (
            p.crop.name,
            p.label,
            str(p.planted_on or ""),
            p.planted_precision,
            str(p.finished_on or ""),
            tags,
            p.unit_kind,
            str(p.lift_from or ""),
            f"{p.is_volunteer}{p.is_perennial}{p.kin_id}",
        )

    found = (list(group) for _, group in groupby(sorted(plantings, key=alike), key=alike))
    return [Lane(g[0].label, name_places(g), tuple(g), window_of(g[0], today)) for g in found]


def season_sheet(household: Household, season: int, today: date) -> SeasonSheet:
    """The plantings of a season as lanes over its weeks."""
    plantings = tuple(plantings_of(household, season))
    calendar = calendar_of(season, [p.planted_on for p in plantings if p.planted_on])
    drawn = []
    for lane in lanes(plantings, today):
        counts = [(c.kind, c.day) for p in lane.plantings for c in counts_of(p)]
        drawn.append(
            (lane, drawn_lane(calendar, lane.planted, lane.finished_on, today, lane.window, counts))
        )
    today_x = calendar.at(today) if calendar.start <= today <= calendar.end else None
    return SeasonSheet(tuple(drawn), calendar.months(), today_x, plantings)


def counts_of(planting: Planting) -> list[PlantCount]:
    """A planting's counts; from the page's own query where it made one."""
    if (known := getattr(planting, "standing_counts", None)) is not None:
        return list(known)
    return list(PlantCount.objects.filter(planting=planting, struck_at=None))


def standing_of(planting: Planting) -> StandingPlants:
    """What the counts of a planting come to; counts that contradict each other leave it unknown."""
    try:
        return standing(
            planting.units, [c.event for c in counts_of(planting)], is_seed=planting.is_sown
        )
    except RecordError:
        return StandingPlants(None, None, None, None, 0, 0)


def start_of(planting: Planting) -> VagueDate | None:
    """What days to the first lift are counted from:
    the sowing where the handbook does so and it is known.
    """
    crop = planting.crop.in_handbook
    if crop and crop.is_counted_from_sowing and not planting.is_sown:
        sown = min(
            (c for c in counts_of(planting) if c.kind == "sown"), key=lambda c: c.day, default=None
        )
        if sown is not None:
            return sown.when
    return planting.planted


def window_of(planting: Planting, today: date) -> LiftWindow | None:
    """When the first lift is expected, by the variety's own days or the handbook's."""
    variety, crop = planting.variety, planting.crop.in_handbook
    start, is_southern = start_of(planting), planting.place.site.is_southern
    if variety and variety.days_min and variety.days_max:
        days, autumn = Span(variety.days_min, variety.days_max), None
    elif crop is not None and crop.days is not None:
        days, autumn = crop.days, crop.autumn_days
    else:
        return None
    return due_window(start, days, autumn, today, is_southern=is_southern)


def may_stand(planting: Planting) -> bool:
    """Whether it may stay in the ground until it is wanted, and so is never overdue."""
    book = planting.crop.in_handbook
    return planting.is_perennial or (book is not None and book.is_standing)


def find_crop(household: Household, name: str) -> Crop | None:
    """A household's crop by its name in any case, one or many: peas are pea."""
    plain = " ".join(name.lower().split())
    forms = (plain, plain.removesuffix("s"), plain.removesuffix("es"), f"{plain}s", f"{plain}es")
    known = {crop.name.lower(): crop for crop in Crop.objects.of(household)}
    return next((known[form] for form in forms if form in known), None)


def family_of(crop: str) -> str:
    """A crop's botanical family by the handbook, else its own name."""
    known = crop_called(crop)
    return known.family if known else crop


def lot_lines(household: Household, today: date) -> list[LotLine]:
    """Every seed lot with its sowings; three queries."""
    sown = with_all_names(Planting.objects.of(household))
    lots = SeedLot.objects.of(household).select_related(
        "crop", "variety", "kept_from__place", "kept_from__crop"
    )
    found = []
    for lot in lots.prefetch_related(Prefetch("plantings", sown, to_attr="sowings")):
        in_time = sorted(lot.sowings, key=lambda s: (s.planted_on or date(s.season, 1, 1), s.pk))
        took = [s.units for s in in_time]
        after = [left_of_lot(lot.bought_count, took[: i + 1])[0] for i in range(len(took))]
        stands = [standing_of(s) for s in lot.sowings]
        left, unknown = left_of_lot(lot.bought_count, took)
        is_past = bool(lot.sow_by and lot.sow_by < today)
        found.append(
            LotLine(
                lot,
                tuple(zip(in_time, after, strict=True)),
                left,
                unknown,
                germination_of(stands),
                is_past,
            )
        )
    return found
