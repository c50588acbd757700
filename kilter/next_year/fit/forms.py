"""What the gardener says of a fit: where a crop may stand, and where it is planned to."""

from __future__ import annotations

from typing import Any

from django import forms

from kilter.ground.forms import InPart
from kilter.ground.models import Place
from kilter.people.forms import OfHousehold
from kilter.plans.models import HALVES, PlannedPlanting, Spot


class PlaceRuleForm(OfHousehold, forms.ModelForm):
    """Only here, not here, kept free; alone, or beside another."""

    class Meta:
        model = Spot
        fields = ("crop", "says", "place", "other")
        help_texts = {
            "crop": "With “not here” it may be empty: the place is kept free of everything.",
            "place": "For “only here” and “not here”.",
            "other": "For “in one bed with”.",
        }

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        says = cleaned.get("says")
        of_place = says in {Spot.Says.ONLY, Spot.Says.NEVER}
        if says != Spot.Says.NEVER and not cleaned.get("crop") and "crop" not in self.errors:
            self.add_error("crop", "Say which crop it is.")
        if of_place and not cleaned.get("place") and "place" not in self.errors:
            self.add_error("place", "Say in which place.")
        if says == Spot.Says.WITH and not cleaned.get("other") and "other" not in self.errors:
            self.add_error("other", "Say which crop it is to share its bed with.")
        if (
            says == Spot.Says.WITH
            and cleaned.get("crop")
            and cleaned.get("crop") == cleaned.get("other")
        ):
            self.add_error("other", "That is the same crop.")
        if not of_place:
            cleaned["place"] = None
        if says != Spot.Says.WITH:
            cleaned["other"] = None
        return cleaned


class WeekForm(forms.Form):
    """A week of the season's year."""

    week = forms.IntegerField(min_value=0, max_value=51)


class SlotForm(forms.Form):
    """A half-month of the season's year."""

    slot = forms.TypedChoiceField(choices=list(enumerate(HALVES)), coerce=int, required=False)


class ShiftForm(OfHousehold, forms.Form):
    """Where a planned planting was dragged to."""

    start = forms.IntegerField(min_value=0, max_value=23)
    place = forms.ModelChoiceField(Place.objects.none())


class PlannedPlantingForm(InPart, forms.ModelForm):
    """A planned planting, typed instead of dragged."""

    start = forms.TypedChoiceField(choices=list(enumerate(HALVES)), coerce=int, label="from")
    end = forms.TypedChoiceField(choices=list(enumerate(HALVES)), coerce=int, label="to")

    class Meta:
        model = PlannedPlanting
        fields = ("place", "part", "plants", "start", "end", "variety")

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        start, end = cleaned.get("start"), cleaned.get("end")
        if start is not None and end is not None and start > end:
            self.add_error("end", "It cannot go before it comes.")
        variety = cleaned.get("variety")
        if variety is not None and variety.crop_id != self.instance.crop_id:
            self.add_error("variety", f"This is no variety of {self.instance.crop}.")
        return cleaned
