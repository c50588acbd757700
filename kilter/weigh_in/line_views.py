"""Pages beside the bench: what was written, weighing later, from memory,
mixed baskets, the ripening shelf.
"""

from __future__ import annotations

from urllib.parse import urlencode

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.db.models import F, QuerySet
from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from kilter.core.amounts.vague import VagueDate
from kilter.core.trade.grades import RIPENING, USUAL
from kilter.people import clock
from kilter.people.access import MARGIN_BYTES, Who, everything, page_for, strike_view
from kilter.people.actions import save_owned, strike
from kilter.people.events import AskedError
from kilter.people.forms import BackForm
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Change, Household
from kilter.people.pages import form_page
from kilter.people.undo import flash_change
from kilter.set_out.models import Crop, CropSize, Planting
from kilter.set_out.steps import PLANTING, not_yet, step_before
from kilter.set_out.views import plantings
from kilter.tending.forms import PHOTO_ABOUT, PhotoForm
from kilter.tending.pictures import MAX_FILE_BYTES
from kilter.weigh_in import actions, queries
from kilter.weigh_in.bench_page import bench_url
from kilter.weigh_in.events import BENCH
from kilter.weigh_in.forms import (
    BasketForm,
    BowlForm,
    CorrectForm,
    LinesForm,
    MeasureForm,
    RememberForm,
    RenameForm,
    ScaleForm,
    SinglePlantForm,
    SizeForm,
    TareAfterForm,
    TogetherForm,
    TurnForm,
    WaitingForm,
    WeighLaterForm,
)
from kilter.weigh_in.guests import lines_for, own_lines
from kilter.weigh_in.labels import code_of
from kilter.weigh_in.models import Bowl, OwnMeasure, Scale, SinglePlant, WeighIn, new_client_id
from kilter.weigh_in.usual import ask_if_too_much

KIT: dict[
    str,
    tuple[
        type[Scale | Bowl | OwnMeasure | CropSize],
        type[ScaleForm | BowlForm | MeasureForm | SizeForm],
        str,
    ],
] = {
    "scale": (Scale, ScaleForm, "A scale"),
    "bowl": (Bowl, BowlForm, "A bag, bowl or crate"),
    "measure": (OwnMeasure, MeasureForm, "A measure of your own"),
    "size": (CropSize, SizeForm, "A size of a crop"),
}
KIT_MODELS = {what: model for what, (model, _, _) in KIT.items()}
REMEMBER_ABOUT = (
    "From memory is better than nothing: write it as exactly as you know it, with a ± for the "
    "rest. It stays marked, and counts for less the vaguer it is."
)
BASKET_ABOUT = (
    "One weight for what came from several plantings; it is split exactly, and each "
    "part stays marked as split."
)
TOGETHER_ABOUT = (
    "Tick the lines that lie in the basket. Its weight is split by their counts, and they become "
    "the basket's lines: nothing is counted twice."
)
TURN_ABOUT = "What is taken off becomes a line of its own; so much less is Unripe."


def lines_written(household: Household) -> QuerySet[WeighIn]:
    """Lines, struck ones too, with all that they are called by."""
    names = (
        "planting__place",
        "planting__part",
        "planting__crop",
        "planting__variety",
        "bowl",
        "scale",
        "measure",
    )
    return WeighIn.objects.ever_of(household).select_related(*names)


def _back(request: HouseholdRequest, line: WeighIn) -> str:
    """The page that the line was looked at on, with its day; else the lines of its planting."""
    form = BackForm(request.GET, host=request.get_host())
    here: str = form.cleaned_data["back"] if form.is_valid() else ""
    return here or f"{reverse('weigh_in:lines')}?pot={line.planting_id}"


