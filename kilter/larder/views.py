"""Larder: the shelves, putting by, what is taken, looking through."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from kilter.core.amounts.units import format_mass
from kilter.core.amounts.vague import VagueDate, format_date
from kilter.core.errors import KilterError
from kilter.core.larder.amount import much_words
from kilter.core.larder.pieces import PARTS
from kilter.core.trade.grades import GRADES
from kilter.core.trade.uses import SAYINGS, SPOILED
from kilter.larder import actions
from kilter.larder.account import account
from kilter.larder.curing import curing_of
from kilter.larder.forms import CrateForm, CuredForm, LookForm, PutByForm, UseForm, season_of
from kilter.larder.ledger import Larder, larder, larder_of_crate, open_seasons
from kilter.larder.meals import usual_of
from kilter.larder.models import Crate, PutBy, State, Store, Using
from kilter.larder.pages import LEGEND, boxes, cautions, sentence, shown_drawdown, shown_went
from kilter.larder.planned import planned_uses
from kilter.larder.said import Said
from kilter.larder.shelves import whole_larder
from kilter.larder.store_losses import StoreLosses, losses_of
from kilter.larder.using import CRATES, said_or_refused, strike
from kilter.larder.waiting import ASKED_DAYS, Waiting, waiting, with_choices
from kilter.larder.went import went
from kilter.people import clock
from kilter.people.access import Who, page_for
from kilter.people.events import Event, answer
from kilter.people.look import system_of
from kilter.people.middleware import HouseholdRequest, who_of
from kilter.people.models import Household
from kilter.people.pages import form_page
from kilter.people.undo import flash_change
from kilter.set_out.queries import seasons_of
from kilter.weigh_in import views as bench
from kilter.weigh_in.models import new_client_id

#: Falling lines are drawn of so many crops, those most was put by of; every crop has its own page.
CROPS_DRAWN = 6


def crates(household: Household) -> Any:
    """Crates with their names."""
    return Crate.objects.of(household).select_related("crop", "variety", "store")


@page_for(reads=Who.MEMBER)
def index(request: HouseholdRequest) -> HttpResponse:
    """The larder as it stands; a fragment request gets the shelves and lists alone."""
    household = request.household
    system, this_year = system_of(request), clock.today(household).year
    season = season_of(request.GET, this_year)
    found = larder(household, open_seasons(household) | {season})
    losses = losses_of(household)
    room = whole_larder(found, losses)
    context: dict[str, Any] = {
        "room": room,
        "shelves": boxes(room),
        "season": season,
        "seasons": seasons_of(household, this_year),
        "went": [shown_went(one, system) for one in went(found, [season])],
        "stores": [shelf.store for shelf in room.shelves],
        "currency": household.currency,
    }
    if request.htmx:
        return render(request, "larder/index_results.html", context)
    context |= {
        "sentence": sentence(room, losses),
        "lines": _lines(found, season, losses, system),
        "account": account(household, season, found),
        "legend": LEGEND,
        "sayings": SAYINGS,
        "found_by_look": SPOILED,
        "who": who_of(request),
        "shift_days": clock.shift_days(household),
    }
    return render(request, "larder/index.html", context)


def _lines(found: Larder, season: int, losses: StoreLosses, system: str) -> list[Any]:
    """The falling line of each crop that something was put by of, most first."""
    keys = [key for key in {step.key for step in found.steps} if key[1] == season]
    into = {
        key: sum(step.mass_mg for step in found.steps if step.key == key and step.mass_mg > 0)
        for key in keys
    }
    most = sorted(keys, key=lambda one: -into[one])[:CROPS_DRAWN]
    wanted = planned_uses(found.household, [season])
    drawn = [
        (found.crops[key[0]], shown_drawdown(found, key, losses, system, wanted.get(key)))
        for key in most
    ]
    return [(crop, line) for crop, line in drawn if line is not None]


@page_for(reads=Who.MEMBER, writes=Who.WRITER)
def put_by(request: HouseholdRequest) -> HttpResponse:
    """What was lifted and lies nowhere, with where it goes by what was done last time."""
    household = request.household
    found = larder(household, open_seasons(household))
    lots = with_choices(household, waiting(found, with_fresh=True, with_eaten=True))
    asked = found.today - timedelta(days=ASKED_DAYS)
    said = [
        (
            one.key,
            f"{one.label}, {one.grade_label}",
            [(c.word, c.label) for c in may],
            _chosen(one, chosen, asked),
        )
        for one, may, chosen in lots
    ]
    form = PutByForm(
        request.POST if request.method == "POST" else None, household=household, lots=said
    )
    if request.method == "POST" and form.is_valid():
        try:
            system = system_of(request)
            made = [
                lot
                for one, _, _ in lots
                if (lot := _lot(one, form.cleaned_data, system, found.today)) is not None
            ]
            if made:
                flash_change(request, actions.put_by(request.actor, made))
                return redirect("larder:index")
            form.add_error(None, "Say of one at least where it goes.")
        except ValidationError as error:
            form.add_error(None, error)
    rows = [(one, form[f"to-{one.key}"], _more(form, one.key)) for one, _, _ in lots]
    context = {
        "form": form,
        "parts": [
            [row for row in rows if row[0].is_eaten == is_eaten] for is_eaten in (False, True)
        ],
        "today": found.today,
    }
    return render(request, "larder/put_by.html", context, status=422 if form.errors else 200)


def _chosen(one: Waiting, offered: str, asked: date) -> str:
    """What perishes is eaten, and of what was lifted long ago nobody knows:
    both are left unless something is said.
    """
    return "" if one.is_fresh or one.last_day < asked else offered


def _more(form: PutByForm, key: str) -> list[Any]:
    return [form[f"{name}-{key}"] for name in ("much", "jars", "added", "when")]


def _day(one: Waiting, cleaned: dict[str, Any], today: date) -> date:
    """When it was put by: as its row says, else as the page does; never before it was lifted."""
    of_row, of_page = cleaned[f"when-{one.key}"], cleaned["when"]
    if of_row and of_row.latest < one.first_day:
        lifted = format_date(VagueDate(one.first_day))
        raise ValidationError(f"{one.label}: it was lifted on {lifted}, and put by after that.")
    said = of_row or of_page
    day: date = said.day if said else today
    return max(day, one.first_day)


def _lot(one: Waiting, cleaned: dict[str, Any], system: str, today: date) -> actions.Lot | None:
    goes = actions.Goes.read(cleaned[f"to-{one.key}"])
    if goes is None:
        return None
    much = cleaned[f"much-{one.key}"]
    if much is not None and much.mass_mg is not None:
        if much.mass_mg > one.mass_mg and not one.is_estimated:
            raise ValidationError(f"{one.label}: only {format_mass(one.mass_mg, system)} waits.")
    elif much is not None and much.pieces > one.pieces:
        raise ValidationError(f"{one.label}: only {much_words(None, one.pieces)} wait.")
    if goes.store is not None or goes.kind:
        goes = actions.Goes(goes.store, goes.kind, goes.state, "", GRADES[one.grade].eat_first)
    is_in_pieces = much.mass_mg is None if much is not None else not one.mass_mg
    if is_in_pieces:
        pieces = None if much is None else much.pieces * PARTS
        counted = {pk for pk, _, _ in one.piece_rests}
        portions = actions.portions_of(list(one.piece_rests), pieces)
        if much is None:
            others = [rest for rest in one.rests if rest[0] not in counted]
            portions += actions.portions_of(others, None)
        words = much_words(None, one.pieces if much is None else much.pieces)
    else:
        portions = actions.portions_of(list(one.rests), much and much.mass_mg)
        words = format_mass(sum(portion.mass_mg for portion in portions))
    jars, added = cleaned[f"jars-{one.key}"], cleaned[f"added-{one.key}"]
    return actions.Lot(
        crop=one.crop,
        variety=one.variety,
        season=one.season,
        goes=goes,
        portions=portions,
        words=words,
        is_in_pieces=is_in_pieces,
        day=_day(one, cleaned, today),
        jars=jars,
        added_mg=added,
    )


@page_for(reads=Who.MEMBER, of=crates)
def crate(request: HouseholdRequest, found: Crate) -> HttpResponse:
    """One crate: what lies in it, what came and went, and what can be said of it."""
    return _show_crate(request, found)


def _pieces_of(read: Larder, put: PutBy) -> float | None:
    pieces = read.lines[put.line_id].pieces if put.line_id in read.lines else None
    return None if pieces is None else pieces * put.share_part / put.share_whole


def _show_crate(
    request: HouseholdRequest, found: Crate, form: UseForm | None = None, status: int = 200
) -> HttpResponse:
    read = larder_of_crate(request.household, found)
    usual = usual_of(read, found)
    form = form or UseForm(household=request.household, initial={"typed": usual})
    context = {
        "crate": found,
        "now": read.crates[found.pk],
        "puts": [
            (put, mass_mg or None, _pieces_of(read, put))
            for put, mass_mg in read.puts
            if put.crate_id == found.pk
        ],
        "usings": [using for using in read.usings if found.pk in {using.crate_id, using.into_id}],
        "loss": losses_of(request.household).of(found),
        "form": form,
        "stores": list(Store.objects.of(request.household)),
        "sayings": SAYINGS,
        "found_by_look": SPOILED,
        "client_id": new_client_id(),
        "cautions": cautions(found.crop, [found.state]),
        "curing": curing_of(found.crop) if found.state == State.CURING else None,
    }
    return render(request, "larder/crate.html", context, status=status)


@page_for(writes=Who.WRITER)
def use(request: HouseholdRequest) -> HttpResponse:
    """Write what left a crate, from the plain form."""
    form = UseForm(request.POST, household=request.household)
    is_read, cleaned = form.is_valid(), form.cleaned_data
    found = crates(request.household).filter(pk=cleaned.get("crate") or 0).first()
    if is_read:
        to = cleaned["to"]
        said = Said(
            to=to.pk if to else None,
            **{
                name: cleaned[name]
                for name in (
                    "crate",
                    "crop",
                    "season",
                    "use",
                    "typed",
                    "is_sure",
                    "is_look",
                    "note",
                )
            },
        )
        try:
            event = Event(client_id=cleaned["client_id"] or new_client_id(), said=said)
            using = said_or_refused(request.actor, event, cleaned["when"])
            if using.change is not None:
                flash_change(request, using.change)
            return redirect("larder:crate", found.pk) if found else redirect("larder:index")
        except ValidationError as error:
            form.add_error("typed", error)
            form.is_short = error.code == "asked"  # type: ignore[attr-defined]
    if found is not None:
        return _show_crate(request, found, form, 422)
    messages.error(
        request, " ".join(str(error) for errors in form.errors.values() for error in errors)
    )
    return redirect("larder:index")


@page_for(writes=Who.WRITER)
def store_events(request: HouseholdRequest) -> HttpResponse:
    """Store what devices kept; the answer names the ids that are stored, after commit."""
    return answer(request, CRATES)


@page_for(reads=Who.MEMBER)
def worker(_: HouseholdRequest) -> HttpResponse:
    """The service worker of the larder: the bench's script under its own address."""
    return bench.worker_script()


