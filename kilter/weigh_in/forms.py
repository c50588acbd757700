"""What the bench's address, its plain form, and the pages beside it may say."""

from __future__ import annotations

from collections.abc import Collection
from copy import deepcopy
from datetime import date, datetime
from typing import Any, ClassVar

from django import forms
from django.db.models import QuerySet

from kilter.core.amounts.units import BenchLine, in_unit, parse_bench_line
from kilter.core.amounts.vague import VagueDate, format_date
from kilter.core.errors import KilterError
from kilter.core.trade import grades
from kilter.devices.scale import LINES
from kilter.ground.models import Site
from kilter.people.forms import (
    DatedForm,
    DayField,
    HouseholdField,
    MassField,
    OfHousehold,
    PicksField,
    VagueDateField,
)
from kilter.people.models import Household, User
from kilter.set_out.models import Crop, CropSize, Planting
from kilter.set_out.telling import PlantingField, PlantingsField
from kilter.weigh_in.by_person import writers
from kilter.weigh_in.models import Bowl, OwnMeasure, Scale, SinglePlant, SplitBy, WeighIn
from kilter.weigh_in.said import FIELDS, MAX_KEY, SAME, TYPED, KeysField
from kilter.weigh_in.visits import not_yet_there

#: In place of a crop: all that stands in the yard.
YARD = "yard"


class CropOrYard(forms.ModelChoiceField):
    """One crop, or none where the whole yard is asked for."""

    def clean(self, value: Any) -> Any:
        return None if value == YARD else super().clean(value)


