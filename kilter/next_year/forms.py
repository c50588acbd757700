"""What the gardener says of a plan, and of one crop in it."""

from __future__ import annotations

from typing import Any

from django import forms
from django.core.exceptions import ValidationError

from kilter.core.fit.problem import SLOTS
from kilter.ground.models import Place
from kilter.next_year.again import DAYS_A_SLOT, Again, Before
from kilter.people.forms import CommaNumbers, DayField, Group, OfHousehold, PriceField
from kilter.people.meeting import OfRecord
from kilter.people.models import Eater
from kilter.plans.models import LEAST_SURE, MOST_SURE, Plan, PlannedCrop, Shelf, Wish, begins_words
from kilter.plans.queries import not_eaten_of

#: Left empty, they are as at first.
QUIET = (
    "given_kg",
    "animals_kg",
    "own_percent",
    "weight",
    "sowings",
    "variety_share_percent",
    "site_share_percent",
)


def _field(name: str) -> Any:
    """A field of what is said of a crop."""
    return PlannedCrop._meta.get_field(name)


class PlannedCropForm(OfHousehold, forms.ModelForm):
    """One crop of a plan."""

    until = DayField(required=False, is_ahead=True)
    pull_from = DayField(required=False, is_ahead=True)
    pull_until = DayField(required=False, is_ahead=True)
    without = forms.ModelMultipleChoiceField(
        Eater.objects.none(),
        required=False,
        widget=forms.CheckboxSelectMultiple,
        label="who does not eat it",
    )

    class Meta:
        model = PlannedCrop
        fields = (
            "way",
            "own_percent",
            "servings_per_week",
            "serving_g",
            "goal",
            "weeks",
            "until",
            "certainty",
            "own_plants",
            "weight",
            "is_must",
            "given_kg",
            "animals_kg",
            "store_loss_percent",
            "germination_percent",
            "sowings",
            "frost_risk",
            "lifts_per_week",
            "plants_per_lift",
            "pull_from",
            "pull_until",
            "variety_share_percent",
            "site_share_percent",
        )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for name in ("until", "pull_from", "pull_until"):
            self.fields[name].label = _field(name).verbose_name
        for name in QUIET:
            self.fields[name].required = False
        risks = _field("frost_risk").choices
        self.fields["frost_risk"].choices = [("", ("as the plan says")), *risks]  # type: ignore[attr-defined]
        if not self.household.eater_set.filter(struck_at=None).exists():
            del self.fields["without"]
        else:
            self.fields["without"].initial = list(
                not_eaten_of(self.household).get(self.instance.crop_id, ())
            )

    def seldom(self) -> frozenset[str]:
        return frozenset(
            {
                "own_plants",
                "is_must",
                "weight",
                "given_kg",
                "animals_kg",
                "sowings",
                "frost_risk",
                "lifts_per_week",
                "plants_per_lift",
                "pull_from",
                "pull_until",
                "own_percent",
                "variety_share_percent",
                "site_share_percent",
            }
        )

    def _is_open(self, field: forms.BoundField) -> bool:
        defaults = {
            "weight": 3,
            "sowings": 1,
            "own_percent": 50,
            "variety_share_percent": 100,
            "site_share_percent": 100,
        }
        return bool(field.errors) or field.value() not in (
            None,
            "",
            False,
            0,
            0.0,
            "0",
            defaults.get(field.name),
        )

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        for name in QUIET:
            if cleaned.get(name) is None and name not in self.errors:
                cleaned[name] = _field(name).get_default()
        if (
            cleaned.get("goal") == PlannedCrop.Goal.UNTIL
            and not cleaned.get("until")
            and "until" not in self.errors
        ):
            self.add_error("until", "Say until when, such as 1 April.")
        begins, ends = cleaned.get("pull_from"), cleaned.get("pull_until")
        if begins and ends and begins > ends:
            self.add_error("pull_until", "This lies before the day it is pulled from.")
        if bool(cleaned.get("lifts_per_week")) != bool(cleaned.get("plants_per_lift")):
            lacking = "plants_per_lift" if cleaned.get("lifts_per_week") else "lifts_per_week"
            self.add_error(lacking, "How often and how many go together.")
        return cleaned


class CertaintyForm(forms.Form):
    """How sure to be, as the slider says."""

    certainty = forms.IntegerField(min_value=LEAST_SURE, max_value=MOST_SURE)


class AddCropForm(forms.Form):
    """A crop to plan that has not been grown here."""

    crop_name = forms.CharField(max_length=60, label="crop")


