"""What the bench's events write: a line as it was said, checked against the planting,
the scale and what is usual.
"""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Sequence
from datetime import date, datetime
from typing import Any, TypeVar

from kilter.core.amounts.units import BenchLine, format_mass, parse_bench_line, parse_mass
from kilter.core.amounts.vague import VagueDate, format_date
from kilter.core.amounts.weighing import net_mass_mg, pile_on
from kilter.core.yields.costs import split_whole
from kilter.core.yields.visits import FIRST
from kilter.people import clock
from kilter.people.events import A_DAY, AskedError, Desk, Event, EventError
from kilter.people.history import Actor, changing
from kilter.people.models import Household
from kilter.set_out.models import Crop, CropSize, Planting
from kilter.weigh_in.guests import check_own, check_since
from kilter.weigh_in.models import (
    MAX_COUNT,
    Bowl,
    OwnMeasure,
    Scale,
    SplitBy,
    Striking,
    WeighIn,
)
from kilter.weigh_in.said import OTHERS, LineSaid, read_said
from kilter.weigh_in.usual import ask_if_too_much, ask_if_unusual
from kilter.weigh_in.visits import asks_of_day, last_visits, not_yet_there, plants_said

_Kept = TypeVar("_Kept", Scale, Bowl)
Line = Event[LineSaid]


def _known(actor: Actor, events: Collection[Line]) -> set[str]:
    """The ids of those events that are stored already,
    lines and strikings each in their own table.
    """
    writes = [event.client_id for event in events if event.said is not None]
    strikings = [event.client_id for event in events if event.said is None]
    known: set[str] = set()
    if writes:
        lines = WeighIn.objects.ever_of(actor.household).filter(client_id__in=writes)
        known.update(lines.values_list("client_id", flat=True))
    if strikings:
        stored = Striking.objects.filter(household=actor.household, client_id__in=strikings)
        known.update(stored.values_list("client_id", flat=True))
    return known


def _apply(actor: Actor, event: Line) -> None:
    if event.said is not None:
        _write(actor, event, event.said)
        return
    household = actor.household
    line = (
        WeighIn.objects.ever_of(household)
        .filter(client_id=event.target)
        .select_related("planting__place")
        .first()
    )
    if line is None:
        raise EventError("The line to strike is not here.")
    check_own(actor, line)
    is_struck = event.kind == "strike"
    strike_line(actor, line, event.at or clock.now(household), event.client_id, is_struck=is_struck)


#: Where the bench takes the lines of devices.
BENCH: Desk[LineSaid] = Desk(writes="write", read=read_said, known=_known, apply=_apply)


def strike_line(
    actor: Actor, line: WeighIn, at: datetime, client_id: str, *, is_struck: bool
) -> None:
    """Strike a line or put it back, with all lines of its basket; who and when are kept."""
    basket = (
        WeighIn.objects.ever_of(actor.household).filter(basket=line.basket) if line.basket else None
    )
    says = f"{'Struck' if is_struck else 'Put back'}: {_shown(line)} of {line.planting.place}."
    with changing(actor, says) as recorder:
        for one in basket or [line]:
            one.struck_at = at if is_struck else None
            recorder.save(one)
        Striking.objects.create(
            household=actor.household,
            client_id=client_id,
            line=line,
            is_struck=is_struck,
            at=at,
            by=actor.user,
        )


def _shown(line: WeighIn) -> str:
    amount = (
        format_mass(line.mass_mg) if line.mass_mg is not None else f"{line.count or ''}".strip()
    )
    return f"{line.get_grade_display()} {amount}".strip()


