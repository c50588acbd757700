"""What the sheet of today is asked."""

from __future__ import annotations

from datetime import date
from typing import Any, cast

from django import forms
from django.http import QueryDict

from kilter.people.forms import DayField, OfHousehold, PicksField
from kilter.set_out.models import Planting


class AwayForm(OfHousehold, forms.Form):
    """Until when nobody has time."""

    until = DayField(label="No time until", required=False, is_ahead=True)

    def clean_until(self) -> date | None:
        """A day ahead; today and before are no absence."""
        day: date | None = self.cleaned_data["until"]
        if day is not None and (day - self.today).days > 60:
            raise forms.ValidationError("At most two months ahead.")
        return day if day and day > self.today else None


class GroupsField(PicksField):
    """Records ticked a group at a time: the keys of one group stand with commas between them."""

    def clean(self, value: Any) -> Any:
        return super().clean([key for group in value or () for key in str(group).split(",")])


class OverForm(OfHousehold, forms.Form):
    """Which plantings are over, or until when they stand."""

    FINISH, KEEP, WINTER = "finish", "keep", "winter"
    over = GroupsField(Planting.objects.none(), required=False)
    do = forms.RegexField(rf"^({FINISH}|{KEEP}|{WINTER})(:[0-9,]+)?$", max_length=20_000)
    keep_until = DayField(label="keep until", required=False, is_ahead=True)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        over = self.fields["over"]
        assert isinstance(over, GroupsField)
        over.queryset = Planting.objects.of(self.household).filter(finished_on=None)

    @property
    def ticked(self) -> list[str] | None:
        """The groups that were; None before anybody chose."""
        return cast(QueryDict, self.data).getlist("over") if self.is_bound else None

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        cleaned["do"], _, keys = (cleaned.get("do") or "").partition(":")
        if keys:  # a button that says itself of which it is
            standing = Planting.objects.of(self.household).filter(finished_on=None)
            cleaned["over"] = standing.filter(pk__in=[key for key in keys.split(",") if key])
            self.errors.pop("over", None)
        if not cleaned.get("over"):
            self.add_error("over", "Tick at least one.")
        if cleaned.get("do") == self.KEEP and not self.has_error("keep_until"):
            until = cleaned.get("keep_until")
            if until is None or until <= self.today:
                self.add_error("keep_until", "Say a day ahead until which they stand.")
        return cleaned