@page_for(reads=Who.MEMBER, guests=everything)
def lines(request: HouseholdRequest) -> HttpResponse:
    """What was written, on a day, of a crop or of a planting, today or years ago,
    each line to be put right.
    """
    form = LinesForm(request.GET, household=request.household)
    form.is_valid()
    asked = form.cleaned_data
    found = lines_for(
        request, WeighIn.objects.ever_of(request.household).order_by("-weighed_on", "-pk")
    )
    if crop := asked.get("crop"):
        found = found.filter(planting__crop=crop)
    if day := asked.get("day"):
        found = found.filter(weighed_on=day)
    planting = (
        Planting.objects.of(request.household).with_names().filter(pk=asked.get("pot") or 0).first()
    )
    if planting:
        found = found.filter(planting=planting)
    context = {
        "lines": queries.written_lines(request.household, found),
        "form": form,
        "planting": planting,
        "most": queries.LINES_SHOWN,
        "back": request.get_full_path(),
        "asked": urlencode({**request.GET.dict(), "back": request.get_full_path()}),
    }
    return render(request, "weigh_in/lines.html", context)


@page_for(reads=Who.WRITER, writes=Who.WRITER, of=lines_written, guests=own_lines)
def correct(request: HouseholdRequest, line: WeighIn) -> HttpResponse:
    """Put a line right; below it stands what it was, with who and when."""
    form = CorrectForm(request.POST or None, instance=line, household=request.household)
    if request.method == "POST" and form.is_valid():
        try:
            flash_change(
                request, actions.correct(request.actor, form.save(commit=False), form.cleaned_data)
            )
            return redirect(_back(request, line))
        except ValidationError as error:
            form.add_error(None, error)
    context = {
        "form": form,
        "line": line,
        "title": f"Edit: {line}, {line.when}",
        "back": _back(request, line),
        "lists": {"causes": queries.kit_of(request.household).causes},
        "may_save": request.membership.may_write,
        "history": queries.history_of(request.household, line),
        "photos": line.photos.filter(struck_at=None),
    }
    return render(request, "weigh_in/correct.html", context, status=422 if form.errors else 200)


@page_for(
    reads=Who.WRITER,
    writes=Who.WRITER,
    of=lines_written,
    guests=own_lines,
    takes_bytes=MAX_FILE_BYTES + MARGIN_BYTES,
)
def photo(request: HouseholdRequest, line: WeighIn) -> HttpResponse:
    """Keep a photograph with a line of the tape, and so with its planting."""
    form = PhotoForm(
        request.POST or None,
        request.FILES or None,
        household=request.household,
        initial={"day": line.weighed_on},
    )
    return form_page(
        request,
        form,
        title=f"A photograph of {line}",
        save=lambda: actions.add_photo_to(request.actor, line, form.cleaned_data),
        back=bench_url(request, line.planting_id),
        about=PHOTO_ABOUT,
        for_helpers=True,
    )


@page_for(reads=Who.MEMBER, guests=everything)
def waiting(request: HouseholdRequest) -> HttpResponse:
    """What was counted and waits for the scale."""
    found = queries.written_lines(
        request.household, lines_for(request, queries.waiting_lines(request.household))
    )
    return render(request, "weigh_in/waiting.html", {"lines": found})


@page_for(reads=Who.MEMBER, guests=everything)
def labels(request: HouseholdRequest) -> HttpResponse:
    """Labels to print and tie to what waits; their code opens the entry."""
    found = lines_for(request, queries.waiting_lines(request.household))
    made = [
        (line, code_of(request.build_absolute_uri(reverse("weigh_in:weigh", args=[line.pk]))))
        for line in found
    ]
    return render(request, "weigh_in/labels.html", {"labels": made})


