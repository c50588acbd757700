"""Larder: stores, prices and costs, whether there was enough, trimming,
the weeks and the account.
"""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from kilter.drawing.shelves import week_bars
from kilter.larder.account import account
from kilter.larder.forms import (
    BulkForm,
    ExpenseForm,
    PriceForm,
    StoreForm,
    SupplyForm,
    TrimmingForm,
    season_of,
)
from kilter.larder.learnt import learnt
from kilter.larder.ledger import fresh_days, larder
from kilter.larder.models import Bulk, Expense, Price, Store, Supply, Trimming
from kilter.larder.pages import cautions, shown_drawdown, shown_went
from kilter.larder.planned import planned_uses
from kilter.larder.store_losses import losses_of, losses_of_crop
from kilter.larder.weeks import weeks_of
from kilter.larder.went import went
from kilter.people import clock
from kilter.people.access import Who, page_for
from kilter.people.actions import save_owned
from kilter.people.look import system_of
from kilter.people.middleware import HouseholdRequest
from kilter.people.records import RecordPage, RecordPages
from kilter.people.undo import flash_change
from kilter.set_out.models import Crop
from kilter.set_out.queries import seasons_of


@page_for(reads=Who.MEMBER)
def stores(request: HouseholdRequest) -> HttpResponse:
    """The stores."""
    return render(
        request, "larder/stores.html", {"stores": list(Store.objects.of(request.household))}
    )


@page_for(reads=Who.MEMBER, of=Crop)
def crop(request: HouseholdRequest, found: Crop) -> HttpResponse:
    """One crop through the seasons: where each went, how long it lasted, what it loses in store."""
    household, system = request.household, system_of(request)
    seasons = seasons_of(household, clock.today(household).year)
    read = larder(household, seasons, {found.pk})
    shown = [shown_went(one, system) for one in went(read, seasons) if one.crop.pk == found.pk]
    losses = losses_of(household)
    wanted = planned_uses(household, seasons)
    keys = [(found.pk, one.went.season) for one in shown]
    drawn = [(key[1], shown_drawdown(read, key, losses, system, wanted.get(key))) for key in keys]
    lines = [(season, line) for season, line in drawn if line is not None]
    context = {
        "crop": found,
        "went": shown,
        "lines": lines,
        "losses": [(kind, loss) for kind, loss in losses_of_crop(losses, found)],
        "fresh_days": fresh_days(found),
        "learnt": learnt(household, [found], losses).get(found.pk),
        "trimmings": list(Trimming.objects.of(household).filter(crop=found)),
        "supplies": list(Supply.objects.of(household).filter(crop=found)),
        "cautions": cautions(found, {crate.crate.state for crate in read.crates.values()}),
    }
    return render(request, "larder/crop.html", context)


@page_for(reads=Who.MEMBER)
def weeks(request: HouseholdRequest) -> HttpResponse:
    """The harvest week by week."""
    household, this_year = request.household, clock.today(request.household).year
    found = weeks_of(household, season_of(request.GET, this_year))
    drawn = [(one, week_bars(one.weeks, one.most_mg)) for one in found.crops]
    most = max((basket + bulk for _, basket, bulk in found.baskets), default=0)
    context = {
        "found": found,
        "drawn": drawn,
        "all_bars": week_bars(found.baskets, most),
        "most_mg": most,
        "seasons": seasons_of(household, this_year),
    }
    return render(request, "larder/weeks.html", context)


@page_for(writes=Who.WRITER)
def bulk(request: HouseholdRequest) -> HttpResponse:
    """Say whether a day's lift was in bulk or of the weekly basket."""
    household = request.household
    form = BulkForm(request.POST, household=household)
    if form.is_valid():
        said = form.cleaned_data
        known = Bulk.objects.of(household).filter(crop=said["crop"], day=said["day"]).first()
        record = known or Bulk(crop=said["crop"], day=said["day"])
        record.is_bulk = said["is_bulk"]
        flash_change(request, save_owned(request.actor, record, f"{record}."))
        return redirect(f"{reverse('larder:weeks')}?season={said['day'].year}")
    return redirect("larder:weeks")


@page_for(reads=Who.MEMBER)
def money(request: HouseholdRequest) -> HttpResponse:
    """What each crop was worth and what it cost."""
    household, this_year = request.household, clock.today(request.household).year
    context = {
        "account": account(household, season_of(request.GET, this_year)),
        "seasons": seasons_of(household, this_year),
        "prices": list(Price.objects.of(household).select_related("crop")),
        "expenses": list(Expense.objects.of(household).select_related("crop")),
        "currency": household.currency,
    }
    return render(request, "larder/account.html", context)


def _of_crop(request: HouseholdRequest) -> dict[str, Any]:
    """A record of the crop that one comes from, and of this season."""
    return {"season": clock.today(request.household).year, "crop": request.GET.get("crop", "")}


RECORDS = RecordPages(
    "larder",
    {
        "store": RecordPage(
            at="stores",
            model=Store,
            form=StoreForm,
            new="Add store",
            title="The store {}",
            saved="The store {} is saved.",
            back="larder:stores",
            about=(
                "A store in the ground is where what stands there is lifted as it is needed; "
                "frost threatens it."
            ),
        ),
        "supply": RecordPage(
            at="enough",
            model=Supply,
            form=SupplyForm,
            new="Was there enough?",
            title="Edit: {}",
            saved="{}.",
            back="larder:index",
            about="Also of what was never put by. Next year's amounts come from this.",
            writes=Who.WRITER,
            begin=_of_crop,
        ),
        "trimming": RecordPage(
            at="trimmed",
            model=Trimming,
            form=TrimmingForm,
            new="Weighed before and after trimming",
            title="Edit: {}",
            saved="{}.",
            back="larder:index",
            about="Now and then is enough: it tells what share of the crop reaches the table here.",
            writes=Who.WRITER,
        ),
        "price": RecordPage(
            at="prices",
            model=Price,
            form=PriceForm,
            new="Add price",
            title="The {}",
            saved="The {} is saved.",
            back="larder:account",
            about="What you would pay in the shop. It holds until another one begins.",
            begin=_of_crop,
        ),
        "expense": RecordPage(
            at="expenses",
            model=Expense,
            form=ExpenseForm,
            new="Add expense",
            title="Paid for: {}",
            saved="{} is in the account.",
            back="larder:account",
            about=(
                "A tool, netting, feed, water. What a bed or pot cost stands on its own page; "
                "seed with its lot."
            ),
        ),
    },
)