class PlanForm(OfHousehold, forms.ModelForm):
    """A plan's name and choices."""

    money_minor = PriceField(required=False, label="money at most")

    field_order = (
        "name",
        "first",
        "frost_risk",
        "rest",
        "minutes_a_week",
        "litres_a_day",
        "money_minor",
        "note",
    )
    groups = (
        Group("The plan", "", ("name", "note")),
        Group("What matters", "", ("first", "frost_risk", "rest")),
        Group(
            "What there is",
            "A fit stays within these; left empty, there is no limit.",
            ("minutes_a_week", "litres_a_day", "money_minor"),
        ),
    )

    class Meta:
        model = Plan
        fields = (
            "name",
            "first",
            "frost_risk",
            "rest",
            "minutes_a_week",
            "litres_a_day",
            "money_minor",
            "note",
        )

    def clean_name(self) -> str:
        name: str = self.cleaned_data["name"]
        check_name(self.instance, name)
        return name


class CopyForm(forms.Form):
    """What a copy of a plan is called."""

    name = forms.CharField(max_length=60, label="name of another plan")

    def __init__(self, *args: Any, plan: Plan, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.plan = plan

    def clean_name(self) -> str:
        name: str = self.cleaned_data["name"]
        check_name(Plan(household=self.plan.household, season=self.plan.season), name)
        return name


def check_name(plan: Plan, name: str) -> None:
    """Refuse a name that another plan of the season has."""
    others = (
        Plan.objects.of(plan.household).filter(season=plan.season, name=name).exclude(pk=plan.pk)
    )
    if others.exists():
        raise ValidationError(f"There is a plan called {name} for {plan.season} already.")


class WishForm(OfRecord, CommaNumbers, forms.ModelForm):
    """What somebody would like to grow."""

    class Meta:
        model = Wish
        fields = ("crop_name", "said_by", "note")


class ShelfForm(OfRecord, CommaNumbers, forms.ModelForm):
    """A shelf under lights."""

    class Meta:
        model = Shelf
        fields = ("name", "cells")


class AgainForm(OfHousehold, forms.Form):
    """Which plantings come again: how many in each place, from when, and where."""

    later = forms.IntegerField(
        label="All of them later by … days", required=False, min_value=-120, max_value=120
    )

    def __init__(self, *args: Any, rows: list[Before], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.rows = rows
        self.fields["later"].widget.attrs["placeholder"] = "0; earlier is −14"
        places = [(place.pk, str(place)) for place in Place.objects.of(self.household).in_order()]
        self.places = {place.pk: place for place in Place.objects.of(self.household)}
        for row in rows:
            called = f"{row.lane.label}, {row.lane.places}"
            self.fields[f"on-{row.key}"] = forms.BooleanField(
                label=f"Again: {called}", required=False
            )
            self.fields[f"n-{row.key}"] = forms.IntegerField(
                label=f"How many of {called}",
                initial=row.lane.first.units or 1,
                min_value=1,
                max_value=100_000,
                required=False,
            )
            self.fields[f"s-{row.key}"] = forms.TypedChoiceField(
                label=f"From when: {called}",
                choices=[(slot, begins_words(slot)) for slot in range(SLOTS)],
                coerce=int,
                empty_value=None,
                initial=row.start,
                required=False,
            )
            if row.place is not None:
                self.fields[f"p-{row.key}"] = forms.TypedChoiceField(
                    label=f"Where: {called}",
                    choices=places,
                    coerce=int,
                    empty_value=None,
                    initial=row.place.pk,
                    required=False,
                )

    @property
    def lines(self) -> list[tuple[Before, list[forms.BoundField]]]:
        """Each planting with its fields: ticked, how many, from when, where."""
        names = ("on", "n", "s", "p")
        return [
            (
                row,
                [self[f"{n}-{row.key}"] for n in names if f"{n}-{row.key}" in self.fields],
            )
            for row in self.rows
        ]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if not any(cleaned.get(f"on-{row.key}") for row in self.rows):
            raise forms.ValidationError("Tick what is to come again.")
        return cleaned

    @property
    def chosen(self) -> list[Again]:
        """What is planned of those that were ticked."""
        said = self.cleaned_data
        shift = round((said.get("later") or 0) / DAYS_A_SLOT)
        return [
            Again(
                before=row,
                plants=said.get(f"n-{row.key}") or row.lane.first.units or 1,
                start=min(max(self._start(row) + shift, 0), SLOTS - 1),
                place=self.places.get(said.get(f"p-{row.key}") or 0),
            )
            for row in self.rows
            if said.get(f"on-{row.key}")
        ]

    def _start(self, row: Before) -> int:
        said: int | None = self.cleaned_data.get(f"s-{row.key}")
        return row.start if said is None else said