@page_for(reads=Who.WRITER, writes=Who.WRITER, of=lines_written, guests=own_lines)
def weigh(request: HouseholdRequest, line: WeighIn) -> HttpResponse:
    """Weigh what was counted in the garden."""
    if not line.waits or line.struck_at is not None:
        messages.info(request, f"{line} does not wait any more.")
        return redirect(reverse("weigh_in:correct", args=[line.pk]))
    form = WeighLaterForm(request.POST or None, household=request.household)
    about = f"Label {line.tag}: {line.count or ''} counted on {line.when}."
    return form_page(
        request,
        form,
        title=f"Weigh {line}",
        about=about,
        for_helpers=True,
        back=reverse("weigh_in:waiting"),
        save=lambda: actions.weigh(
            request.actor, line, form.cleaned_data["line"], form.cleaned_data["bowl"]
        ),
    )


@page_for(reads=Who.WRITER, writes=Who.WRITER, guests=everything)
def together(request: HouseholdRequest) -> HttpResponse:
    """Weigh several lines that wait as one basket."""
    found = lines_for(request, queries.waiting_lines(request.household))
    picked = WaitingForm(request.GET, household=request.household, lines=found)
    begin = picked.cleaned_data if picked.is_valid() else {}
    form = TogetherForm(
        request.POST or None, household=request.household, lines=found, initial=begin
    )
    return form_page(
        request,
        form,
        title="One basket of what waits",
        about=TOGETHER_ABOUT,
        for_helpers=True,
        back=reverse("weigh_in:waiting"),
        save=lambda: actions.weigh_together(
            request.actor,
            list(form.cleaned_data["lines"]),
            *(form.cleaned_data[name] for name in ("line", "bowl", "day")),
        ),
    )


@page_for(writes=Who.WRITER, of=lines_written, guests=own_lines)
def leave_counted(request: HouseholdRequest, line: WeighIn) -> HttpResponse:
    """Say that a line will never be weighed."""
    flash_change(request, actions.leave_counted(request.actor, line))
    return redirect("weigh_in:waiting")


@page_for(writes=Who.WRITER, guests=everything)
def leave_all_counted(request: HouseholdRequest) -> HttpResponse:
    """Say that nothing that waits will be weighed."""
    found = lines_for(request, queries.waiting_lines(request.household))
    flash_change(request, actions.leave_all_counted(request.actor, found))
    return redirect("weigh_in:waiting")


@page_for(reads=Who.WRITER, writes=Who.WRITER)
def remember(request: HouseholdRequest) -> HttpResponse:
    """Write a harvest down from memory."""
    if step := step_before(request.household, PLANTING):
        return not_yet(request, "A harvest from memory", step)
    begin = {"planting": request.GET.get("pot", "")} if request.GET.get("pot", "").isdigit() else {}
    form = RememberForm(request.POST or None, household=request.household, initial=begin)

    def save() -> Change:
        said = form.cleaned_data
        if not said["is_sure"] and (mass := said["line"].mass):
            try:
                ask_if_too_much(request.household, [said["planting"]], mass.mass_mg)
            except AskedError as error:
                form.ask()
                raise ValidationError(str(error)) from error
        return actions.remember(request.actor, said)

    return form_page(
        request,
        form,
        title="A harvest from memory",
        about=REMEMBER_ABOUT,
        for_helpers=True,
        save=save,
        back=reverse("weigh_in:lines"),
    )


@page_for(reads=Who.WRITER, writes=Who.WRITER, guests=everything)
def basket(request: HouseholdRequest) -> HttpResponse:
    """One weight for several plantings; sent twice, it is stored once."""
    plantings = (
        queries.in_reach(request.household, clock.today(request.household))
        .with_names()
        .as_they_stand()
    )
    form = BasketForm(
        request.POST or None,
        household=request.household,
        plantings=plantings,
        initial={"client_id": new_client_id()},
    )
    if request.method == "POST" and form.is_valid() and form.cleaned_data["waits"] == "those":
        return _weigh_those(request, form)
    if request.method == "POST" and form.is_valid() and not _of_waiting(request, form):
        _, refused = BENCH.take(request.actor, [form.raw(clock.now(request.household))])
        if not refused:
            messages.success(
                request, f"The basket is split over {len(form.cleaned_data['picked'])} plantings."
            )
            return redirect(bench_url(request, form.cleaned_data["picked"][0]))
        form.add_error(None, refused[0].reason)
        if refused[0].is_unusual:
            form.ask()
    context = {
        "form": form,
        "title": "A mixed basket",
        "about": BASKET_ABOUT,
        "back": reverse("weigh_in:bench"),
        "may_save": request.membership.may_write,
        "lists": {},
    }
    return render(request, "people/form.html", context, status=422 if form.errors else 200)


