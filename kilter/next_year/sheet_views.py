"""The sheets of a plan: calendar, shopping list, seed trays, all of it on one page."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.http import HttpResponse
from django.shortcuts import render

from kilter.drawing.chain import today_on, year_calendar
from kilter.next_year import sheets
from kilter.next_year.dates import plants_planned
from kilter.next_year.garden import garden
from kilter.next_year.rows import CropRow, as_planned, row
from kilter.next_year.views import of_plan, plan_asked
from kilter.people import clock
from kilter.people.access import Who, page_for
from kilter.people.downloads import as_download, as_table
from kilter.people.middleware import HouseholdRequest
from kilter.plans.models import Plan, Shelf
from kilter.set_out.models import Crop
from kilter.tending.queries import jobs_ahead


def _of(request: HouseholdRequest) -> tuple[Plan, list[CropRow], dict[str, Any]]:
    plan = plan_asked(request)
    shared = garden(request.household, plan)
    planned = plants_planned(plan)
    found = [as_planned(row(crop, shared), planned.get(crop.pk), shared) for crop in shared.crops]
    here = year_calendar(plan.season, is_southern=shared.is_southern)
    context = {
        "plan": plan,
        "of_plan": of_plan(plan),
        "rows": [one for one in found if one.plants],
        "months": here.months(),
        "today_x": today_on(here, shared.today),
        "currency": request.household.currency,
    }
    return plan, found, context


@page_for(reads=Who.MEMBER)
def calendar(request: HouseholdRequest) -> HttpResponse:
    """A year as lanes, and the same by week."""
    plan, found, context = _of(request)
    context |= {
        "weeks": sheets.weeks(found, plan),
        "own_jobs": jobs_ahead(request.household, clock.today(request.household)),
    }
    return render(request, "next_year/calendar.html", context)


@page_for(reads=Who.MEMBER)
def calendar_ics(request: HouseholdRequest) -> HttpResponse:
    """The calendar for other calendars."""
    plan, found, _ = _of(request)
    made = clock.now(request.household)
    return _download(
        sheets.as_ics(plan, sheets.jobs(found, plan), made),
        "text/calendar; charset=utf-8",
        plan,
        "calendar.ics",
    )


@page_for(reads=Who.MEMBER)
def calendar_csv(request: HouseholdRequest) -> HttpResponse:
    """The calendar as CSV."""
    plan, found, _ = _of(request)
    return as_table(
        request,
        plan.household,
        sheets.jobs_csv(sheets.jobs(found, plan)),
        f"plan {plan.season}",
        "calendar",
        name="calendar",
    )


@page_for(reads=Who.MEMBER)
def shopping(request: HouseholdRequest) -> HttpResponse:
    """What to get, what is in stock struck off."""
    plan, found, context = _of(request)
    lines = sheets.shopping(found)
    owned_l = sum(one.litres * one.count for one in garden(request.household, plan).vessels)
    prices = [line.price_minor for line in lines if line.price_minor is not None]
    fitted = plants_planned(plan)
    context["outside"] = [
        line.crop.name for line in lines if fitted and _is_outside(line.crop, fitted)
    ]
    context |= {
        "lines": lines,
        "price_minor": sum(prices) if prices else None,
        "medium_l": sheets.medium_l(found, owned_l),
    }
    return render(request, "next_year/shopping.html", context)


def _is_outside(crop: Crop, fitted: Mapping[int, int]) -> bool:
    """A crop that a fit could have placed, and did not; what stays over years is in none."""
    book = crop.in_handbook
    return crop.pk not in fitted and (book is None or not book.is_lasting)


@page_for(reads=Who.MEMBER)
def shopping_csv(request: HouseholdRequest) -> HttpResponse:
    """The shopping list as CSV."""
    plan, found, _ = _of(request)
    return as_table(
        request,
        plan.household,
        sheets.shopping_csv(sheets.shopping(found)),
        f"plan {plan.season}",
        "shopping",
        name="shopping",
    )


@page_for(reads=Who.MEMBER)
def trays(request: HouseholdRequest) -> HttpResponse:
    """What stands under lights, and whether the shelves hold it."""
    _, found, context = _of(request)
    shelves = list(Shelf.objects.of(request.household))
    raised = sheets.trays(found)
    context |= {
        "trays": raised,
        "weeks": sheets.tray_weeks(raised, shelves),
        "shelves": shelves,
        "room": sum(shelf.cells for shelf in shelves),
    }
    return render(request, "next_year/trays.html", context)


@page_for(reads=Who.MEMBER)
def trays_csv(request: HouseholdRequest) -> HttpResponse:
    """Seed trays as CSV."""
    plan, found, _ = _of(request)
    return as_table(
        request,
        plan.household,
        sheets.trays_csv(sheets.trays(found)),
        f"plan {plan.season}",
        "trays",
        name="trays",
    )


@page_for(reads=Who.MEMBER)
def sheet(request: HouseholdRequest) -> HttpResponse:
    """The plan on one page, to print."""
    _, _, context = _of(request)
    return render(request, "next_year/sheet.html", context)


def _table(request: HouseholdRequest, plan: Plan, text: str, name: str) -> HttpResponse:
    return as_table(request, plan.household, text, f"plan {plan.season}", name, name=name)


def _download(content: str | bytes, content_type: str, plan: Plan, name: str) -> HttpResponse:
    words, _, kind = name.partition(".")
    return as_download(
        plan.household, content, content_type, f"plan {plan.season}", words, kind=kind
    )