def _write(actor: Actor, event: Line, said: LineSaid) -> None:
    household = actor.household
    when = event.at or clock.now(household)
    check_since(actor, when.date())
    keys = _plantings(household, said, when.date())
    names = _own_measures(household, said.typed)
    line = parse_bench_line(said.typed, household.default_unit, list(names))
    if line.count is not None and line.count > MAX_COUNT:
        raise EventError(f"{line.count} is too many for one line; check the count.")
    scale = _owned(household, Scale, said.scale)
    if scale and scale.limit_mg and line.heaviest_mg > scale.limit_mg:
        raise EventError(
            f"The {scale} bears {scale.limit_words}; take it in several loads, such as 5000+3120, "
            "or choose another."
        )
    masses = _masses(household, event, said, line)
    basket = _of_basket(household, keys) if len(keys) > 1 else []
    visits = _visits(household, keys, when.date(), said)
    if not basket and not (said.is_sure or said.is_thinning or line.pm_mg is not None):
        ask_if_unusual(
            household,
            keys[0],
            said.grade,
            masses.get("mass_mg"),
            line.count,
            said.plants or plants_said(household, keys[0], when.date(), visits[keys[0]]),
        )
    elif basket and not said.is_sure:
        ask_if_too_much(household, basket, masses.get("mass_mg"))
    made = WeighIn(
        ref=event.client_id,
        client_id=event.client_id,
        household=household,
        planting_id=keys[0],
        weighed_on=when.date(),
        count=line.count,
        pm_mg=line.pm_mg,
        is_remembered=line.pm_mg is not None,
        waits=_waits(line, said, keys[0]),
        visit=visits[keys[0]],
        size=_size(household, said, keys),
        loads=line.loads,
        scale=scale,
        measure=names.get(line.measure),
        measures=line.measures,
        device=event.device,
        pile=event.pile,
        number_in_pile=event.number if event.pile else None,
        written_at=when,
        written_by=actor.user,
        **said.columns,
        **masses,
    )
    if basket:
        parts = _split(made, basket, event.client_id, said)
        for part in parts:
            part.visit = visits[part.planting_id]
        WeighIn.objects.bulk_create(parts)
    else:
        made.save(force_insert=True)


def _waits(line: BenchLine, said: LineSaid, planting: int) -> bool:
    """Whether a line is still to be weighed."""
    if line.mass is not None or line.measures is not None or said.is_never_weighed:
        return False
    return not Crop.objects.get(plantings=planting).counts_alone


def _plantings(household: Household, said: LineSaid, day: date) -> list[int]:
    """The planting of a line, or those of a basket in the order named: all of them must be the
    household's and stand.
    """
    wanted = [pk for pk in said.plantings or (said.planting,) if pk is not None]
    which = {"pk": wanted[0]} if len(wanted) == 1 else {"pk__in": wanted}
    # A line is written every few seconds: no more is read than tells whether the day is in doubt.
    columns = "pk", "season", "planted_on", "finished_on", "is_perennial"
    rows = {row[0]: row for row in Planting.objects.of(household, **which).values_list(*columns)}
    if not wanted or not rows.keys() >= set(wanted):
        raise EventError(
            "What was planted there has been removed; choose another pot for this line."
        )
    if day > clock.today(household) + A_DAY or day.year < min(row[1] for row in rows.values()) - 1:
        raise EventError(
            f"{format_date(VagueDate(day))} is not a day on which this can have been lifted; set "
            "the date of this device right."
        )
    doubted = [
        pk
        for pk, season, planted_on, finished_on, is_perennial in rows.values()
        if (planted_on and day < planted_on)
        or (finished_on and day > finished_on)
        or (day.year != season and not is_perennial)
    ]
    for planting in _of_basket(household, doubted) if doubted else ():
        if before := not_yet_there(planting, day):
            raise EventError(before)
        if not said.is_sure and (asked := asks_of_day(household, planting, day)):
            raise AskedError(asked)
    return wanted


def _visits(
    household: Household, keys: list[int], day: date, said: LineSaid
) -> dict[int, int | None]:
    """Which going there of that day a line of each planting belongs to: the one that is on, or one
    more where other plants are lifted. None for what devices kept before there were visits.
    """
    if not said.visit:
        return dict.fromkeys(keys)
    last = last_visits(household, keys, day)
    if said.visit == OTHERS:
        return {pk: last.get(pk, 0) + 1 for pk in keys}
    return {pk: last.get(pk, FIRST) for pk in keys}


def _size(household: Household, said: LineSaid, keys: list[int]) -> CropSize | None:
    """The size that a line is of, if it is one of its crop and grade; one that is gone is left
    out.
    """
    if said.size is None:
        return None
    crop = Planting.objects.of(household).filter(pk=keys[0]).values("crop_id")
    sizes = CropSize.objects.of(household).filter(crop__in=crop, grade=said.grade)
    return sizes.filter(pk=said.size).first()


def _of_basket(household: Household, keys: list[int]) -> list[Planting]:
    """The plantings of a basket, in the order named."""
    found = Planting.objects.of(household).select_related("crop", "place", "part").in_bulk(keys)
    return [found[pk] for pk in keys]


def _own_measures(household: Household, typed: str) -> dict[str, OwnMeasure]:
    """The own measures by name; none are asked for where the line ends in no word."""
    if not typed or not typed[-1].isalpha():
        return {}
    return {measure.name: measure for measure in OwnMeasure.objects.of(household)}


