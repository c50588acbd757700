"""The sentence of a planting, and the forms to change or finish one."""

from __future__ import annotations

import re
from typing import Any

from django import forms

from kilter.core.handbook import handbook
from kilter.ground.models import Place
from kilter.people.models import Household
from kilter.set_out.models import UNIT_KINDS, Crop, Planting

_TAG = re.compile(r"\s*([^=;]{1,40}?)\s*=\s*([^=;]{1,80}?)\s*")
#: What the empty gaps of the sentence say.
HINTS = {
    "units": "…",
    "crop_name": "crop",
    "variety_name": "unknown variety",
    "lot": "any lot",
    "in_row_cm": "…",
    "row_gap_cm": "…",
    "methods_text": "no methods noted",
}


def parse_methods(text: str) -> dict[str, str]:
    """Read ``setting=autumn; mulch=straw``; the error names the piece that cannot be read."""
    methods: dict[str, str] = {}
    for piece in filter(None, (part.strip() for part in text.split(";"))):
        match = _TAG.fullmatch(piece)
        if match is None:
            raise forms.ValidationError(f"“{piece}” is no method; write name=value, and ; between several.")
        if match[1] in methods:
            raise forms.ValidationError(f"“{match[1]}” is said twice; a method has one value.")
        methods[match[1]] = match[2]
    return methods


def format_methods(methods: dict[str, str]) -> str:
    """Write methods as `parse_methods` reads them."""
    return ";".join(f"{name}={value}" for name, value in sorted(methods.items()))


class PlantingForm(forms.ModelForm):
    """One planting, to be changed; crops and varieties not yet known are made."""

    crop_name = forms.CharField(max_length=60, label="crop")
    variety_name = forms.CharField(max_length=80, label="variety", required=False, help_text="Leave empty if unknown.")
    in_row_cm = forms.FloatField(label="cm apart in the row", required=False, min_value=0.5, max_value=5000)
    row_gap_cm = forms.FloatField(label="cm between rows", required=False, min_value=0.5, max_value=5000)
    methods_text = forms.CharField(
        label="methods", required=False, max_length=600, help_text="setting=autumn; mulch=straw"
    )

    field_order = (
        "crop_name", "variety_name", "units", "unit_kind", "place", "lot", "planted_on", "season", "in_row_cm",
        "row_gap_cm", "methods_text", "finished_on",
    )  # fmt: skip

    class Meta:
        model = Planting
        fields: tuple[str, ...] = ("units", "unit_kind", "lot", "place", "planted_on", "season", "finished_on")
        widgets = {
            "planted_on": forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d"),
            "finished_on": forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d"),
        }

    def __init__(self, *args: Any, household: Household, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.household = household
        if "place" in self.fields:
            place = self.fields["place"]
            assert isinstance(place, forms.ModelChoiceField)
            place.queryset = Place.objects.of(household).in_order()
            place.empty_label = None
        self.fields["units"].required = True
        for name, listed in (("unit_kind", "unit-kinds"), ("crop_name", "crops"), ("variety_name", "varieties")):
            self.fields[name].widget.attrs["list"] = listed
        if self.instance.pk:
            self._show(self.instance)

    def _show(self, planting: Planting) -> None:
        self.initial = {
            **self.initial,
            "crop_name": planting.crop.name,
            "variety_name": planting.variety.name if planting.variety else "",
            "in_row_cm": planting.in_row_m and round(planting.in_row_m * 100, 2),
            "row_gap_cm": planting.row_gap_m and round(planting.row_gap_m * 100, 2),
            "methods_text": format_methods({tag.name: tag.value for tag in planting.methods.all()}),
        }

    def clean_methods_text(self) -> dict[str, str]:
        return parse_methods(self.cleaned_data["methods_text"])

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        for name in ("in_row", "row_gap"):
            cm = cleaned.get(f"{name}_cm")
            setattr(self.instance, f"{name}_m", cm and cm / 100)
        start, end = cleaned.get("planted_on"), cleaned.get("finished_on")
        if start and end and end < start:
            self.add_error("finished_on", f"It cannot be done on {end} when it was planted on {start}.")
        return cleaned


class PlacesField(forms.ModelMultipleChoiceField):
    """Several places; a number too large for any is simply not one of them."""

    def clean(self, value: Any) -> Any:
        try:
            return super().clean(value)
        except OverflowError as error:
            raise forms.ValidationError("One of these is no place of yours.") from error


class SetOutForm(PlantingForm):
    """A new planting: the same in each of the places picked."""

    places = PlacesField(Place.objects.none(), error_messages={"required": "Pick at least one place to plant in."})

    class Meta(PlantingForm.Meta):
        fields: tuple[str, ...] = ("units", "unit_kind", "lot", "planted_on", "season")

    def __init__(self, *args: Any, household: Household, **kwargs: Any) -> None:
        super().__init__(*args, household=household, **kwargs)
        places = self.fields["places"]
        assert isinstance(places, forms.ModelMultipleChoiceField)
        places.queryset = Place.objects.of(household).in_order()
        for name, hint in HINTS.items():
            self.fields[name].widget.attrs["placeholder"] = hint


class FinishForm(forms.Form):
    """The date of the last lift."""

    finished_on = forms.DateField(widget=forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d"))


class SeasonForm(forms.Form):
    """The season a page shows."""

    season = forms.IntegerField(min_value=1900, max_value=2200, required=False)


def known_words(household: Household) -> dict[str, list[str]]:
    """What the form offers as one types: crops, varieties, unit kinds."""
    crops = Crop.objects.of(household).prefetch_related("varieties")
    own = {crop.name for crop in crops}
    varieties = sorted({v.name for crop in crops for v in crop.varieties.all() if v.struck_at is None})
    return {"crops": sorted(own | set(handbook())), "varieties": varieties, "unit-kinds": list(UNIT_KINDS)}