@page_for(reads=Who.MEMBER, writes=Who.WRITER, of=crates)
def change_crate(request: HouseholdRequest, found: Crate) -> HttpResponse:
    """Put right what is said of a crate."""
    form = CrateForm(request.POST or None, instance=found, household=request.household)
    return form_page(
        request,
        form,
        title=f"The crate of {found}",
        save=lambda: actions.save_crate(request.actor, form.save(commit=False)),
        back=reverse("larder:crate", args=[found.pk]),
        for_helpers=True,
    )


@page_for(writes=Who.WRITER, of=crates)
def cured(request: HouseholdRequest, found: Crate) -> HttpResponse:
    """Curing is done; the crate goes to its store."""
    form = CuredForm(request.POST, household=request.household)
    if not form.is_valid():
        wrong = form.errors.get("when")
        says = " ".join(map(str, wrong)) if wrong else "Choose a store of the list."
        messages.error(request, says)
        return redirect("larder:crate", found.pk)
    when = form.cleaned_data["when"]
    day = when.day if when else clock.today(request.household)
    try:
        flash_change(request, actions.cured(request.actor, found, form.cleaned_data["to"], day))
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
    return redirect("larder:crate", found.pk)


@page_for(
    writes=Who.WRITER,
    of=lambda household: Using.objects.ever_of(household).select_related("crate", "into"),
)
def strike_using(request: HouseholdRequest, found: Using) -> HttpResponse:
    """Strike an entry, or put it back."""
    try:
        flash_change(request, strike(request.actor, found))
    except KilterError as error:
        messages.error(request, str(error))
    return redirect("larder:crate", found.crate_id) if found.crate_id else redirect("larder:index")


