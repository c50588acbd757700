"""Forms of Weigh up beside the question: keeping one, scores and verdicts, trials."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, ClassVar

from django import forms
from django.http import QueryDict

from kilter.core.amounts.vague import VagueDate
from kilter.core.compare.trial import TrialSpot, random_layout, treatments_of
from kilter.core.errors import ComparisonError
from kilter.ground.models import Part, Place
from kilter.people import clock
from kilter.people.forms import VagueDateField
from kilter.people.models import Household
from kilter.set_out.forms import parse_methods
from kilter.set_out.models import UNIT_KINDS, Crop, Planting, Variety
from kilter.set_out.queries import seasons_of
from kilter.weigh_up.models import ADDRESS_LENGTH, Criterion, KeptQuestion, Trial, Verdict
from kilter.weigh_up.questions import QuestionForm
from kilter.weigh_up.trials import BLOCK_TAG, TRIAL_TAG, VARIETY
from kilter.weigh_up.verdicts import MEASURED, SEASONS_BEFORE_DROPPING

#: Tags that a trial writes itself.
RESERVED = frozenset({TRIAL_TAG, BLOCK_TAG})


class KeepForm(forms.Form):
    """A question to be kept: its name and its address, which must be one that can be asked."""

    name = forms.CharField(max_length=80)
    address = forms.CharField(max_length=ADDRESS_LENGTH)

    def __init__(self, data: Any, *, household: Household) -> None:
        super().__init__(data)
        self.household = household

    def clean_address(self) -> str:
        seasons = seasons_of(self.household, clock.today(self.household).year)
        asked = QuestionForm(QueryDict(self.cleaned_data["address"]), household=self.household, seasons=seasons)
        if not asked.is_valid():
            raise forms.ValidationError("This address holds no question.")
        return asked.question().address()


class KeptForm(forms.ModelForm):
    class Meta:
        model = KeptQuestion
        fields = ("name", "is_pinned")


class CropForm(forms.Form):
    """A page that is about one crop, in some seasons."""

    crop = forms.ModelChoiceField(Crop.objects.none(), empty_label=None)
    season = forms.TypedMultipleChoiceField(coerce=int, required=False, widget=forms.CheckboxSelectMultiple)
    by = forms.ChoiceField(choices=[("kg_per_plant", "weight"), ("count_per_plant", "number")], required=False)
    use = forms.CharField(max_length=20, required=False)

    def __init__(self, data: Any, *, household: Household) -> None:
        super().__init__(data)
        crop, season = self.fields["crop"], self.fields["season"]
        assert isinstance(crop, forms.ModelChoiceField)
        assert isinstance(season, forms.ChoiceField)
        growing = Planting.objects.of(household).order_by().values("crop_id")
        crop.queryset = Crop.objects.of(household).filter(pk__in=growing).order_by("name")
        season.choices = [(y, str(y)) for y in seasons_of(household, clock.today(household).year)]


class WeightsForm(forms.Form):
    """How much each criterion counts in a ranking."""

    def __init__(self, data: Any, *, weights: Mapping[str, float]) -> None:
        super().__init__(data)
        for n, (name, weight) in enumerate(weights.items()):
            self.fields[f"w{n}"] = forms.FloatField(
                label=name, min_value=0, max_value=100, required=False, initial=weight
            )
        self.begin = dict(weights)

    def weights(self) -> dict[str, float]:
        """What was said, else as it began."""
        said = self.cleaned_data if self.is_valid() else {}
        found = {}
        for n, (name, weight) in enumerate(self.begin.items()):
            value = said.get(f"w{n}")
            found[name] = weight if value is None else float(value)
        return found


class CriterionForm(forms.ModelForm):
    class Meta:
        model = Criterion
        fields = ("name", "weight")

    def __init__(self, *args: Any, household: Household, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.household = household

    def clean_name(self) -> str:
        name = " ".join(self.cleaned_data["name"].split())
        others = Criterion.objects.of(self.household).exclude(pk=self.instance.pk)
        if name.lower() in MEASURED or others.filter(name__iexact=name).exists():
            raise forms.ValidationError(f"“{name}” is there already.")
        return name


class ScoresForm(forms.Form):
    """One person's scores of a variety on every criterion; an empty one is no score."""

    season = forms.IntegerField(min_value=1900, max_value=2200)
    judge = forms.CharField(label="who says so", max_length=40, required=False)
    use = forms.CharField(
        label="for", max_length=20, required=False, help_text="bake, fresh, soup, dry; empty: in general.",
        widget=forms.TextInput(attrs={"list": "uses"}),
    )  # fmt: skip
    note = forms.CharField(max_length=200, required=False)

    def __init__(self, *args: Any, criteria: Sequence[Criterion], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.criteria = criteria
        steps = [("", "no score"), (1, "1 poor"), (2, "2"), (3, "3 middling"), (4, "4"), (5, "5 excellent")]
        for criterion in criteria:
            self.fields[f"c{criterion.pk}"] = forms.TypedChoiceField(
                label=criterion.name, choices=steps, coerce=int, empty_value=None, required=False
            )

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if not self.errors and not any(cleaned.get(f"c{c.pk}") for c in self.criteria):
            raise forms.ValidationError("Give at least one score, from 1 to 5.")
        return cleaned

    def said(self) -> list[tuple[Criterion, int]]:
        """Criterion and score of those given."""
        return [(c, value) for c in self.criteria if (value := self.cleaned_data[f"c{c.pk}"])]


class VerdictForm(forms.ModelForm):
    class Meta:
        model = Verdict
        fields = ("season", "kind", "reason")

    def __init__(self, *args: Any, variety: Variety, seasons_known: int, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.variety, self.seasons_known = variety, seasons_known
        self.fields["sure"] = forms.BooleanField(required=False, label="drop it all the same")
        self.order_fields(["season", "kind", "reason", "sure"])

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        hasty = cleaned.get("kind") == Verdict.Kind.NOT_AGAIN and self.seasons_known < SEASONS_BEFORE_DROPPING
        if hasty and not cleaned.get("sure"):
            known = "one season is" if self.seasons_known == 1 else "no season is"
            self.add_error(
                "sure", f"Only {known} on record for it, and one season may have been against it: try it in another "
                "season or place first, or tick here.",
            )  # fmt: skip
        return cleaned


class LevelsField(forms.CharField):
    """What is compared, with commas between."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(max_length=300, **kwargs)

    def clean(self, value: Any) -> list[str]:
        text = super().clean(value)
        levels = [" ".join(piece.split()) for piece in text.split(",")]
        levels = [level for level in levels if level]
        if any(len(level) > 80 or "=" in level or ";" in level for level in levels):
            raise forms.ValidationError("Each of those compared is at most 80 characters, without = and ;.")
        return levels


class TrialForm(forms.ModelForm):
    """A trial before it is planted."""

    crop_name = forms.CharField(label="crop", max_length=60, widget=forms.TextInput(attrs={"list": "crops"}))
    first_text = LevelsField(label="its kinds", help_text="With commas between: autumn, spring.")
    second_text = LevelsField(
        label="its kinds", required=False, help_text="Only where two things are compared at once."
    )
    spots = forms.MultipleChoiceField(
        label="places that take part", widget=forms.CheckboxSelectMultiple,
        help_text="As many as blocks times kinds: with 2 kinds, 4, 6, 8 … places.",
    )  # fmt: skip

    class Meta:
        model = Trial
        fields = ("name", "season", "first", "second", "alike", "is_hidden")
        widgets: ClassVar[dict[str, forms.Widget]] = {
            "first": forms.TextInput(attrs={"list": "things", "placeholder": "variety, setting, mulch …"}),
            "second": forms.TextInput(attrs={"list": "things"}),
            "alike": forms.Textarea(attrs={"rows": 3}),
        }

    def __init__(self, *args: Any, household: Household, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.household = household
        self.order_fields(
            [
                "name",
                "crop_name",
                "season",
                "first",
                "first_text",
                "second",
                "second_text",
                "alike",
                "is_hidden",
                "spots",
            ]
        )
        self.places: dict[str, tuple[Place, Part | None]] = {}
        for place in Place.objects.of(household).in_order():
            self.places[f"{place.pk}-"] = (place, None)
        for part in Part.objects.of(household).filter(place__struck_at=None).select_related("place__site"):
            self.places[f"{part.place_id}-{part.pk}"] = (part.place, part)
        spots = self.fields["spots"]
        assert isinstance(spots, forms.ChoiceField)
        spots.choices = [
            (key, f"{place}, {part}" if part else str(place)) for key, (place, part) in self.places.items()
        ]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        first, second = (" ".join((cleaned.get(n) or "").split()) for n in ("first", "second"))
        for name in (first, second):
            if "=" in name or ";" in name or name.lower() in RESERVED:
                self.add_error("first" if name == first else "second", f"“{name}” cannot be what is compared.")
        if second and second.lower() == first.lower():
            self.add_error("second", "The second thing is the same as the first.")
        if bool(second) != bool(cleaned.get("second_text")):
            self.add_error("second_text", "A second thing needs a name and its kinds; or leave both empty.")
        if self.errors:
            return cleaned
        self.instance.first, self.instance.second = first, second
        self.instance.first_levels, self.instance.second_levels = cleaned["first_text"], cleaned["second_text"]
        try:
            kinds = treatments_of([levels for _, levels in self.instance.things])
            random_layout([TrialSpot(key, "") for key in cleaned["spots"]], kinds, 1)
        except ComparisonError as error:
            raise forms.ValidationError(str(error)) from error
        return cleaned

    def picked(self) -> list[tuple[Place, Part | None]]:
        """The places that take part, in the order they stand."""
        wanted = set(self.cleaned_data["spots"])
        return [spot for key, spot in self.places.items() if key in wanted]


class PlantTrialForm(forms.Form):
    """What goes into every place of a trial alike."""

    units = forms.IntegerField(label="how many in each place", min_value=1, max_value=100_000)
    unit_kind = forms.ChoiceField(label="of what", choices=[(kind, kind) for kind in UNIT_KINDS])
    when = VagueDateField(label="planted", required=False)
    variety_name = forms.CharField(label="variety", max_length=80, required=False)
    in_row_cm = forms.FloatField(label="cm in the row", min_value=0.5, max_value=5000, required=False)
    row_gap_cm = forms.FloatField(label="cm between rows", min_value=0.5, max_value=5000, required=False)
    methods = forms.CharField(
        label="methods alike for all", max_length=300, required=False, help_text="mulch=straw; feed=none"
    )

    def __init__(self, *args: Any, household: Household, trial: Trial, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.trial = trial
        when = self.fields["when"]
        assert isinstance(when, VagueDateField)
        when.today = clock.today(household)
        when.initial = VagueDate(clock.today(household))
        if any(name.lower() == VARIETY for name, _ in trial.things):
            self.fields["variety_name"].widget = forms.HiddenInput()

    def clean_methods(self) -> dict[str, str]:
        methods = parse_methods(self.cleaned_data["methods"])
        compared = {name.lower() for name, _ in self.trial.things} | RESERVED
        if clash := [name for name in methods if name.lower() in compared]:
            raise forms.ValidationError(f"“{clash[0]}” is what the trial compares or says itself.")
        return methods
