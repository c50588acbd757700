"""Forms of sign-up, the household and who eats."""

from __future__ import annotations

import zoneinfo
from typing import Any

from django import forms
from django.contrib.auth.forms import BaseUserCreationForm

from kilter.people.models import Eater, Household, Invite, User


class JoinForm(BaseUserCreationForm):
    """A new user with a password; joins a household by a link."""

    class Meta:
        model = User
        fields = ("username",)
        labels = {"username": "Your name"}
        help_texts = {"username": "To sign in with: letters, digits and @ . + - _"}


class SignUpForm(JoinForm):
    """A new user with a new household."""

    household_name = forms.CharField(max_length=80, label="Name of the household or garden")
    time_zone = forms.ChoiceField(
        choices=[(name, name.replace("_", " ")) for name in sorted(zoneinfo.available_timezones())],
        initial="Europe/London",
    )
    field_order = ("username", "household_name", "time_zone", "password1", "password2")


class HouseholdForm(forms.ModelForm):
    """How a household weighs and reads."""

    time_zone = SignUpForm.base_fields["time_zone"]

    class Meta:
        model = Household
        fields = ("name", "time_zone", "default_unit", "is_imperial", "is_small_food")


class InviteForm(forms.ModelForm):
    """A link for somebody to join by."""

    class Meta:
        model = Invite
        fields = ("role",)


class EaterForm(forms.ModelForm):
    """Somebody at the table."""

    class Meta:
        model = Eater
        fields = ("name", "appetite")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["appetite"].widget.attrs["step"] = "0.25"
