"""What the bench's address and its plain form may say."""

from __future__ import annotations

from typing import Any

from django import forms

from kilter.people.models import Household
from kilter.set_out.models import Crop
from kilter.weigh_in.models import Grade


class BenchForm(forms.Form):
    """Which crop is on the strip, and which pot in hand."""

    crop = forms.ModelChoiceField(Crop.objects.none(), required=False)
    pot = forms.IntegerField(required=False, min_value=1)

    def __init__(self, data: Any, *, household: Household) -> None:
        super().__init__(data)
        crop = self.fields["crop"]
        assert isinstance(crop, forms.ModelChoiceField)
        crop.queryset = Crop.objects.of(household)


class LineForm(forms.Form):
    """One line, sent without script; its client_id was made with the page."""

    client_id = forms.RegexField(r"^[0-9a-f]{32}$")
    planting = forms.IntegerField(min_value=1)
    grade = forms.ChoiceField(choices=Grade.choices)
    typed = forms.CharField(
        max_length=60, label="weight and count", error_messages={"required": "Type a weight, a count, or both: 940 12."}
    )
    tare = forms.CharField(max_length=20, required=False)


class ReadForm(forms.Form):
    """A line as typed so far, to be shown on the dial."""

    typed = forms.CharField(max_length=60, required=False)
