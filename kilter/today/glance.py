"""The yard at a glance: what is to be lifted, threatened, waiting where;
the week's harvest; the coming nights.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta

from kilter.core.growing.ready import THREAT_C
from kilter.core.trade.grades import food_grades
from kilter.core.yields.harvest import by_day
from kilter.drawing.ground_map import GroundMap, Patch, ground_map
from kilter.ground.maps import map_spot
from kilter.ground.models import Place, Site
from kilter.people.models import Household
from kilter.set_out.models import Planting
from kilter.today.queries import Today
from kilter.weather.models import Day
from kilter.weigh_in.lifts import lifts_of
from kilter.weigh_in.models import WeighIn

#: Units of a map, which is drawn small and in one piece; pixels of the tallest bar of the week, and
#: from bar to bar.
MAP_PX, BAR_PX, BAR_W = 2400.0, 56.0, 34.0
WEEK = 7
#: What a place is painted for, the most urgent first: series, strength, words.
THREATENED = (3, 1.0, "threatened")
DUE = (4, 1.0, "to lift")
WAITS = (5, 1.0, "waits for the scale")
HELD = (2, 1.0, "cut back; lift later")
OVER = (1, 0.5, "past its day")
GROWS = (6, 0.3, "growing")
LEGEND = (THREATENED, DUE, WAITS, OVER, HELD, GROWS)


@dataclass(frozen=True)
class DayBar:
    """What was lifted on one day."""

    day: date
    kg: float
    x: float
    y: float
    height: float


@dataclass(frozen=True)
class Night:
    """A night to come at one site."""

    site: str
    day: date
    low_c: float

    @property
    def is_cold(self) -> bool:
        """It may bring frost to the ground."""
        return self.low_c <= THREAT_C


@dataclass(frozen=True)
class Glance:
    """All of it."""

    maps: tuple[tuple[Site, GroundMap, str], ...]  #: each with what it shows in words
    legend: tuple[tuple[int, float, str], ...]  #: of what is painted at all
    week: tuple[DayBar, ...]
    week_kg: float
    nights: tuple[Night, ...]

    @property
    def nights_at(self) -> str:
        """Where it is so cold."""
        sites = {night.site for night in self.nights}
        return (
            f"At {next(iter(sites))}." if len(sites) == 1 else "Each at the coldest of your sites."
        )


def glance_of(household: Household, sheet: Today, today: date) -> Glance:
    """Draw it from the sheet of the day; a fixed number of queries."""
    states = _states(sheet)
    by_site: dict[int, list[Place]] = defaultdict(list)
    for place in (
        Place.objects.of(household)
        .filter(x_m__isnull=False, y_m__isnull=False)
        .select_related("site")
        .in_order()
    ):
        by_site[place.site_id].append(place)
    maps = []
    for places in by_site.values():
        said = {place: states[place.pk] for place in places if place.pk in states}
        if said:
            spots = [
                map_spot(place, fill_share=1.0, patches=_patch(states.get(place.pk)))
                for place in places
            ]
            site = places[0].site
            words = "; ".join(
                f"{place}: {how[2]}" for place, (how, _) in said.items() if how is not GROWS
            )
            maps.append(
                (
                    site,
                    ground_map(spots, site.length_m, site.width_m, MAP_PX),
                    words or "nothing asks for you",
                )
            )
    shown = {how for how, _ in states.values()}
    week = _week(household, today)
    return Glance(
        tuple(maps),
        tuple(one for one in LEGEND if one in shown),
        week,
        sum(bar.kg for bar in week),
        _nights(household, today),
    )


_State = tuple[tuple[int, float, str], str]


def _states(sheet: Today) -> dict[int, _State]:
    """By place, its most urgent state and the crop that it is of."""
    found: dict[int, _State] = {}

    def say(how: tuple[int, float, str], plantings: Iterable[Planting]) -> None:
        for planting in plantings:
            now = found.get(planting.place_id)
            if now is None or LEGEND.index(how) < LEGEND.index(now[0]):
                found[planting.place_id] = how, str(planting.crop)

    for growing in sheet.growing:
        say(GROWS, growing.lane.plantings)
    for past in sheet.over:
        say(OVER, past.plantings)
    for lane in sheet.held:
        say(HELD, lane.plantings)
    say(WAITS, (line.planting for line in sheet.waiting))
    for entry in sheet.to_lift:
        say(THREATENED if entry.turn.is_threatened else DUE, entry.lane.plantings)
    return found


def _patch(state: _State | None) -> tuple[Patch, ...]:
    if state is None:
        return ()
    (series, strength, words), crop = state
    return (Patch(0.0, 1.0, series, strength=strength, label=f"{crop}, {words}"),)


def _week(household: Household, today: date) -> tuple[DayBar, ...]:
    """The food of each of the last seven days, as a planting's own page sums it."""
    since = today - timedelta(days=WEEK - 1)
    lines = WeighIn.objects.of(household).filter(weighed_on__gte=since, weighed_on__lte=today)
    lifted = Planting.objects.of(household).filter(pk__in=lines.values("planting"))
    crop_of = {one.pk: one.crop for one in lifted.select_related("crop")}
    kg: dict[date, float] = defaultdict(float)
    for pk, lifts in (lifts_of(household, lifted, is_by_day=True) if crop_of else {}).items():
        food = food_grades(is_small_food=crop_of[pk].is_small_eaten(household))
        for day, grades in by_day(lifts):
            kg[day] += sum(total.mass_mg for grade, total in grades.items() if grade in food) / 1e6
    most = max([1e-9, *(kg[since + timedelta(days=n)] for n in range(WEEK))])
    made = []
    for n in range(WEEK):
        day = since + timedelta(days=n)
        height = round(BAR_PX * kg[day] / most, 1) if kg[day] else 0.0
        made.append(DayBar(day, kg[day], n * BAR_W, round(BAR_PX - height, 1), height))
    return tuple(made)


def _nights(household: Household, today: date) -> tuple[Night, ...]:
    """The lows that a station tells of the coming nights, for the site that is coldest."""
    ahead = Day.objects.of(household).filter(
        is_ahead=True, day__gte=today, day__lt=today + timedelta(days=WEEK)
    )
    by_day: dict[date, Night] = {}
    for day, low_c, site in ahead.exclude(min_c=None).values_list("day", "min_c", "site__name"):
        if day not in by_day or low_c < by_day[day].low_c:
            by_day[day] = Night(site, day, low_c)
    return tuple(by_day[day] for day in sorted(by_day))
