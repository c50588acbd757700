"""Forms of a trial: asking it, planting it."""

from __future__ import annotations

from typing import Any, ClassVar

from django import forms

from kilter.core.amounts.vague import VagueDate
from kilter.core.compare.trial import TrialSpot, random_layout, treatments_of
from kilter.core.errors import ComparisonError
from kilter.ground.models import Part, Place
from kilter.people.forms import OfHousehold, VagueDateField
from kilter.set_out.forms import parse_methods
from kilter.set_out.models import UNIT_KINDS
from kilter.weigh_up.trials.actions import BLOCK_TAG, TRIAL_TAG, VARIETY
from kilter.weigh_up.trials.models import Trial

#: Tags that a trial writes itself.
RESERVED = frozenset({TRIAL_TAG, BLOCK_TAG})


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


class TrialForm(OfHousehold, forms.ModelForm):
    """A trial before it is planted."""

    crop_name = forms.CharField(label="crop", max_length=60, widget=forms.TextInput(attrs={"list": "crops"}))
    first_text = LevelsField(label="its kinds", help_text="With commas between: autumn, spring.")
    second_text = LevelsField(
        label="its kinds", required=False, help_text="Only where two things are compared at once."
    )
    spots = forms.MultipleChoiceField(
        label="places that take part",
        widget=forms.CheckboxSelectMultiple,
        help_text="As many as blocks times kinds: with 2 kinds, 4, 6, 8 … places.",
    )

    class Meta:
        model = Trial
        fields = ("name", "season", "first", "second", "alike", "is_blinded")
        widgets: ClassVar[dict[str, forms.Widget]] = {
            "first": forms.TextInput(attrs={"list": "things", "placeholder": "variety, setting, mulch …"}),
            "second": forms.TextInput(attrs={"list": "things"}),
            "alike": forms.Textarea(attrs={"rows": 3}),
        }

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
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
                "is_blinded",
                "spots",
            ]
        )
        self.places: dict[str, tuple[Place, Part | None]] = {}
        for place in Place.objects.of(self.household).in_order():
            self.places[f"{place.pk}-"] = (place, None)
        for part in Part.objects.of(self.household).filter(place__struck_at=None).select_related("place__site"):
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


class PlantTrialForm(OfHousehold, forms.Form):
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

    def __init__(self, *args: Any, trial: Trial, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.trial = trial
        self.fields["when"].initial = VagueDate(self.today)
        if any(name.lower() == VARIETY for name, _ in trial.things):
            self.fields["variety_name"].widget = forms.HiddenInput()

    def clean_methods(self) -> dict[str, str]:
        methods = parse_methods(self.cleaned_data["methods"])
        compared = {name.lower() for name, _ in self.trial.things} | RESERVED
        if clash := [name for name in methods if name.lower() in compared]:
            raise forms.ValidationError(f"“{clash[0]}” is what the trial compares or says itself.")
        return methods
