"""What the bench shows: which pots, which of them in hand, and all that stands beside."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any
from urllib.parse import urlencode

from django.http import HttpResponse
from django.shortcuts import render
from django.urls import reverse

from kilter.core.trade.grades import GRADES, USUAL
from kilter.drawing.dial import dial_face, dial_marks
from kilter.people import clock
from kilter.people.middleware import HouseholdRequest, who_of
from kilter.set_out.models import Crop, CropSize, Planting
from kilter.weigh_in import queries
from kilter.weigh_in.forms import YARD, BenchForm, LineForm
from kilter.weigh_in.guests import first_day, guest_of, lines_for, token_of_guest
from kilter.weigh_in.late import waiting_late
from kilter.weigh_in.models import Cleaned, Fullness, Topped, WeighIn, new_client_id
from kilter.weigh_in.scale_views import key_of
from kilter.weigh_in.visits import day_asks


def bench_day(request: HouseholdRequest) -> date | None:
    """The day that the bench was set to when something was sent from it; None for today."""
    said = bench_form(request, {"day": request.POST.get("day", "")})
    day: date | None = said.cleaned_data["day"] if said.is_valid() else None
    return day


def bench_url(request: HouseholdRequest, pot: int) -> str:
    """The bench with a pot in hand, as it was shown: of its crop, or of the whole yard."""
    if request.POST.get("crop") == YARD:
        return _address(YARD, pot, bench_day(request))
    crop = (
        Planting.objects.of(request.household)
        .filter(pk=pot)
        .values_list("crop_id", flat=True)
        .first()
    )
    return _address(crop, pot, bench_day(request))


def _address(crop: int | str | None, pot: int | None, day: date | None) -> str:
    """The bench with a crop, a pot in hand and a day chosen, each where there is one."""
    said = {"crop": crop, "pot": pot, "day": day}
    return f"{reverse('weigh_in:bench')}?{urlencode({k: v for k, v in said.items() if v})}"


def bench_form(request: HouseholdRequest, said: Mapping[str, Any]) -> BenchForm:
    """What the bench's address or form says, within the days of whoever asks."""
    since = first_day(request.membership)
    return BenchForm(said, household=request.household, since=since)


def show_bench(
    request: HouseholdRequest, form: BenchForm, line_form: LineForm | None = None
) -> HttpResponse:
    """The bench: strip, dial and tape; a fragment request gets the strip and tape alone."""
    household, real_day = request.household, clock.today(request.household)
    form.is_valid()
    day = form.cleaned_data.get("day")
    today = day or real_day
    crops = queries.crops_in_reach(household, today)
    is_yard = form.is_yard and bool(crops)
    asked = None if is_yard else form.cleaned_data.get("crop") or _crop_at_hand(request, crops)
    is_hidden = form.cleaned_data.get("hidden", False)
    everywhere = queries.strip(household, asked, today, is_hidden=is_hidden, is_yard=is_yard)
    site, sites = form.cleaned_data.get("site"), queries.sites_of(everywhere)
    pots = [pot for pot in everywhere if site not in sites or pot.planting.place.site == site]
    pot = _in_hand(pots, form.cleaned_data.get("pot"))
    crop = asked or (pot.planting.crop if pot else None)
    crop_key = YARD if is_yard else crop.pk if crop else None
    context: dict[str, Any] = {
        "crops": crops,
        "lately": [] if crops else queries.finished_lately(household),
        "crop": crop,
        "crop_key": crop_key,
        "is_yard": is_yard,
        "pots": pots,
        "pot": pot,
        **_to_finish(everywhere, pot),
        "usual": queries.usual_grades(household, crop, today),
        "tape": queries.tape(household, today, guest_of(request)),
        "today": today,
        "is_hidden": is_hidden,
        "day": day,
        "of_day": f"&day={day}" if day else "",
        "of_hidden": "&hidden=on" if is_hidden else "",
        "sites": sites if len(sites) > 1 else [],
        "site": site if site in sites else None,
        "of_site": f"&site={site.pk}" if site in sites else "",
        "only": only_of(form),
        "here": _address(crop_key, pot.planting.pk if pot else None, day),
        "day_field": form["day"],
        "waiting": lines_for(request, queries.waiting_lines(household)).count(),
        "day_asks": day_asks(household, pot.planting, today) if pot else "",
    }
    if request.htmx:
        return render(request, "weigh_in/bench_results.html", context)
    shift_days = clock.shift_days(household) + (today - real_day).days
    of_yard = crops if is_yard else [crop]
    context |= {"line_form": line_form, "shift_days": shift_days}
    context |= _whole_bench(request, asked, crops)
    context["sizes"] = CropSize.objects.of(household).filter(crop__in=filter(None, of_yard))
    return render(request, "weigh_in/bench.html", context, status=422 if line_form else 200)


def _in_hand(pots: Sequence[queries.Pot], asked: int | None) -> queries.Pot | None:
    """The pot asked for, else the first with nothing written that day, else the first."""
    found = next((pot for pot in pots if pot.planting.pk == asked), None)
    if found is not None or not pots:
        return found
    return next((pot for pot in pots if not pot.grades_today), pots[0])


def _to_finish(pots: Sequence[queries.Pot], at: queries.Pot | None) -> dict[str, int]:
    """How many pots can be finished together: of those written, and of the set of the one in hand;
    0 for fewer than two.
    """
    still_open = [one for one in pots if one.planting.finished_on is None]
    written = sum(bool(one.grades_today) for one in still_open)
    of_set = sum(at is not None and one.is_beside(at) for one in still_open)
    return {
        "written_open": written if written > 1 else 0,
        "set_open": of_set if of_set > 1 else 0,
    }


def _whole_bench(
    request: HouseholdRequest, crop: Crop | None, crops: Sequence[Crop]
) -> dict[str, Any]:
    """What the whole page needs beside the pots, the tape and the pot in hand."""
    household = request.household
    return {
        "grades": tuple(GRADES.values()),
        "usual_grade": USUAL,
        "marks": dial_marks(),
        "face": dial_face(0),
        "client_id": new_client_id(),
        "who": who_of(request),
        "guest": token_of_guest(request),
        "late": waiting_late(household).count() if request.membership.is_owner else 0,
        "kit": queries.kit_of(household),
        "habits": queries.habits_of(household, crop),
        "cleaned": Cleaned.choices,
        "topped": Topped.choices,
        "fullness": Fullness.choices,
        "scale_key": key_of(request),
        "pages": [
            reverse("weigh_in:round"),
            f"{reverse('weigh_in:bench')}?crop={YARD}",
            *(f"{reverse('weigh_in:bench')}?crop={one.pk}" for one in crops),
        ],
    }


def only_of(form: BenchForm) -> frozenset[str] | None:
    """The lines that the device asks for, as it shows the others already; None for all of them."""
    said = form.cleaned_data.get("only") or ""
    return frozenset(said.split(",")) if said else None


def _crop_at_hand(request: HouseholdRequest, crops: list[Crop]) -> Crop | None:
    """The crop weighed last, else the first one growing."""
    last = WeighIn.objects.of(request.household).filter(planting__crop__in=crops).order_by("-pk")
    crop_id = last.values_list("planting__crop_id", flat=True).first()
    return next((crop for crop in crops if crop.pk == crop_id), crops[0] if crops else None)