class BenchForm(OfHousehold, forms.Form):
    """Which crop is on the bench, which pot in hand, and whether varieties are hidden."""

    crop = CropOrYard(Crop.objects.none(), required=False)
    pot = forms.IntegerField(required=False, min_value=1)
    hidden = forms.BooleanField(required=False)
    site = forms.ModelChoiceField(Site.objects.none(), required=False, empty_label="every site")
    only = forms.RegexField(r"^(none|[0-9a-f]{32}(,[0-9a-f]{32}){0,19})$", required=False)
    day = DayField(required=False, label="weighed on")

    def __init__(self, *args: Any, since: date | None = None, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.since = since  #: the first day of whoever came by a link

    @property
    def is_yard(self) -> bool:
        """Whether all crops are asked for; whoever came by a link begins so."""
        asked = self.data.get("crop")
        return bool(asked == YARD or (self.since and not asked))

    def clean_day(self) -> date | None:
        """Today is no day of its own, and nothing is weighed tomorrow."""
        day: date | None = self.cleaned_data["day"]
        if day is not None and day > self.today:
            raise forms.ValidationError("That day is still ahead.")
        if day is not None and self.since and day < self.since:
            raise forms.ValidationError(f"Your link is of {format_date(VagueDate(self.since))}.")
        return None if day == self.today else day


class PickedPlantings(PlantingsField, PicksField):
    """Plantings ticked in a list."""


class LineForm(forms.Form):
    """One line, sent without script; its client_id was made with the page."""

    client_id = forms.RegexField(r"^[0-9a-f]{32}$")
    is_unusual = False  #: refused as far from the usual: it may be kept all the same

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields |= deepcopy(FIELDS)

    @property
    def raw(self) -> dict[str, Any]:
        """The event it makes, in the contract's shape."""
        return {"kind": "write", **self.cleaned_data}


class FinishManyForm(forms.Form):
    """Which pots are all lifted: those written today,
    or the whole set that the pot in hand belongs to.
    """

    which = forms.ChoiceField(choices=[("written", "written today"), ("set", "the whole set")])


class ReadForm(forms.Form):
    """A line as typed so far, to be shown on the dial."""

    typed = forms.CharField(max_length=60, required=False)


class BenchLineField(HouseholdField, forms.CharField):
    """A line in the bench's own way of writing; gives a `BenchLine`."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(max_length=60, **kwargs)
        self.household: Household | None = None
        self.widget.attrs.setdefault("placeholder", "940 12")

    def know(self, household: Household) -> None:
        self.household = household

    def clean(self, value: Any) -> BenchLine:
        text = super().clean(value)
        assert self.household is not None
        names = list(OwnMeasure.objects.of(self.household).values_list("name", flat=True))
        try:
            return parse_bench_line(text, self.household.default_unit, names)
        except KilterError as error:
            raise forms.ValidationError(str(error)) from error


class LinesField(PicksField):
    """Lines that wait, each by what was counted, where and when."""

    def label_from_instance(self, obj: Any) -> str:
        grade, counted = obj.get_grade_display(), obj.count or "not counted"
        return f"{counted} · {grade} · {obj.planting} · {obj.when}"


class WaitingForm(OfHousehold, forms.Form):
    """Which of the lines that wait are weighed together, and what was said of them already."""

    line = forms.CharField(max_length=60, required=False)
    day = DayField(required=False)
    lines = LinesField(WeighIn.objects.none(), widget=forms.CheckboxSelectMultiple)

    def __init__(self, *args: Any, lines: QuerySet[WeighIn], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["lines"].queryset = lines  # type: ignore[attr-defined]
        self.fields["lines"].error_messages["required"] = "Tick those that are weighed together."


class TogetherForm(WaitingForm):
    """The weight of several lines that wait, in one basket."""

    line = BenchLineField(label="weight", help_text="Of all of them together.")
    bowl = forms.ModelChoiceField(
        Bowl.objects.none(), required=False, label="in", empty_label="nothing: set to zero"
    )
    day = DayField(
        required=False, label="lifted on", help_text="Empty: each on the day it was counted."
    )

    field_order = ("lines", "line", "bowl", "day")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["line"].widget.attrs["placeholder"] = "2400 g"

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        day = cleaned.get("day")
        if day and day > self.today:
            self.add_error("day", "That day is still ahead.")
        elif day:
            early = (not_yet_there(one.planting, day) for one in cleaned.get("lines", ()))
            for words in filter(None, early):
                self.add_error("day", words)
        return cleaned


class WeighLaterForm(OfHousehold, forms.Form):
    """The weight of a line that was counted in the garden."""

    line = BenchLineField(
        label="weight", help_text="What the scale shows; a count after it replaces the one counted."
    )
    bowl = forms.ModelChoiceField(
        Bowl.objects.none(), required=False, label="in", empty_label="nothing: set to zero"
    )


class TurnForm(OfHousehold, forms.Form):
    """What was taken off the ripening shelf."""

    grade = forms.ChoiceField(
        choices=[c for c in grades.CHOICES if c[0] not in grades.RIPENING], label="turned out"
    )
    line = BenchLineField(label=TYPED)
    when = VagueDateField()


class AsksOnceForm(OfHousehold, forms.Form):
    """A form that asks once about what is far from the usual."""

    is_sure = forms.BooleanField(
        label="it is right all the same", required=False, widget=forms.HiddenInput
    )

    def ask(self) -> None:
        """Offer to keep what was asked about."""
        self.fields["is_sure"].widget = forms.CheckboxInput()


class RememberForm(AsksOnceForm):
    """A harvest written down from memory, as exactly as it is known."""

    planting = PlantingField()
    when = VagueDateField()
    grade = forms.ChoiceField(choices=grades.CHOICES, initial=grades.USUAL)
    line = BenchLineField(label="about how much", help_text="3kg ±0.5kg; 3kg ±20% 40; 2 tub; c12")
    note = forms.CharField(max_length=400, required=False)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["line"].widget.attrs["placeholder"] = "3kg ±0.5kg"

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        planting, when = cleaned.get("planting"), cleaned.get("when")
        if planting and when and (before := not_yet_there(planting, when.latest)):
            self.add_error("when", before)
        return cleaned


class TareAfterForm(OfHousehold, forms.Form):
    """A bowl that was on the scale, put in over lines already written."""

    bowl = forms.ModelChoiceField(Bowl.objects.none(), label="what was on the scale")
    lines = PicksField(
        WeighIn.objects.none(), widget=forms.CheckboxSelectMultiple, label="with these lines"
    )

    def __init__(self, *args: Any, lines: QuerySet[WeighIn], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["lines"].queryset = lines  # type: ignore[attr-defined]


class BasketForm(AsksOnceForm):
    """One weight for several plantings."""

    client_id = forms.RegexField(r"^[0-9a-f]{32}$", widget=forms.HiddenInput)
    picked = PickedPlantings(widget=forms.CheckboxSelectMultiple, label="from these plantings")
    grade = forms.ChoiceField(choices=grades.CHOICES, initial=grades.USUAL)
    typed = forms.CharField(
        max_length=60, label=TYPED, widget=forms.TextInput(attrs={"placeholder": "2400 60"})
    )
    day = DayField(required=False, label="lifted on", help_text="Empty: today.")
    waits = forms.ChoiceField(
        choices=[("", "choose"), ("those", "this is their weight"), ("others", "these are others")],
        required=False,
        widget=forms.HiddenInput,
        label="lines of these plantings wait for the scale",
    )
    split_by = forms.ChoiceField(choices=SplitBy.choices, label="split", initial=SplitBy.PLANTS)
    counts = KeysField(
        max_length=400,
        required=False,
        label="how many of each",
        help_text="For a split by count, in the order above: 12, 8.",
    )

    def __init__(self, *args: Any, plantings: QuerySet[Planting], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["picked"].queryset = plantings  # type: ignore[attr-defined]

    def clean_picked(self) -> list[int]:
        picked = [planting.pk for planting in self.cleaned_data["picked"]]
        if len(picked) < 2:
            raise forms.ValidationError("A mixed basket comes from two plantings or more.")
        return picked

    def clean_day(self) -> date | None:
        day: date | None = self.cleaned_data["day"]
        if day is not None and day > self.today:
            raise forms.ValidationError("That day is still ahead.")
        return day

    def ask_of_waiting(self, words: str) -> None:
        """Ask whether lines that wait are what lies in this basket."""
        self.fields["waits"].widget = forms.Select(choices=self.fields["waits"].choices)  # type: ignore[attr-defined]
        self.add_error("waits", words)

    def raw(self, now: datetime) -> dict[str, Any]:
        """The event it makes, in the contract's shape, of the day that was said."""
        cleaned = {name: said for name, said in self.cleaned_data.items() if name != "waits"}
        day = cleaned.pop("day") or now.date()
        at = now.replace(year=day.year, month=day.month, day=day.day).isoformat()
        picked = cleaned.pop("picked")
        return {"kind": "write", "plantings": picked, "visit": SAME, "at": at, **cleaned}


class RenameForm(OfHousehold, forms.Form):
    """What variety a planting turned out to be."""

    variety_name = forms.CharField(
        max_length=80, required=False, label="it is", help_text="Empty: unknown."
    )
    is_doubtful = forms.BooleanField(required=False, label="that is in doubt")
    when = VagueDateField(label="seen on")
    note = forms.CharField(max_length=200, required=False, label="how it was seen")


class ScaleForm(OfHousehold, forms.ModelForm):
    step_mg = MassField(label="reads in steps of", help_text="1 g, 5 g, 0.5 oz")
    limit_mg = MassField(label="bears up to", required=False)

    class Meta:
        model = Scale
        fields = ("name", "unit", "step_mg", "limit_mg")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for name in ("step_mg", "limit_mg"):
            mg = getattr(self.instance, name)
            if self.instance.unit and mg is not None:
                self.initial[name] = in_unit(mg, self.instance.unit)


class SizeForm(OfHousehold, forms.ModelForm):
    """A crop's own word for a size."""

    class Meta:
        model = CropSize
        fields = ("crop", "word", "grade", "from_mm")
        help_texts = {
            "word": "Large; Egg; Second best.",
            "from_mm": "The smallest that is called so. Empty: judged by eye.",
        }

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        crop, word = cleaned.get("crop"), cleaned.get("word")
        twins = CropSize.objects.of(self.household).filter(crop=crop, word__iexact=word or "")
        if crop and twins.exclude(pk=self.instance.pk).exists():
            self.add_error("word", f"{crop} has a size {word} already.")
        lines = WeighIn.objects.of(self.household).filter(size=self.instance.pk or 0)
        if {"crop", "grade"} & set(self.changed_data) and lines.exists():
            raise forms.ValidationError(
                "Lines were written of this size: its crop and grade stay. Add another size."
            )
        return cleaned


class BowlForm(OfHousehold, forms.ModelForm):
    mass_mg = MassField(label="weighs empty", help_text="310 g")

    class Meta:
        model = Bowl
        fields = ("name", "mass_mg")


class MeasureForm(OfHousehold, forms.ModelForm):
    class Meta:
        model = OwnMeasure
        fields = ("name",)
        help_texts = {
            "name": (
                "One word: tub, basket, bunch, meal. What it holds is learnt from those you weigh."
            )
        }

    def clean_name(self) -> str:
        name: str = self.cleaned_data["name"].lower()
        twins = OwnMeasure.objects.of(self.household).filter(name=name).exclude(pk=self.instance.pk)
        if twins.exists():
            raise forms.ValidationError(f"There is a {name} already.")
        return name


class SinglePlantForm(DatedForm):
    """One plant that stood out."""

    mass_mg = MassField(label="weight", required=False)

    class Meta:
        model = SinglePlant
        fields = ("mass_mg", "count", "note")
        help_texts = {"note": "Best one to propagate from; the only one without blight …"}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["count"].max_value = 100_000  # type: ignore[attr-defined]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean()
        if not any(cleaned.get(name) for name in ("mass_mg", "count", "note")) and not self.errors:
            raise forms.ValidationError(
                "Say its weight, how many were on it, or what was special about it."
            )
        return cleaned


#: What a line seldom says, in the order in which it is shown.
SELDOM_SAID = (
    "size",
    "pm_mg",
    "plants",
    "hand",
    "measures",
    "measure",
    "cause",
    "cleaned",
    "topped",
    "fullness",
    "is_thinning",
    "waits",
    "scale",
    "note",
)


class CorrectForm(OfHousehold, forms.ModelForm):
    """A line put right, today's or last year's; what it was is kept."""

    when = VagueDateField()
    shown = MassField(label="weight, as the scale showed it", required=False)
    tare_mg = MassField(label="tare, to be taken off", required=False)
    pm_mg = MassField(label="give or take", required=False, help_text="Of a weight from memory.")

    field_order = ("planting", "when", "grade", "count", "shown", "bowl", "tare_mg", *SELDOM_SAID)

    def seldom(self) -> Collection[str]:
        """Weight, count, grade and day are what is put right; the rest only where it was said."""
        return [
            name
            for name in self.field_order
            if name not in ("planting", "when", "grade", "count", "shown")
        ]

    class Meta:
        model = WeighIn
        fields = ("planting", "grade", "count", "bowl", *SELDOM_SAID)
        field_classes: ClassVar = {"planting": PlantingField}
        labels = {
            "plants": "from how many plants",
            "measures": "in own measures",
            "measure": "of",
            "cause": "why hurt or lost",
            "fullness": "ears or pods",
            "is_thinning": "these are thinnings",
            "waits": "waits for the scale",
            "bowl": "in",
        }

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        line = self.instance
        self.fields["when"].initial = line.when
        of_crop = Planting.objects.of(self.household).filter(crop=line.planting.crop)
        self.fields["planting"].queryset = of_crop.as_choices()  # type: ignore[attr-defined]
        sizes = CropSize.objects.of(self.household).filter(crop=line.planting.crop)
        self.fields["size"].queryset = sizes  # type: ignore[attr-defined]
        if not sizes:
            del self.fields["size"]
        mass_mg = line.mass_mg
        self.fields["shown"].initial = (
            line.reading_mg if line.pile else mass_mg and mass_mg + line.tare_mg
        )
        self.fields["tare_mg"].initial = line.tare_mg or None
        if line.pile:
            self.fields["shown"].label = "the running total, as the scale showed it"
            del self.fields["tare_mg"], self.fields["bowl"]
        self.fields["cause"].widget.attrs["list"] = "causes"
        if not line.fullness and not line.planting.crop.has_ears:
            del self.fields["fullness"]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        said = [cleaned.get(name) is not None for name in ("count", "shown", "measures")]
        if not any(said) and not self.errors:
            raise forms.ValidationError(
                "A line is a weight, a count, or both; to take it out, strike it."
            )
        if (cleaned.get("measures") is None) != (cleaned.get("measure") is None):
            self.add_error("measures", "Say how many, and of which measure.")
        size, planting, when = (cleaned.get(name) for name in ("size", "planting", "when"))
        if size and size.grade != cleaned.get("grade"):
            self.add_error("size", f"{size} is graded {size.get_grade_display()}.")
        if planting and when and (before := not_yet_there(planting, when.latest)):
            self.add_error("when", before)
        return cleaned


class HandForm(forms.Form):
    """What a tester does to the simulated scale: one button at a time,
    with its figure where it has one.
    """

    WITH_GRAMS: ClassVar = ("put", "noise", "drift", "limit")
    WITHOUT: ClassVar = ("take", "zero", "unplug", "plug", *(f"line {how}" for how in LINES))

    do = forms.ChoiceField(choices=[(w, w) for w in WITH_GRAMS + WITHOUT])
    grams = forms.FloatField(required=False, min_value=-100_000, max_value=100_000)

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if cleaned.get("do") in self.WITH_GRAMS and cleaned.get("grams") is None:
            self.add_error("grams", "Say how many grams.")
        return cleaned

    @property
    def wish(self) -> str:
        """The request in the scale's protocol."""
        do, grams = self.cleaned_data["do"], self.cleaned_data["grams"]
        return f"{do} {grams:g}" if do in self.WITH_GRAMS else str(do)


class LinesForm(OfHousehold, forms.Form):
    """Which lines to look at."""

    crop = forms.ModelChoiceField(Crop.objects.none(), required=False, empty_label="every crop")
    day = DayField(required=False)
    pot = forms.IntegerField(
        required=False, min_value=1, max_value=MAX_KEY, widget=forms.HiddenInput
    )

    @property
    def is_asked(self) -> bool:
        """Whether anything narrows the lines down."""
        return any(self.data.get(name) for name in self.fields)


class PersonForm(OfHousehold, forms.Form):
    """Whose writing is taken back, and since which day."""

    person = forms.ChoiceField(label="Who wrote it")
    since = DayField(label="Since")

    def __init__(self, *args: Any, household: Household, **kwargs: Any) -> None:
        super().__init__(*args, household=household, **kwargs)
        self.people = {str(person.pk): person for person in writers(household)}
        chosen = self.fields["person"]
        assert isinstance(chosen, forms.ChoiceField)
        chosen.choices = [
            ("", "choose"),
            *((key, str(person)) for key, person in self.people.items()),
        ]
        self.fields["since"].initial = self.today

    def clean_person(self) -> User:
        return self.people[self.cleaned_data["person"]]
