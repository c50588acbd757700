"""Visits: on which day a planting can have been lifted, and from how many plants each time."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from datetime import date

from kilter.core.amounts.vague import VagueDate, format_date
from kilter.core.yields.visits import FIRST, PlantsSaid, plants_of_visits
from kilter.people.models import Household
from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn

#: Plants by planting, day and visit.
Visits = dict[tuple[int, date, int], int]


def plants_by_visit(lines: Iterable[WeighIn]) -> Visits:
    """From how many plants each visit lifted; lines in the order written, thinnings left out."""
    said: dict[tuple[int, date], list[PlantsSaid]] = defaultdict(list)
    for line in lines:
        if line.plants and not line.is_thinning:
            said[line.planting_id, line.weighed_on].append(
                PlantsSaid(visit=line.visit, grade=line.grade, plants=line.plants)
            )
    return {
        (pk, day, visit): plants
        for (pk, day), of_day in said.items()
        for visit, plants in plants_of_visits(of_day).items()
    }


def plants_said(household: Household, planting: int, day: date, visit: int | None) -> int | None:
    """From how many plants the lines of a visit say that they were lifted; None where none does."""
    lines = WeighIn.objects.of(household).filter(
        planting=planting, weighed_on=day, plants__gt=0, is_thinning=False
    )
    said = [
        PlantsSaid(visit=of, grade=grade, plants=plants)
        for of, grade, plants in lines.order_by("pk").values_list("visit", "grade", "plants")
    ]
    return plants_of_visits(said).get(visit or FIRST) if said else None


def last_visits(household: Household, plantings: list[int], day: date) -> dict[int, int]:
    """The visit that is on at each planting on a day, that of the line written last; without those
    that nothing was lifted of.
    """
    lines = WeighIn.objects.of(household).filter(weighed_on=day).order_by("-pk")
    found = {pk: lines.filter(planting=pk).values_list("visit")[:1] for pk in plantings}
    return {pk: row[0] or FIRST for pk, rows in found.items() for row in rows}


def not_yet_there(planting: Planting, day: date) -> str:
    """Why nothing of a planting can have been lifted on a day: it came later. Empty if it can."""
    planted = planting.planted
    if planted is None or day >= planted.earliest:
        return ""
    return (
        f"{planting} was set out {planted}; on {_shown(day)} it did not stand. Choose another day "
        "or planting, or edit the day it was set out."
    )


def asks_of_day(household: Household, planting: Planting, day: date) -> str:
    """What is asked of a line on a day when a planting was over, or the first one in a year that is
    not its season's; empty where nothing is.
    """
    if planting.finished_on is not None and day > planting.finished_on:
        return (
            f"{planting} was all lifted on {_shown(planting.finished_on)}. Is {_shown(day)} right?"
        )
    if planting.is_perennial or day.year == planting.season:
        return ""
    if WeighIn.objects.of(household).filter(planting=planting, weighed_on__year=day.year).exists():
        return ""
    return f"{planting} is of season {planting.season}. Is {_shown(day)} right?"


def day_asks(household: Household, planting: Planting, day: date) -> str:
    """What is to be said of a day at a planting before a line is written, if anything."""
    return not_yet_there(planting, day) or asks_of_day(household, planting, day)


def _shown(day: date) -> str:
    return format_date(VagueDate(day))
