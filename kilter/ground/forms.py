"""Forms of sites, beds and sets of containers."""

from __future__ import annotations

from typing import Any

from django import forms

from kilter.ground.models import Place, Site
from kilter.people.models import Household

MAX_SET = 200


class SiteForm(forms.ModelForm):
    """A site and its size."""

    class Meta:
        model = Site
        fields = ("name", "length_m", "width_m", "notes")
        widgets = {"notes": forms.Textarea(attrs={"rows": 2})}


class PlaceForm(forms.ModelForm):
    """One place, new or to be changed."""

    class Meta:
        model = Place
        fields: tuple[str, ...] = (
            "site",
            "kind",
            "name",
            "number",
            "length_m",
            "width_m",
            "volume_l",
            "material",
            "x_m",
            "y_m",
        )
        help_texts = {
            "x_m": "Of its south-west corner, from the site's.",
            "y_m": "Empty if it is not on the map yet.",
        }

    def __init__(self, *args: Any, household: Household, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        site = self.fields["site"]
        assert isinstance(site, forms.ModelChoiceField)
        site.queryset = Site.objects.of(household)
        site.empty_label = None
        self.fields["kind"].widget.attrs["list"] = "kinds"


class SetForm(PlaceForm):
    """A numbered set of alike containers, made in one step."""

    how_many = forms.IntegerField(min_value=1, max_value=MAX_SET, initial=6)
    first_number = forms.IntegerField(min_value=1, max_value=100_000, initial=1)
    gap_m = forms.FloatField(label="from one to the next, m", min_value=0, max_value=100, initial=0.5)
    per_row = forms.IntegerField(min_value=1, max_value=MAX_SET, initial=12, label="in a row")
    field_order = (
        "how_many", "kind", "name", "first_number", "volume_l", "material", "site", "x_m", "y_m", "gap_m", "per_row",
    )  # fmt: skip

    class Meta(PlaceForm.Meta):
        fields = ("site", "kind", "name", "volume_l", "material", "x_m", "y_m")
        labels = {"name": "called"}

    def __init__(self, *args: Any, household: Household, **kwargs: Any) -> None:
        super().__init__(*args, household=household, **kwargs)
        self.household = household
        self.fields["volume_l"].required = True

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if {"name", "first_number", "how_many"} <= cleaned.keys():
            last = cleaned["first_number"] + cleaned["how_many"] - 1
            taken = Place.objects.of(self.household).filter(
                name=cleaned["name"], number__range=(cleaned["first_number"], last)
            )
            if number := taken.order_by("number").values_list("number", flat=True).first():
                self.add_error("first_number", f"There is a {cleaned['name']} {number} already; start after it.")
        return cleaned