def _waiting_of(request: HouseholdRequest, form: BasketForm) -> QuerySet[WeighIn]:
    """The lines that wait of the plantings and the grade that a basket names."""
    said = form.cleaned_data
    waiting = lines_for(request, queries.waiting_lines(request.household))
    return waiting.filter(planting__in=said["picked"], grade=said["grade"])


def _of_waiting(request: HouseholdRequest, form: BasketForm) -> bool:
    """Ask of lines that wait whether this is their weight, unless that was said."""
    if form.cleaned_data["waits"]:
        return False
    found = [f"{line.planting.where} {line.count}" for line in _waiting_of(request, form)]
    if found:
        form.ask_of_waiting(f"Counted already, and not weighed: {', '.join(found)}. Is it these?")
    return bool(found)


def _weigh_those(request: HouseholdRequest, form: BasketForm) -> HttpResponse:
    """The lines that wait, ticked already, with the weight and the day that were said."""
    said = {"line": form.cleaned_data["typed"], "day": form.cleaned_data["day"] or ""}
    said |= {"lines": [str(line.pk) for line in _waiting_of(request, form)]}
    return redirect(f"{reverse('weigh_in:together')}?{urlencode(said, doseq=True)}")


@page_for(reads=Who.WRITER, writes=Who.WRITER, guests=everything)
def tare_after(request: HouseholdRequest) -> HttpResponse:
    """Put a tare in over lines already written: the bowl was on the scale."""
    today = clock.today(request.household)
    weighed = WeighIn.objects.of(request.household).filter(weighed_on=today, mass_mg__isnull=False)
    named = weighed.select_related(
        "planting__place", "planting__crop", "planting__variety"
    ).order_by("pk")
    form = TareAfterForm(
        request.POST or None, household=request.household, lines=lines_for(request, named)
    )
    about = (
        "The bowl was on the scale: say which, and with which of today's lines. Of a pile it "
        "comes off the first."
    )
    return form_page(
        request,
        form,
        title="A tare, put in afterwards",
        about=about,
        for_helpers=True,
        back=reverse("weigh_in:bench"),
        save=lambda: actions.tare_after(
            request.actor, form.cleaned_data["bowl"], form.cleaned_data["lines"]
        ),
    )


@page_for(reads=Who.MEMBER)
def shelf(request: HouseholdRequest) -> HttpResponse:
    """What lies on the ripening shelf."""
    found = queries.ripening(request.household, clock.today(request.household))
    lots = [lot for lot in found if lot.days <= queries.RIPENS_WITHIN_DAYS]
    return render(
        request, "weigh_in/shelf.html", {"lots": lots, "forgotten": found[: len(found) - len(lots)]}
    )


@page_for(reads=Who.WRITER, writes=Who.WRITER, of=lines_written)
def turn(request: HouseholdRequest, lot: WeighIn) -> HttpResponse:
    """Take ripe or lost fruit off the ripening shelf."""
    if lot.grade not in RIPENING or lot.struck_at is not None:
        raise Http404
    begin = {"grade": USUAL, "when": VagueDate(clock.today(request.household))}
    form = TurnForm(request.POST or None, household=request.household, initial=begin)
    return form_page(
        request,
        form,
        title=f"Off the shelf: {lot.planting}",
        about=TURN_ABOUT,
        for_helpers=True,
        save=lambda: actions.turn(request.actor, lot, form.cleaned_data),
        back=reverse("weigh_in:shelf"),
    )