@page_for(
    writes=Who.WRITER,
    of=lambda household: PutBy.objects.of(household).select_related(
        "crate__store", "crate__crop", "lot", "line"
    ),
)
def strike_put(request: HouseholdRequest, found: PutBy) -> HttpResponse:
    """Take a putting by back."""
    flash_change(request, actions.strike_put(request.actor, found))
    crate_now = found.crate
    stays = crate_now is not None and crate_now.struck_at is None
    return redirect("larder:crate", found.crate_id) if stays else redirect("larder:index")


@page_for(reads=Who.MEMBER, writes=Who.WRITER, of=Store)
def look(request: HouseholdRequest, found: Store) -> HttpResponse:
    """Look through a store: what was found spoiled in each crate, nothing too."""
    household = request.household
    room = whole_larder(larder(household, open_seasons(household)))
    shelf = next((one for one in room.shelves if one.store.pk == found.pk), None)
    on = list(shelf.crates) if shelf else []
    said = [(one.crate, f"{one.crate.label}, since {one.crate.when}") for one in on]
    form = LookForm(
        request.POST if request.method == "POST" else None, household=household, crates=said
    )
    if request.method == "POST" and form.is_valid():
        looked = []
        for crate_now, _ in said:
            spoiled = form.cleaned_data[f"bad-{crate_now.pk}"]
            if spoiled is not None or form.cleaned_data[f"all-{crate_now.pk}"]:
                looked.append((crate_now, spoiled or 0))
        when = form.cleaned_data["when"]
        try:
            if not looked:
                raise ValidationError("Tick what was all good, or say what was found spoiled.")
            day = when.day if when else clock.today(household)
            flash_change(request, actions.look_through(request.actor, looked, day))
            return redirect("larder:index")
        except ValidationError as error:
            form.add_error(None, error)
    rows = [(one, form[f"all-{one.crate.pk}"], form[f"bad-{one.crate.pk}"]) for one in on]
    context = {
        "store": found,
        "form": form,
        "rows": rows,
        "looked_on": shelf.looked_on if shelf else None,
    }
    return render(request, "larder/look.html", context, status=422 if form.errors else 200)
