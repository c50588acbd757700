"""What to lift and in which order, what to do, what waits and what grows today."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from kilter.core.growing.almanac import Moon, moon_on
from kilter.core.growing.care import AHEAD_DAYS
from kilter.core.growing.clearing import FROST, LIFTED, Clears
from kilter.core.growing.ready import Liftable, Turn, lift_order
from kilter.core.handbook import Sign, ripe_signs
from kilter.core.yields.harvest import harvest
from kilter.core.yields.left import Left
from kilter.next_year.dates import DatedJob as PlanJob
from kilter.next_year.dates import due
from kilter.people.models import Household
from kilter.records.left import left_together, lefts_of
from kilter.records.nothing import YearToSay, years_to_say
from kilter.set_out.clearing import clearing_of
from kilter.set_out.models import Planting
from kilter.set_out.queries import Lane, lanes, may_stand, with_all_names
from kilter.set_out.wording import name_places
from kilter.tending.queries import Task, jobs_ahead, tasks
from kilter.weather.queries import SiteSky, skies
from kilter.weigh_in.late import waiting_late
from kilter.weigh_in.lifts import Lifts, lifts_of
from kilter.weigh_in.models import WeighIn
from kilter.weigh_in.queries import waiting_lines

#: What is lifted at once is overdue for so long before it is asked whether it is over (rule).
OVERDUE_DAYS = 28


@dataclass(frozen=True)
class Growing:
    """A lane of plantings that stand."""

    lane: Lane
    age_days: int | None
    days_left: int | None  #: until the first lift is expected; None once that has come
    stands: str  #: until when, in words


@dataclass(frozen=True)
class Over:
    """Plantings whose time is over and that nobody said to be finished."""

    label: str
    plantings: tuple[Planting, ...]
    clears: Clears
    why: str
    last_lift: date | None
    is_due: bool  #: its end has come

    @property
    def first(self) -> Planting:
        return self.plantings[0]

    @property
    def key(self) -> str:
        """Of all of them, as a form ticks them."""
        return ",".join(str(one.pk) for one in self.plantings)

    @property
    def places(self) -> str:
        return name_places(self.plantings)


@dataclass(frozen=True, kw_only=True)
class ToLift:
    """A lane of plantings to be lifted, why, and what it may give."""

    lane: Lane
    turn: Turn
    age_days: int | None
    sign: Sign | None  #: the strongest sign to look for
    clears: Clears  #: until when it stands
    stands: str  #: until when, in words
    left: Left  #: what it may still give


@dataclass(frozen=True, kw_only=True)
class Today:
    """Everything on the sheet."""

    to_lift: tuple[ToLift, ...]  #: most urgent first
    held: tuple[Lane, ...]  #: cut back, to be lifted later
    tasks: tuple[Task, ...]
    from_plan: tuple[PlanJob, ...]  #: whose week has come
    later: tuple[Task, ...]  #: jobs of the household's own that lie further ahead
    years_to_say: tuple[YearToSay, ...]  #: of lasting plantings, of which nothing is written
    growing: tuple[Growing, ...]
    over: tuple[Over, ...]  #: asked whether they are finished, what the frost ended first
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
    lefts = lefts_of(household, standing, lifts)
    planned: list[Lane] = []
    found: list[Lane] = []
    clearing = clearing_of(household)
    over = [one for one in standing if _is_over(clearing[one.pk], today)]
    for lane in lanes((one for one in standing if one not in over), today):
        is_ahead = lane.planted is not None and lane.planted.day > today
        (planned if is_ahead else found).append(lane)
    left = [left_together(lefts[one.pk] for one in lane.plantings) for lane in found]
    candidates = [
        _candidate(i, lane, sky, lifts, left[i].kg, by_then) for i, lane in enumerate(found)
    ]
    turns = lift_order(candidates, household.kitchen_kg_per_week, today, back_on)
    asked = {turn.key for turn in turns}
    held = tuple(lane for lane in found if lane.first.lift_from and lane.first.lift_from > today)
    rest = [lane for i, lane in enumerate(found) if i not in asked and lane not in held]
    return Today(
        to_lift=tuple(
            _to_lift(found[turn.key], turn, clearing, left[turn.key], today) for turn in turns
        ),
        held=held,
        tasks=tuple(
            tasks(household, standing, sky, today, max(AHEAD_DAYS, (by_then - today).days))
        ),
        from_plan=tuple(due(household, today)),
        later=tuple(jobs_ahead(household, today)),
        years_to_say=tuple(
            years_to_say(household, Planting.objects.of(household).filter(finished_on=None))
        ),
        over=_over(over, clearing, lifts, today),
        growing=tuple(
            sorted(
                (_growing(lane, clearing[lane.first.pk], today) for lane in rest),
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
    key: int,
    lane: Lane,
    sky: dict[int, SiteSky],
    lifts: Lifts,
    left_kg: float | None,
    today: date,
) -> Liftable:
    first, book = lane.first, lane.first.crop.in_handbook
    mine = [harvest(lifts[p.pk]) for p in lane.plantings if p.pk in lifts]
    last = max((one.last for one in mine if one.last), default=None)
    site = sky.get(first.place.site_id)
    is_tender = book is not None and book.frost == "tender" and not first.place.is_covered
    return Liftable(
        key=key,
        state=lane.window.state(today) if lane.window else "growing",
        kg=left_kg or None,
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


def _to_lift(
    lane: Lane, turn: Turn, clearing: Mapping[int, Clears], left: Left, today: date
) -> ToLift:
    clears = clearing[lane.first.pk]
    return ToLift(
        lane=lane,
        turn=turn,
        age_days=_age(lane, today),
        sign=_sign(lane),
        clears=clears,
        stands=clears.words(today),
        left=left,
    )


def _age(lane: Lane, today: date) -> int | None:
    return (today - lane.planted.day).days if lane.planted else None


def _growing(lane: Lane, clears: Clears, today: date) -> Growing:
    # What stays over years bears by its own calendar, not by days from its planting.
    due = None if lane.first.is_perennial else lane.window
    days_left = (due.first - today).days if due and due.first > today else None
    return Growing(lane, _age(lane, today), days_left, clears.words(today))


def _is_over(clears: Clears, today: date) -> bool:
    """Whether its day is past; what is lifted at once is first asked for as overdue."""
    if clears.day is None:
        return False
    return clears.is_by(today - timedelta(days=OVERDUE_DAYS * (clears.why == LIFTED)))


def ended_on(
    household: Household, plantings: Sequence[Planting], today: date
) -> dict[Planting, date]:
    """When each of some plantings ended: on its last lift, at its end before anything was lifted,
    and with a frost not before that.
    """
    of_these = Planting.objects.of(household).filter(pk__in=[one.pk for one in plantings])
    lifts, clearing = lifts_of(household, of_these, is_by_day=True), clearing_of(household)
    found = {}
    for one in plantings:
        clears = clearing[one.pk]
        ends = min(clears.day or today, today)
        last = max((lift.day for lift in lifts.get(one.pk, ()) if lift.day), default=None)
        found[one] = max(last or ends, ends) if clears.why == FROST or last is None else last
    return found


def _over(
    plantings: Iterable[Planting], clearing: Mapping[int, Clears], lifts: Lifts, today: date
) -> tuple[Over, ...]:
    found = grouped(plantings, clearing, lifts, today)
    return tuple(sorted(found, key=lambda one: (one.clears.why != FROST, one.clears.day)))


def grouped(
    plantings: Iterable[Planting], clearing: Mapping[int, Clears], lifts: Lifts, today: date
) -> list[Over]:
    """Plantings of one name, end and site together, with the last lift of any."""
    groups: dict[tuple[str, int, Clears], list[Planting]] = defaultdict(list)
    for one in plantings:
        groups[one.label, one.place.site_id, clearing[one.pk]].append(one)
    found = []
    for (label, _, clears), of_label in groups.items():
        days = [lift.day for one in of_label for lift in lifts.get(one.pk, ()) if lift.day]
        last = max(days, default=None)
        found.append(
            Over(label, tuple(of_label), clears, clears.words(today), last, clears.is_by(today))
        )
    return found
