"""What the sheet of today is asked."""

from __future__ import annotations

from datetime import date

from django import forms

from kilter.people.forms import DayField, OfHousehold


class AwayForm(OfHousehold, forms.Form):
    """Until when nobody has time."""

    until = DayField(label="No time until", required=False, is_ahead=True)

    def clean_until(self) -> date | None:
        """A day ahead; today and before are no absence."""
        day: date | None = self.cleaned_data["until"]
        if day is not None and (day - self.today).days > 60:
            raise forms.ValidationError("At most two months ahead.")
        return day if day and day > self.today else None
