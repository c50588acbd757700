"""Forms of sign-up, the household and who eats."""

from __future__ import annotations

import zoneinfo
from collections.abc import Callable, Collection
from datetime import date
from functools import partial
from typing import Any, ClassVar, NamedTuple

from django import forms
from django.contrib.auth.forms import BaseUserCreationForm, PasswordChangeForm, SetPasswordForm
from django.utils.http import url_has_allowed_host_and_scheme

from kilter.core.amounts.units import half_up, parse_mass
from kilter.core.amounts.vague import VagueDate, format_date, parse_date
from kilter.core.errors import KilterError
from kilter.people import clock
from kilter.people.meeting import OfRecord
from kilter.people.models import A_YEAR, BenchLink, Eater, Household, Invite, Role, User


class CommaNumbers(forms.BaseForm):
    """Numbers with a decimal point or comma; among the bases it stands before ``forms.Form`` or
    ``ModelForm``.

    A browser's own number field takes only its own language's mark, and sends nothing for the
    other.
    """

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for field in self.fields.values():
            if (
                isinstance(field, (forms.FloatField, forms.DecimalField))
                and not field.widget.is_hidden
            ):
                kept = {
                    k: v for k, v in field.widget.attrs.items() if k not in {"min", "max", "step"}
                }
                field.widget = forms.TextInput(
                    {"inputmode": "decimal", "autocomplete": "off", **kept}
                )
                field.to_python = partial(_with_comma, field.to_python)  # type: ignore[method-assign]


def _with_comma(read: Callable[[Any], Any], value: Any) -> Any:
    return read(value.replace(",", ".") if isinstance(value, str) else value)


class Group(NamedTuple):
    """Fields that belong together: a head, what they are good for, and their names."""

    head: str
    good_for: str
    names: tuple[str, ...]


class Folding(forms.BaseForm):
    """A form that keeps what seldom needs saying folded away;
    what is filled in or wrong stands open.
    """

    #: Where a form is long, its fields by what they are about; what no group names stands at the
    #: end.
    groups: ClassVar[tuple[Group, ...]] = ()

    @property
    def grouped(self) -> list[tuple[Group, list[forms.BoundField]]]:
        """Each group with those of its fields that are not folded."""
        if not self.groups:
            return []
        named = {name for group in self.groups for name in group.names}
        rest = Group("", "", tuple(name for name in self.fields if name not in named))
        shown = {field.name: field for field in self.unfolded}
        found = [
            (group, [shown[name] for name in group.names if name in shown])
            for group in (*self.groups, rest)
        ]
        return [(group, fields) for group, fields in found if fields]

    def seldom(self) -> Collection[str]:
        """The names of the fields to fold."""
        return ()

    @property
    def folded(self) -> list[forms.BoundField]:
        return [
            self[name]
            for name in self.fields
            if name in self.seldom() and not self._is_open(self[name])
        ]

    @property
    def unfolded(self) -> list[forms.BoundField]:
        return [
            field
            for field in self.visible_fields()
            if field.name not in self.seldom() or self._is_open(field)
        ]

    def _is_open(self, field: forms.BoundField) -> bool:
        return bool(field.errors) or field.value() not in (None, "", False, 0, field.field.initial)


class JoinForm(BaseUserCreationForm):
    """A new user with a password; joins a household by a link."""

    class Meta:
        model = User
        fields = ("username",)
        labels = {"username": "Your name"}
        help_texts = {"username": "To sign in with: letters, digits and @ . + - _"}
        widgets: ClassVar[dict[str, forms.Widget]] = {
            "username": forms.TextInput({"autocomplete": "username"})
        }

    def clean_username(self) -> str:
        """Ada and ada would be taken for each other."""
        name: str = self.cleaned_data["username"]
        if User.objects.filter(username__iexact=name).exists():
            raise forms.ValidationError("Somebody is called that here already.")
        return name


class SignUpForm(JoinForm):
    """A new user with a new household."""

    household_name = forms.CharField(max_length=80, label="Name of the household or garden")
    time_zone = forms.ChoiceField(
        choices=[(name, name.replace("_", " ")) for name in sorted(zoneinfo.available_timezones())],
        initial="Europe/London",
    )
    field_order = ("username", "household_name", "time_zone", "password1", "password2")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["time_zone"].widget.attrs["data-guess"] = (
            "zone"  # a script puts this device's zone in
        )


