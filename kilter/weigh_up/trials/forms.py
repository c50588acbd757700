"""Forms of a trial: asking it, planting it."""

from __future__ import annotations

from typing import Any, ClassVar

from django import forms

from kilter.core.amounts.vague import VagueDate
from kilter.core.compare.trial import TrialSpot, random_layout
from kilter.core.errors import ComparisonError
from kilter.core.trade.units import UNIT_KINDS
from kilter.ground.choosing import ChooseField, spots_of
from kilter.ground.models import Part, Place
from kilter.people.forms import Group, OfHousehold, VagueDateField
from kilter.set_out.choosing import ChoosePlantings
from kilter.set_out.forms import parse_methods
from kilter.set_out.models import Planting
from kilter.weigh_up.question.first import OWN_TAGS
from kilter.weigh_up.trials.actions import brought, drawn_kinds
from kilter.weigh_up.trials.factors import VARIETY, is_density, of_place, of_planting, place_factor
from kilter.weigh_up.trials.models import Trial


class LevelsField(forms.CharField):
    """What is compared, with commas between."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(max_length=300, **kwargs)

    def clean(self, value: Any) -> list[str]:
        text = super().clean(value)
        levels = [" ".join(piece.split()) for piece in text.split(",")]
        levels = [level for level in levels if level]
        if any(len(level) > 80 or "=" in level or ";" in level for level in levels):
            raise forms.ValidationError(
                "Each of those compared is at most 80 characters, without = and ;."
            )
        return levels


class AskForm(OfHousehold, forms.ModelForm):
    """What every trial says: the question, the crop's season, what is compared,
    what must stay alike.
    """

    class Meta:
        model = Trial
        fields: tuple[str, ...] = ("name", "season", "first", "second", "alike")
        widgets: ClassVar[dict[str, forms.Widget]] = {
            "first": forms.TextInput(
                attrs={"list": "things", "placeholder": "variety, material, mulch, plants …"}
            ),
            "second": forms.TextInput(attrs={"list": "things"}),
            "alike": forms.Textarea(attrs={"rows": 3}),
        }

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        first, second = (" ".join((cleaned.get(n) or "").split()) for n in ("first", "second"))
        for name in (first, second):
            if "=" in name or ";" in name or name.lower() in OWN_TAGS:
                self.add_error(
                    "first" if name == first else "second", f"“{name}” cannot be what is compared."
                )
        if second and second.lower() == first.lower():
            self.add_error("second", "The second thing is the same as the first.")
        self.instance.first, self.instance.second = first, second
        return cleaned


class TrialForm(AskForm):
    """A trial before it is planted."""

    crop_name = forms.CharField(
        label="crop", max_length=60, widget=forms.TextInput(attrs={"list": "crops"})
    )
    first_text = LevelsField(
        label="its kinds",
        required=False,
        help_text="With commas between: autumn, spring. Of plants in each place: 2, 3, 4. Left "
        "empty for what a place "
        "brings with it (material, volume, light, bed): that is read from the places.",
    )
    second_text = LevelsField(
        label="its kinds", required=False, help_text="Only where two things are compared at once."
    )
    spots = ChooseField(
        label="places that take part",
        help_text=(
            "Twice as many as kinds, or more; uneven numbers are shared out as evenly as they go."
        ),
    )
    field_order = (
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
    )
    groups = (
        Group("What you want to know", "", ("name", "crop_name", "season")),
        Group("What differs", "", ("first", "first_text")),
        Group(
            "A second thing at once",
            "Left empty, one thing is compared.",
            ("second", "second_text"),
        ),
        Group(
            "So that it is fair",
            "What is kept back is shown nowhere, so that no pot is treated as the better one.",
            ("alike", "is_blinded"),
        ),
        Group("Where", "", ("spots",)),
    )

    class Meta(AskForm.Meta):
        fields = (*AskForm.Meta.fields, "is_blinded")

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean()
        if bool(self.instance.second) != bool(cleaned.get("second_text")) and not place_factor(
            self.instance.second
        ):
            self.add_error(
                "second_text", "A second thing needs a name and its kinds; or leave both empty."
            )
        for name, typed in (("first", "first_text"), ("second", "second_text")):
            self._check_kinds(getattr(self.instance, name), typed)
        if self.errors:
            return cleaned
        spots = spots_of(cleaned["spots"])
        self.instance.first_levels, self.instance.second_levels = (
            self._levels(name, cleaned[typed], spots)
            for name, typed in (
                (self.instance.first, "first_text"),
                (self.instance.second, "second_text"),
            )
        )
        try:
            asked = [
                TrialSpot(str(i), "", stratum=brought(self.instance, *spot))
                for i, spot in enumerate(spots)
            ]
            random_layout(asked, drawn_kinds(self.instance), 1)
        except ComparisonError as error:
            raise forms.ValidationError(str(error)) from error
        return cleaned

    def _check_kinds(self, name: str, typed: str) -> None:
        kinds = self.cleaned_data.get(typed) or []
        if not name or typed in self.errors:
            return
        if place_factor(name) and kinds:
            self.add_error(
                typed, f"The {name} comes with the places; leave this empty, it is read from them."
            )
        elif not place_factor(name) and len(kinds) < 2:
            self.add_error(typed, "Two or more to compare, with commas between.")
        elif is_density(name) and not all(
            kind.isascii() and kind.isdigit() and int(kind) for kind in kinds
        ):
            self.add_error(
                typed, "How many plants in each place: whole numbers with commas between, 2, 3, 4."
            )

    def _levels(
        self, name: str, kinds: list[str], spots: list[tuple[Place, Part | None]]
    ) -> list[str]:
        if not place_factor(name):
            return kinds
        bare = [place for place, part in spots if not of_place(name, place, part)]
        if bare:
            raise forms.ValidationError(
                f"The {name} of {bare[0]} was not written down; change the place first."
            )
        return sorted({of_place(name, *spot) for spot in spots})

    def picked(self) -> list[tuple[Place, Part | None]]:
        """The places that take part, in the order they stand."""
        return spots_of(self.cleaned_data["spots"])


class AfterwardsForm(AskForm):
    """A trial of what stands already; what is compared is read from the plantings."""

    plantings = ChoosePlantings(
        ("planting",),
        label="plantings that take part",
        help_text="Of one crop and season, two of each kind or more.",
    )
    field_order = ("name", "first", "second", "alike", "plantings")

    class Meta(AskForm.Meta):
        fields = ("name", "first", "second", "alike")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        plantings = self.fields["plantings"]
        assert isinstance(plantings, ChoosePlantings)
        recent = Planting.objects.of(self.household).filter(season__gte=self.today.year - 1)
        plantings.add("planting", recent.with_names().prefetch_related("methods").as_they_stand())

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean()
        found = self.picked() if "plantings" in cleaned else []
        if len({(p.crop_id, p.season) for p in found}) > 1:
            self.add_error("plantings", "A trial is of one crop in one season.")
        if self.errors or not found:
            return cleaned
        self.instance.crop, self.instance.season = found[0].crop, found[0].season
        levels = [
            sorted({self._level(name, planting) for planting in found}) if name else []
            for name in (self.instance.first, self.instance.second)
        ]
        self.instance.first_levels, self.instance.second_levels = levels
        try:
            strata = [
                tuple(of_planting(name, p) for name, _ in self.instance.things) for p in found
            ]
            random_layout(
                [TrialSpot(str(i), "", stratum=one) for i, one in enumerate(strata)], ((),), 1
            )
        except ComparisonError as error:
            raise forms.ValidationError(str(error)) from error
        return cleaned

    def _level(self, name: str, planting: Planting) -> str:
        level = of_planting(name, planting)
        if not level:
            raise forms.ValidationError(
                f"The {name} of {planting} was not written down; change the planting first."
            )
        return level

    def picked(self) -> list[Planting]:
        """The plantings that take part, as they stand."""
        return [planting for _, planting in self.cleaned_data["plantings"]]


class PlantTrialForm(OfHousehold, forms.Form):
    """What goes into every place of a trial alike."""

    units = forms.IntegerField(label="how many in each place", min_value=1, max_value=100_000)
    unit_kind = forms.ChoiceField(label="of what", choices=[(kind, kind) for kind in UNIT_KINDS])
    when = VagueDateField(label="planted", required=False)
    variety_name = forms.CharField(label="variety", max_length=80, required=False)
    in_row_cm = forms.FloatField(
        label="apart in the row, cm", min_value=0.5, max_value=5000, required=False
    )
    row_gap_cm = forms.FloatField(
        label="between rows, cm", min_value=0.5, max_value=5000, required=False
    )
    methods = forms.CharField(
        label="methods alike for all",
        max_length=300,
        required=False,
        help_text="mulch=straw; feed=none",
    )

    def __init__(self, *args: Any, trial: Trial, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.trial = trial
        self.fields["when"].initial = VagueDate(self.today)
        if any(name.lower() == VARIETY for name, _ in trial.things):
            self.fields["variety_name"].widget = forms.HiddenInput()
        if any(is_density(name) for name, _ in trial.things):
            self.fields["units"].widget, self.fields["units"].required = forms.HiddenInput(), False

    def clean_methods(self) -> dict[str, str]:
        methods = parse_methods(self.cleaned_data["methods"])
        compared = {name.lower() for name, _ in self.trial.things} | OWN_TAGS
        if clash := [name for name in methods if name.lower() in compared]:
            raise forms.ValidationError(f"“{clash[0]}” is what the trial compares or says itself.")
        return methods
