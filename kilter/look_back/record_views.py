"""What is said and decided of a season, and the sitting in which each judge says it."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.http import HttpResponse, HttpResponseRedirect
from django.shortcuts import redirect, render
from django.urls import reverse

from kilter.look_back import actions
from kilter.look_back.decisions import decisions, did_it_help, standing
from kilter.look_back.forms import (
    ACTS,
    AsideForm,
    DecisionForm,
    OwnRemarkForm,
    RemarkForm,
    ReviewForm,
    SeasonForm,
    SittingForm,
)
from kilter.look_back.models import Decision, Remark, Review
from kilter.look_back.review import read_review, review_of
from kilter.look_back.sitting import crops_to_judge, judged, judges, sitting
from kilter.look_back.views import season_asked
from kilter.people import clock
from kilter.people.access import Who, page_for, strike_view
from kilter.people.look import system_of
from kilter.people.middleware import HouseholdRequest
from kilter.people.pages import form_page
from kilter.people.undo import flash_change
from kilter.set_out.models import Crop
from kilter.weigh_up.varieties.models import Criterion
from kilter.weigh_up.varieties.queries import MEASURED_WEIGHTS


def _page_of(season: int, crop: int | None = None, anchor: str = "") -> str:
    where = reverse("look_back:crop", args=[crop]) if crop else reverse("look_back:index")
    return f"{where}?season={season}{anchor and f'#{anchor}'}"


strike_one = strike_view(
    {"remark": Remark, "decision": Decision}, lambda found: _page_of(found.season)
)


@page_for(writes=Who.OWNER)
def remark(request: HouseholdRequest) -> HttpResponse:
    """Keep, reword or strike a drafted line, or leave it to the draft again."""
    form = RemarkForm(request.POST)
    problems = [str(error) for errors in form.errors.values() for error in errors]
    season, key = form.cleaned_data.get("season"), form.cleaned_data.get("key")
    if not season or not key:
        messages.error(request, " ".join(problems))
        return redirect("look_back:index")
    found = read_review(request.household, season, system_of(request))
    line = next((one for one in found.shown if one.key == key), None)
    if line is None:
        messages.error(request, "The record changed, and this line is no longer drafted from it.")
        return redirect(_page_of(season))
    said = form.cleaned_data
    if problems:
        messages.error(request, " ".join(problems))
    else:
        state = ACTS[said["act"]]
        flash_change(
            request,
            actions.remark_on(request.actor, season, line, state, said["words"], said["cause"]),
        )
    return redirect(_page_of(season, line.crop if said.get("of") == "crop" else None, line.anchor))


@page_for(
    reads=Who.OWNER,
    writes=Who.OWNER,
    of=lambda h: Remark.objects.of(h).filter(state=Remark.State.OWN),
)
def own_remark(request: HouseholdRequest, known: Remark | None) -> HttpResponse:
    """Write a line in one's own words, or change it."""
    found = known or Remark(season=season_asked(request))
    form = OwnRemarkForm(request.POST or None, household=request.household, instance=found)
    return form_page(
        request,
        form,
        title="Change a line" if known else f"A line of your own on {found.season}",
        save=lambda: actions.say(request.actor, form.save(commit=False)),
        back=_page_of(found.season),
        strike=reverse("look_back:strike", args=["remark", known.pk]) if known else "",
    )


@page_for(reads=Who.OWNER, writes=Who.OWNER)
def note(request: HouseholdRequest) -> HttpResponse:
    """The season in one's own words."""
    season = season_asked(request)
    found = review_of(request.household, season)
    form = ReviewForm(request.POST or None, instance=found)
    return form_page(
        request,
        form,
        title=f"{season} in your own words",
        save=lambda: actions.save_note(request.actor, form.save(commit=False)),
        back=_page_of(season),
        about="It opens the season's page and its booklet.",
    )


@page_for(writes=Who.OWNER)
def finish(request: HouseholdRequest) -> HttpResponse:
    """Say that a review is written; what was drafted stays as it stands."""
    form = SeasonForm(request.POST)
    season = form.cleaned_data.get("season") if form.is_valid() else None
    if not season or season > clock.today(request.household).year:
        messages.error(request, "Say which season's review is written.")
        return redirect("look_back:index")
    found = read_review(request.household, season, system_of(request))
    if found.review.written_on is None:
        flash_change(request, actions.finish(request.actor, found, clock.today(request.household)))
    return redirect(_page_of(season))


