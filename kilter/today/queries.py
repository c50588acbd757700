"""What to lift and in which order, what to do, what waits and what grows today."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from kilter.core.growing.almanac import Moon, moon_on
from kilter.core.growing.care import AHEAD_DAYS
from kilter.core.growing.ready import Liftable, Turn, lift_order
from kilter.core.handbook import Sign, ripe_signs
from kilter.core.yields.harvest import harvest
from kilter.next_year.dates import DatedJob as PlanJob
from kilter.next_year.dates import due
from kilter.people.models import Household
from kilter.records.left import left_of, left_together
from kilter.set_out.models import Planting
from kilter.set_out.queries import Lane, lanes, may_stand, with_all_names
from kilter.tending.queries import Task, tasks
from kilter.weather.queries import SiteSky, skies
from kilter.weigh_in.late import waiting_late
from kilter.weigh_in.lifts import Lifts, lifts_of
from kilter.weigh_in.models import WeighIn
from kilter.weigh_in.queries import waiting_lines


@dataclass(frozen=True)
class Growing:
    """A lane of plantings that stand."""

    lane: Lane
    age_days: int | None
    days_left: int | None  #: until the first lift is expected


@dataclass(frozen=True)
class ToLift:
    """A lane of plantings to be lifted, why, and what it may give."""

    lane: Lane
    turn: Turn
    age_days: int | None
    sign: Sign | None  #: the strongest sign to look for


@dataclass(frozen=True, kw_only=True)
class Today:
    """Everything on the sheet."""

    to_lift: tuple[ToLift, ...]  #: most urgent first
    held: tuple[Lane, ...]  #: cut back, to be lifted later
    tasks: tuple[Task, ...]
    from_plan: tuple[PlanJob, ...]  #: whose week has come
    growing: tuple[Growing, ...]
    planned: tuple[Lane, ...]
    waiting: tuple[WeighIn, ...]
    late: int  #: lines of guests that wait for an owner's yes or no
    has_plantings: bool
    moon: Moon | None
    kitchen_kg: float | None
    is_weather_simulated: (
        bool  #: frost and dry days are told by the station that ships, whose days are invented
    )


def today_sheet(household: Household, today: date, back_on: date | None = None) -> Today:
    """Sort what is in the ground by what it asks for, of whatever season;
    if nobody has time until a day, by then.
    """
    by_then = back_on or today
    standing = list(with_all_names(Planting.objects.of(household).filter(finished_on=None)))
    sky = skies(household, today)
    lifts = lifts_of(
        household, Planting.objects.of(household).filter(finished_on=None), is_by_day=True
    )
    planned: list[Lane] = []
    found: list[Lane] = []
    for lane in lanes(standing, today):
        is_ahead = lane.planted is not None and lane.planted.day > today
        (planned if is_ahead else found).append(lane)
    candidates = [
        _candidate(household, i, lane, sky, lifts, by_then) for i, lane in enumerate(found)
    ]
    turns = lift_order(candidates, household.kitchen_kg_per_week, today, back_on)
    asked = {turn.key for turn in turns}
    held = tuple(lane for lane in found if lane.first.lift_from and lane.first.lift_from > today)
    rest = [lane for i, lane in enumerate(found) if i not in asked and lane not in held]
    return Today(
        to_lift=tuple(
            ToLift(found[t.key], t, _age(found[t.key], today), _sign(found[t.key])) for t in turns
        ),
        held=held,
        tasks=tuple(
            tasks(household, standing, sky, today, max(AHEAD_DAYS, (by_then - today).days))
        ),
        from_plan=tuple(due(household, today)),
        growing=tuple(
            sorted(
                (_growing(lane, today) for lane in rest),
                key=lambda g: (g.days_left is None, g.days_left or 0),
            )
        ),
        planned=tuple(planned),
        waiting=tuple(waiting_lines(household)),
        late=waiting_late(household).count(),
        has_plantings=bool(standing),
        moon=moon_on(today) if household.is_moon_shown else None,
        kitchen_kg=household.kitchen_kg_per_week,
        is_weather_simulated=any(one.is_simulated for one in sky.values()),
    )


def _candidate(
    household: Household,
    key: int,
    lane: Lane,
    sky: dict[int, SiteSky],
    lifts: Lifts,
    today: date,
) -> Liftable:
    first, book = lane.first, lane.first.crop.in_handbook
    mine = [harvest(lifts[p.pk]) for p in lane.plantings if p.pk in lifts]
    left_kg = left_together(left_of(household, p, lifts.get(p.pk, ())) for p in lane.plantings).kg
    # What stays over years gives anew each year, and where a line has no weight nobody knows what
    # was lifted.
    is_unknown = first.is_perennial or any(
        t.is_part_weighed for one in mine for t in one.grades.values()
    )
    last = max((one.last for one in mine if one.last), default=None)
    site = sky.get(first.place.site_id)
    is_tender = (
        book is not None and book.frost == "tender" and first.place.site.shelter != "under glass"
    )
    return Liftable(
        key=key,
        state=lane.window.state(today) if lane.window else "growing",
        kg=None if is_unknown else left_kg or None,
        keep_weeks=book.keep_weeks if book else None,
        last_day=lane.window.last if lane.window else None,
        wait_until=first.lift_from,
        threat=site.threat if site and is_tender else "",
        days_unpicked=(today - last).days if last else None,
        pick_every=book.pick_every_days if book else None,
        is_standing=may_stand(first),
    )


def _sign(lane: Lane) -> Sign | None:
    book = lane.first.crop.in_handbook
    signs = ripe_signs().get(book.name, ()) if book else ()
    return next((sign for sign in signs if sign.worth == "strong"), signs[0] if signs else None)


def _age(lane: Lane, today: date) -> int | None:
    return (today - lane.planted.day).days if lane.planted else None


def _growing(lane: Lane, today: date) -> Growing:
    return Growing(
        lane, _age(lane, today), (lane.window.first - today).days if lane.window else None
    )