@page_for(reads=Who.WRITER, writes=Who.WRITER, of=plantings)
def rename(request: HouseholdRequest, planting: Planting) -> HttpResponse:
    """Say what variety a pot turned out to hold; what it was taken for is kept."""
    begin = {
        "variety_name": planting.variety or "",
        "is_doubtful": planting.is_variety_doubtful,
        "when": VagueDate(clock.today(request.household)),
    }
    form = RenameForm(request.POST or None, household=request.household, initial=begin)
    return form_page(
        request,
        form,
        title=f"{planting.place} holds another variety",
        for_helpers=True,
        about=f"It was taken for {planting.label}; that stays on its page, with the day.",
        save=lambda: actions.rename(request.actor, planting, form.cleaned_data),
        back=bench_url(request, planting.pk),
    )


@page_for(reads=Who.WRITER, writes=Who.WRITER, of=plantings)
def single(request: HouseholdRequest, planting: Planting) -> HttpResponse:
    """Note one plant that stood out."""
    form = SinglePlantForm(request.POST or None, household=request.household)
    return form_page(
        request,
        form,
        title=f"One plant of {planting}",
        for_helpers=True,
        about="A note beside the harvest: its weight is not added to it.",
        save=lambda: actions.save_single(request.actor, form.save(commit=False), planting),
        back=bench_url(request, planting.pk),
    )


@page_for(writes=Who.OWNER, of=SinglePlant)
def strike_single(request: HouseholdRequest, found: SinglePlant) -> HttpResponse:
    """Take the note of a single plant out."""
    flash_change(request, strike(request.actor, found, f"The note of {found} was taken out."))
    back = BackForm(request.POST, host=request.get_host())
    return redirect(back.cleaned_data["back"] if back.is_valid() else "weigh_in:bench")


@page_for(reads=Who.MEMBER)
def kit(request: HouseholdRequest) -> HttpResponse:
    """Scales, bowls and the household's own measures, and which crops are counted."""
    found = queries.kit_of(request.household)
    context = {
        "kit": found,
        "learnt": [
            (measure, queries.learnt_of(request.household, measure)) for measure in found.measures
        ],
        "crops": Crop.objects.of(request.household).order_by("name"),
        "sizes": CropSize.objects.of(request.household)
        .select_related("crop")
        .order_by("crop__name", F("from_mm").desc(nulls_last=True), "word"),
    }
    return render(request, "weigh_in/kit.html", context)


@page_for(reads=Who.WRITER, writes=Who.WRITER, kinds=KIT_MODELS)
def kit_one(
    request: HouseholdRequest, found: Scale | Bowl | OwnMeasure | CropSize | None, what: str
) -> HttpResponse:
    """A scale, bowl, own measure or size of a crop, new or changed; a bowl weighed again leaves
    lines already written.
    """
    _, form_class, title = KIT[what]
    form = form_class(request.POST or None, instance=found, household=request.household)
    return form_page(
        request,
        form,
        title=str(found or title),
        for_helpers=True,
        back=reverse("weigh_in:kit"),
        save=lambda: save_owned(
            request.actor, form.save(commit=False), f"{form.instance} is kept."
        ),
        strike=reverse("weigh_in:kit_strike", args=[what, found.pk]) if found else "",
    )


kit_strike = strike_view(KIT_MODELS, lambda _: reverse("weigh_in:kit"))


@page_for(writes=Who.OWNER, of=Crop)
def counted(request: HouseholdRequest, crop: Crop) -> HttpResponse:
    """Say whether a crop is counted rather than weighed."""
    crop.is_counted = not crop.counts_alone
    flash_change(
        request,
        save_owned(
            request.actor, crop, f"{crop} is {'counted' if crop.is_counted else 'weighed'}."
        ),
    )
    return redirect("weigh_in:kit")