def _owned(household: Household, model: type[_Kept], pk: int | None) -> _Kept | None:
    """A scale or bowl if it is this household's; one that is gone is left out."""
    return None if pk is None else model.objects.ever_of(household).filter(pk=pk).first()


def _split(
    whole: WeighIn, plantings: list[Planting], client_id: str, said: LineSaid
) -> list[WeighIn]:
    """One line for each planting of a basket; their masses and counts sum to the whole exactly."""
    weights = split_weights(plantings, said.split_by or SplitBy.PLANTS, said.counts)
    parts: dict[str, Sequence[int | None]] = {}
    for name in ("mass_mg", "reading_mg", "count", "tare_mg", "pm_mg", "plants"):
        total = getattr(whole, name)
        parts[name] = split_whole(total, weights) if total is not None else [None] * len(plantings)
    if said.split_by == SplitBy.COUNT and whole.count in (None, sum(said.counts)):
        parts["count"] = said.counts
    lines = []
    for i, planting in enumerate(plantings):
        # The first keeps the event's own id, by which it is known; the others' follow from it.
        own = client_id if i == 0 else hashlib.sha256(f"{client_id}/{i}".encode()).hexdigest()[:32]
        values = {
            f.attname: getattr(whole, f.attname)
            for f in whole._meta.concrete_fields
            if f.attname != "id"
        }
        values |= {name: shares[i] for name, shares in parts.items()}
        values |= {"ref": own, "client_id": own, "planting_id": planting.pk}
        values |= {"basket": client_id, "split_by": said.split_by or SplitBy.PLANTS}
        lines.append(WeighIn(**values))
    return lines


def split_weights(
    plantings: Sequence[Planting], split_by: str, counts: Sequence[int]
) -> list[float]:
    """By what a basket is split over its plantings."""
    if split_by == SplitBy.COUNT:
        if len(counts) != len(plantings) or not sum(counts):
            raise EventError("To split by count, say how many of each there are.")
        return [float(count) for count in counts]
    found = []
    for planting in plantings:
        if split_by == SplitBy.AREA:
            area = planting.place.area_m2
            size = area * (planting.soil_share or 1.0) if area else None
            lack = "has no length and width"
        else:
            size, lack = planting.units, "has no number of plants"
        if not size:
            raise EventError(f"{planting.place} {lack}; split the basket another way.")
        found.append(float(size))
    return found


def _masses(household: Household, event: Line, said: LineSaid, line: BenchLine) -> dict[str, Any]:
    """Net mass from what the scale showed: less the tare of each load,
    or less the pile before it.
    """
    if line.mass is None:
        if event.pile:
            _last_reading_mg(household, event)
        return {}
    shown_mg = line.mass.mass_mg
    if event.pile:
        before = _last_reading_mg(household, event)
        return {"reading_mg": shown_mg, "mass_mg": pile_on([shown_mg], before).nets_mg[0]}
    if line.pm_mg is not None:
        return {"mass_mg": shown_mg}
    bowl = _owned(household, Bowl, said.bowl)
    tare_mg = bowl.mass_mg if bowl else 0
    if said.tare:
        tare_mg += parse_mass(said.tare, household.default_unit).mass_mg
    tare_mg *= line.loads
    return {
        "reading_mg": shown_mg,
        "tare_mg": tare_mg,
        "bowl": bowl,
        "mass_mg": net_mass_mg(shown_mg, tare_mg),
    }


def _last_reading_mg(household: Household, event: Line) -> int:
    """The last standing reading before this one, in its pile, on its device.

    A pile is taken in its own order: where the line before is missing, as one that was refused,
    no difference can be taken.
    """
    pile = WeighIn.objects.ever_of(household).filter(device=event.device, pile=event.pile)
    earlier = list(
        pile.filter(number_in_pile__lt=event.number)
        .order_by("-number_in_pile", "pk")
        .values_list("number_in_pile", "reading_mg", "struck_at")
    )
    if event.number > 1 and (not earlier or earlier[0][0] != event.number - 1):
        raise EventError("Fix the earlier line first.")
    by_number: dict[int, int] = {}
    for number, reading_mg, struck_at in earlier:
        if reading_mg is not None and struck_at is None:
            by_number[number] = by_number.get(number, 0) + reading_mg
    return by_number[max(by_number)] if by_number else 0