@page_for(writes=Who.OWNER, of=Review)
def reopen(request: HouseholdRequest, found: Review) -> HttpResponse:
    """Go on writing a review."""
    flash_change(request, actions.reopen(request.actor, found))
    return redirect(_page_of(found.season))


@page_for(reads=Who.MEMBER, writes=Who.OWNER, of=decisions)
def decision(request: HouseholdRequest, known: Decision | None) -> HttpResponse:
    """Decide what changes, or look at what became of a decision."""
    found = known or Decision(season=season_asked(request))
    begin = SeasonForm(request.GET)
    if known is None and begin.is_valid() and (crop := begin.cleaned_data["crop"]):
        found.crop = Crop.objects.of(request.household).filter(pk=crop).first()
    form = DecisionForm(request.POST or None, household=request.household, instance=found)
    return form_page(
        request,
        form,
        title=str(known) if known else "Decide what changes",
        save=lambda: actions.decide(request.actor, form.save(commit=False)),
        back=_page_of(found.season),
        strike=reverse("look_back:strike", args=["decision", known.pk]) if known else "",
        about=_about(request, known)
        if known
        else "It stays open until a planting of the next season meets it.",
    )


def _about(request: HouseholdRequest, known: Decision) -> str:
    """Where a decision stands and, where it was carried out, whether it helped."""
    stands = next(
        one for one in standing(request.household, known.season) if one.decision.pk == known.pk
    )
    words = f"{stands.state.capitalize()}: {stands.words}."
    return f"{words} {did_it_help(request.household, known).words}" if stands.is_done else words


@page_for(reads=Who.OWNER, writes=Who.OWNER, of=decisions)
def aside(request: HouseholdRequest, found: Decision) -> HttpResponse:
    """Put a decision aside with a word, or take it up again."""
    if request.method == "POST" and found.aside and "again" in request.POST:
        flash_change(request, actions.put_aside(request.actor, found, ""))
        return redirect("look_back:decisions")
    form = AsideForm(request.POST or None, initial={"aside": found.aside})
    return form_page(
        request,
        form,
        title=f"Put aside: {found}",
        save=lambda: actions.put_aside(request.actor, found, form.cleaned_data["aside"]),
        back=reverse("look_back:decisions"),
        about="It stays on record with the word why, and waits for nothing any more.",
    )


@page_for(reads=Who.WRITER, writes=Who.WRITER)
def sit(request: HouseholdRequest) -> HttpResponse:
    """Scores and verdicts of a season, crop by crop, by one judge after the other."""
    household, season = request.household, season_asked(request)
    crops = crops_to_judge(household, season)
    asked = SeasonForm(request.GET)
    said = asked.cleaned_data if asked.is_valid() else {}
    judge = said.get("judge") or str(request.user)
    done = judged(household, season, judge)
    chosen = next((crop for crop in crops if crop.pk == said.get("crop")), None)
    chosen = chosen or next(
        (crop for crop in crops if crop.pk not in done), crops[0] if crops else None
    )
    context: dict[str, Any] = {
        "season": season,
        "crops": [(crop, crop.pk in done) for crop in crops],
        "crop": chosen,
        "judge": judge,
        "judges": judges(household),
        "is_owner": request.membership.is_owner,
    }
    if chosen is None:
        return render(request, "look_back/sitting.html", context)
    weights = MEASURED_WEIGHTS | {
        criterion.name: criterion.weight for criterion in Criterion.objects.of(household)
    }
    found = sitting(household, season, chosen, judge, weights)
    form = SittingForm(
        request.POST or None,
        sitting=found,
        may_judge=request.membership.is_owner,
        initial={"judge": judge},
    )
    if request.method == "POST" and form.is_valid():
        return _judged(request, form, season, crops, chosen)
    context |= {"sitting": found, "form": form}
    return render(request, "look_back/sitting.html", context, status=422 if form.errors else 200)


def _judged(
    request: HouseholdRequest, form: SittingForm, season: int, crops: list[Crop], chosen: Crop
) -> HttpResponseRedirect:
    who = form.cleaned_data["judge"]
    flash_change(request, actions.judge(request.actor, season, who, form.scores(), form.verdicts()))
    following = crops[crops.index(chosen) + 1 :]
    if not following:
        return redirect(_page_of(season))
    asked = urlencode({"season": season, "judge": who, "crop": following[0].pk})
    return redirect(f"{reverse('look_back:sitting')}?{asked}")
