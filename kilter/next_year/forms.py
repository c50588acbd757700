"""What the gardener says of one crop for next year."""

from __future__ import annotations

from django import forms

from kilter.next_year.models import CropPlan
from kilter.people.forms import CommaNumbers
from kilter.people.meeting import OfRecord


class CropPlanForm(OfRecord, CommaNumbers, forms.ModelForm):
    """One row of the plan."""

    class Meta:
        model = CropPlan
        fields = (
            "way",
            "servings_per_week",
            "serving_g",
            "weeks",
            "is_kept",
            "store_loss_percent",
            "germination_percent",
            "certainty",
        )


class AddCropForm(forms.Form):
    """A crop to plan that has not been grown here."""

    crop_name = forms.CharField(max_length=60, label="crop")
