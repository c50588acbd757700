"""Look back: a season's page, a crop's page, the booklet, what hit where, places, decisions."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import render

from kilter.drawing.shelves import week_bars
from kilter.look_back.decisions import DecisionStanding, Helped, did_it_help, standing
from kilter.look_back.forms import SeasonForm
from kilter.look_back.pages import crop_sheets, glances, photos_of, weeks_read
from kilter.look_back.places import places_of
from kilter.look_back.review import Read, is_drafted, read_review, seasons_to_review
from kilter.look_back.season import Season
from kilter.look_back.setbacks import (
    BLIGHT,
    BLIGHT_CAUTION,
    maps_of,
    memory_of_places,
    over_the_years,
    setbacks_of,
    with_series,
)
from kilter.people import clock
from kilter.people.access import Who, page_for
from kilter.people.look import system_of
from kilter.people.middleware import HouseholdRequest
from kilter.set_out.models import Crop
from kilter.set_out.queries import seasons_of

#: Of so many decisions that were carried out it is told at once whether they helped; of others on
#: asking.
MOST_HELPED = 6


def season_asked(request: HouseholdRequest) -> int:
    """The season asked for; else this one, and until the end of March the one that is over."""
    form = SeasonForm(request.GET)
    today = clock.today(request.household)
    asked = form.cleaned_data.get("season") if form.is_valid() else None
    return asked or (today.year if today.month > 3 else today.year - 1)


def _frame(request: HouseholdRequest, year: int) -> dict[str, Any]:
    """What every page of the room shows."""
    this_year = clock.today(request.household).year
    years = [season for season in seasons_of(request.household, this_year) if season <= this_year]
    return {
        "season": year,
        "seasons": seasons_to_review(request.household, years),
        "may": request.membership.is_owner,
        "may_judge": request.membership.may_write,
    }


def _whole(request: HouseholdRequest, found: Read) -> dict[str, Any]:
    """A season's page: its crops at a glance, its lines, last year's decisions and this year's."""
    year = found.season.year
    weeks = weeks_read(found.season)
    stands = [one for one in standing(request.household) if one.decision.season in (year, year - 1)]
    decided = [one for one in stands if one.decision.season == year]
    before = [one for one in stands if one.decision.season == year - 1]
    each = glances(found, weeks, decided)
    most_mg = max((basket + bulk for _, basket, bulk in weeks.baskets), default=0)
    return {
        "baskets": week_bars(weeks.baskets, most_mg),
        "most_mg": most_mg,
        "found": found,
        "sheet": found.of_season(),
        "glances": each,
        "decided": decided,
        "before": [(one, _helped(request, one, n)) for n, one in enumerate(before)],
        "photos": photos_of(weeks),
        "weeks": weeks,
    }


def _helped(request: HouseholdRequest, one: DecisionStanding, n: int) -> Helped | None:
    """Whether it helped, where it was done."""
    return did_it_help(request.household, one.decision) if one.is_done and n < MOST_HELPED else None


@page_for(reads=Who.MEMBER)
def index(request: HouseholdRequest) -> HttpResponse:
    """The season on one page; where it is still to be drafted the page comes at once, and that
    follows.
    """
    year, system = season_asked(request), system_of(request)
    is_whole = (
        request.htmx
        or SeasonForm(request.GET).is_whole
        or is_drafted(request.household, year, system)
    )
    if not is_whole:
        return render(request, "look_back/index.html", _frame(request, year))
    found = read_review(request.household, year, system)
    template = "look_back/index_results.html" if request.htmx else "look_back/index.html"
    return render(request, template, _frame(request, year) | _whole(request, found))


@page_for(reads=Who.MEMBER, of=Crop)
def crop(request: HouseholdRequest, about: Crop) -> HttpResponse:
    """One crop's season on one page."""
    year = season_asked(request)
    found = read_review(request.household, year, system_of(request))
    decided = [one for one in standing(request.household) if one.decision.crop_id == about.pk]
    each = glances(
        found, weeks_read(found.season), [one for one in decided if one.decision.season == year]
    )
    sheet = next((one for one in crop_sheets(found, each) if one.crop == about), None)
    before = [one for one in decided if one.decision.season == year - 1]
    context = _frame(request, year) | {
        "found": found,
        "crop": about,
        "page": sheet,
        "before": [(one, _helped(request, one, n)) for n, one in enumerate(before)],
    }
    return render(request, "look_back/crop.html", context)


@page_for(reads=Who.MEMBER)
def booklet(request: HouseholdRequest) -> HttpResponse:
    """The season's page and a page for each crop, or one of these, as they are printed."""
    year, form = season_asked(request), SeasonForm(request.GET)
    asked = form.cleaned_data if form.is_valid() else {}
    found = read_review(request.household, year, system_of(request))
    context = _frame(request, year) | _whole(request, found)
    context |= {
        "sheets": crop_sheets(found, context["glances"]),
        "paper": asked.get("paper") or "a4",
    }
    if only := asked.get("crop"):
        context["sheets"] = [one for one in context["sheets"] if one.crop.pk == only]
        context["only"] = only
    return render(request, "look_back/booklet.html", context)


@page_for(reads=Who.MEMBER)
def setbacks(request: HouseholdRequest) -> HttpResponse:
    """What hit where in the season, and over the years."""
    year = season_asked(request)
    found = Season(request.household, year, system_of(request))
    hits = with_series(setbacks_of(found))
    context = _frame(request, year) | {
        "hits": hits,
        "maps": maps_of(found, hits),
        "kinds": over_the_years(found),
        "memory": memory_of_places(found),
        "caution": BLIGHT_CAUTION if any(BLIGHT in one.words.lower() for one, _ in hits) else "",
    }
    return render(request, "look_back/setbacks.html", context)


@page_for(reads=Who.MEMBER)
def places(request: HouseholdRequest) -> HttpResponse:
    """Each place's year, what did badly after what, and what had better not be put where."""
    year = season_asked(request)
    found = places_of(Season(request.household, year, system_of(request)))
    return render(request, "look_back/places.html", _frame(request, year) | {"places": found})


@page_for(reads=Who.MEMBER)
def all_decisions(request: HouseholdRequest) -> HttpResponse:
    """Every decision, newest season first, and where it stands."""
    stands = standing(request.household)
    context = _frame(request, season_asked(request)) | {
        "open": [one for one in stands if one.is_open],
        "others": [one for one in stands if not one.is_open],
    }
    return render(request, "look_back/decisions.html", context)
