"""Forms of the pages that are about one crop."""

from __future__ import annotations

from typing import Any

from django import forms

from kilter.people.forms import OfHousehold
from kilter.set_out.models import Crop, Planting
from kilter.set_out.queries import seasons_of


class CropForm(OfHousehold, forms.Form):
    """A page that is about one crop, in some seasons."""

    crop = forms.ModelChoiceField(Crop.objects.none(), empty_label=None)
    season = forms.TypedMultipleChoiceField(
        coerce=int, required=False, widget=forms.CheckboxSelectMultiple
    )
    by = forms.ChoiceField(
        choices=[("kg_per_plant", "weight"), ("count_per_plant", "number")], required=False
    )
    use = forms.CharField(max_length=20, required=False)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        crop, season = self.fields["crop"], self.fields["season"]
        assert isinstance(crop, forms.ModelChoiceField)
        assert isinstance(season, forms.ChoiceField)
        growing = Planting.objects.of(self.household).order_by().values("crop_id")
        crop.queryset = Crop.objects.of(self.household).filter(pk__in=growing).order_by("name")
        season.choices = [(y, str(y)) for y in seasons_of(self.household, self.today.year)]