class HouseholdForm(OfRecord, CommaNumbers, forms.ModelForm):
    """How a household weighs and reads."""

    time_zone = SignUpForm.base_fields["time_zone"]

    class Meta:
        model = Household
        fields = (
            "name",
            "time_zone",
            "default_unit",
            "date_order",
            "is_imperial",
            "is_decimal_pounds",
            "asks_hand",
            "is_small_food",
            "kitchen_kg_per_week",
            "currency",
            "sure_fold",
            "is_moon_shown",
            "may_onlookers_take_out",
        )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        # What a choice comes to is said beside it, by an example.
        short = [(unit, label.partition(":")[0]) for unit, label in Household.Units.choices]
        self.fields["default_unit"].choices = short  # type: ignore[attr-defined]


class BenchLinkForm(forms.ModelForm):
    """A link by which helpers come to the bench."""

    class Meta:
        model = BenchLink
        fields = ("label",)


class NameForm(forms.Form):
    """What somebody at the bench is called, so that each line says who wrote it."""

    name = forms.CharField(
        max_length=40, label="Your name", help_text="It stands beside what you write down."
    )
    #: Tokens that the device keeps of earlier visits: the same name on it is the same guest again.
    known = forms.CharField(max_length=6000, required=False, widget=forms.HiddenInput)


#: What Django's validators ask for, in a line.
ASKED_OF_IT = "Ten letters or more; no common one, not only digits, not like your name."


class OwnPasswordForm(PasswordChangeForm):
    """A new password, by the old one."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["new_password1"].help_text = ASKED_OF_IT


class NewPasswordForm(SetPasswordForm):
    """A new password, by a link."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["new_password1"].help_text = ASKED_OF_IT


class TypedNameForm(forms.Form):
    """A name typed out, so that deleting is no slip."""

    typed = forms.CharField(max_length=160)

    def __init__(self, *args: Any, label: str = "", **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["typed"].label = label


class MailForm(forms.ModelForm):
    """Where a letter with a link to a new password goes."""

    class Meta:
        model = User
        fields = ("email",)
        labels = {"email": "Where to write to if you forget your password"}
        widgets: ClassVar[dict[str, forms.Widget]] = {
            "email": forms.EmailInput({"autocomplete": "email"})
        }


class ForgottenForm(forms.Form):
    """Who forgot a password."""

    username = forms.CharField(
        max_length=150,
        label="The name you sign in with",
        widget=forms.TextInput({"autocomplete": "username"}),
    )


class RoleForm(forms.Form):
    """What a member may do from now on."""

    role = forms.ChoiceField(choices=[(r.value, r.label) for r in Role if r != Role.BENCH])


class InviteForm(forms.ModelForm):
    """A link for somebody to join by."""

    role = forms.ChoiceField(
        choices=[(r.value, r.label) for r in Role if r != Role.BENCH], initial=Role.HELPER
    )

    class Meta:
        model = Invite
        fields = ("role",)


class EaterForm(OfRecord, CommaNumbers, forms.ModelForm):
    """Somebody at the table."""

    class Meta:
        model = Eater
        fields = ("name", "appetite", "weeks", "is_guest")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["appetite"].widget.attrs["step"] = "0.25"
        self.fields["weeks"].required = False

    def clean_weeks(self) -> int:
        weeks: int | None = self.cleaned_data["weeks"]
        return A_YEAR if weeks is None else weeks


class ChangesForm(forms.Form):
    """Which of what was written is shown."""

    kind = forms.ChoiceField(
        choices=[("written", "written"), ("comings", "comings")], required=False
    )


class BackForm(forms.Form):
    """The page to go back to, on this host only."""

    back = forms.CharField(max_length=500)

    def __init__(self, *args: Any, host: str, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.host = host

    def clean_back(self) -> str:
        back: str = self.cleaned_data["back"]
        if not back.startswith("/") or not url_has_allowed_host_and_scheme(back, {self.host}):
            raise forms.ValidationError("This leads elsewhere.")
        return back


class HouseholdField(forms.Field):
    """A field that reads what is typed as its household writes it."""

    def know(self, household: Household) -> None:
        """Take the household's date, units or records; the form says which household."""
        raise NotImplementedError


class VagueDateField(HouseholdField, forms.CharField):
    """A date as exact as it is known; gives a `VagueDate`, or None where it may stay empty."""

    def __init__(self, *, max_length: int = 60, **kwargs: Any) -> None:
        super().__init__(max_length=max_length, **kwargs)
        self.widget.attrs.setdefault("placeholder", "14 May, or about mid-May")
        self.today: date | None = None
        self.order = ""

    def know(self, household: Household) -> None:
        self.today, self.order = clock.today(household), household.date_order

    def prepare_value(self, value: Any) -> Any:
        return format_date(value) if isinstance(value, VagueDate) else value

    def clean(self, value: Any) -> Any:
        text = super().clean(value)
        if not text:
            return None
        assert self.today is not None
        try:
            return parse_date(text, self.today, self.order)
        except KilterError as error:
            raise forms.ValidationError(str(error)) from error


class DayField(VagueDateField):
    """A day, written as every date is; gives a date, or None where it may stay empty."""

    def __init__(self, *, is_ahead: bool = False, **kwargs: Any) -> None:
        super().__init__(**kwargs)
        self.widget.attrs["placeholder"] = (
            "14 May, in 14 days" if is_ahead else "14 May, or yesterday"
        )

    def prepare_value(self, value: Any) -> Any:
        return super().prepare_value(VagueDate(value) if isinstance(value, date) else value)

    def clean(self, value: Any) -> date | None:
        found: VagueDate | None = super().clean(value)
        if found is None:
            return None
        if not found.is_exact:
            raise forms.ValidationError("Give the day here, such as 14 May.")
        return found.day


class MassField(HouseholdField, forms.CharField):
    """A mass as typed; gives milligrams."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(max_length=40, **kwargs)
        self.default_unit = "g"

    def know(self, household: Household) -> None:
        self.default_unit = household.default_unit

    def prepare_value(self, value: Any) -> Any:
        return f"{value / 1000:.15g} g" if isinstance(value, int) else value

    def clean(self, value: Any) -> int | None:
        text = super().clean(value)
        try:
            return parse_mass(text, self.default_unit).mass_mg if text else None
        except KilterError as error:
            raise forms.ValidationError(str(error)) from error


class PriceField(forms.DecimalField):
    """A price in the household's money; gives whole smallest coins."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(min_value=0, max_value=1_000_000, decimal_places=2, **kwargs)

    def prepare_value(self, value: Any) -> Any:
        return str(half_up(value / 100, 2)) if isinstance(value, int) else value

    def clean(self, value: Any) -> int | None:
        price = super().clean(value)
        return None if price is None else int(price * 100)


class PicksField(forms.ModelMultipleChoiceField):
    """Records ticked in a list; a key beyond the database's numbers is no choice either."""

    def clean(self, value: Any) -> Any:
        try:
            return super().clean(value)
        except OverflowError as error:
            raise forms.ValidationError("Tick those in the list.") from error


class OfHousehold(OfRecord, Folding, CommaNumbers):
    """What a form of one household begins with: its own records to choose from, its units, its
    date.

    Among the bases it stands before ``forms.Form`` or ``forms.ModelForm``.
    """

    def __init__(self, *args: Any, household: Household, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.household, self.today = household, clock.today(household)
        for field in self.fields.values():
            if isinstance(field, forms.ModelChoiceField):
                assert field.queryset is not None
                field.queryset = field.queryset.model.objects.of(household).as_choices()
            elif isinstance(field, HouseholdField):
                field.know(household)


class DatedForm(OfHousehold, forms.ModelForm):
    """A form of a `Dated` record: one field for the day and how exactly it is known."""

    when = VagueDateField()

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["when"].initial = (
            self.instance.when if self.instance.pk else VagueDate(self.today)
        )

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if when := cleaned.get("when"):
            self.instance.day, self.instance.precision = when.day, when.precision
        return cleaned
