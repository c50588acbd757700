"""Forms of the larder."""

from __future__ import annotations

import re
from typing import Any, NamedTuple

from django import forms
from django.http import QueryDict

from kilter.core.amounts.vague import VagueDate
from kilter.larder.models import Bulk, Crate, Expense, Price, Store, Supply, Trimming
from kilter.larder.said import SAYABLE
from kilter.people.forms import (
    DatedForm,
    DayField,
    Group,
    HouseholdField,
    MassField,
    OfHousehold,
    PriceField,
    VagueDateField,
)
from kilter.people.models import Household

MAX_KEY = 2**53


class SeasonForm(forms.Form):
    """Which season is shown."""

    season = forms.IntegerField(min_value=1900, max_value=2200, required=False)


def season_of(asked: QueryDict, this_year: int) -> int:
    """The season asked for, or this one."""
    form = SeasonForm(asked)
    return (form.cleaned_data.get("season") if form.is_valid() else None) or this_year


class DoneForm(OfHousehold, forms.Form):
    """Something done on a day, which is not still to come."""

    when = VagueDateField(label="on; empty for today", required=False)

    def clean_when(self) -> VagueDate | None:
        when: VagueDate | None = self.cleaned_data["when"]
        if when is not None and when.earliest > self.today:
            raise forms.ValidationError(f"{when} is still to come.")
        return when


class Much(NamedTuple):
    """A part of what waits: milligrams, or pieces."""

    mass_mg: int | None
    pieces: int | None


class MuchField(HouseholdField, forms.CharField):
    """A weight, or a count as at the bench: ``c6``; gives a `Much`."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(max_length=40, **kwargs)
        self.mass = MassField(required=False)

    def know(self, household: Household) -> None:
        self.mass.know(household)

    def clean(self, value: Any) -> Any:
        text = super().clean(value).strip().lower()
        if re.fullmatch(r"c ?\d{1,6}|\d{1,6} (pieces|piece)", text):
            return Much(None, int(re.sub(r"\D", "", text)))
        mass_mg = self.mass.clean(text)
        return None if mass_mg is None else Much(mass_mg, None)


class PutByForm(DoneForm):
    """Where each lot that waits goes, and how much of it where that is not all."""

    def __init__(
        self, *args: Any, lots: list[tuple[str, str, list[tuple[str, str]], str]], **kwargs: Any
    ) -> None:
        super().__init__(*args, **kwargs)
        self.lots = lots
        for key, label, may, chosen in lots:
            said = forms.ChoiceField(
                choices=[("", "leave it for now"), *may],
                required=False,
                label=f"{label}: goes to",
                initial=chosen,
            )
            self.fields[f"to-{key}"] = said
            amount = MuchField(label=f"{label}: how much, if not all", required=False)
            amount.help_text = "A weight, or so many pieces: c6."
            amount.know(self.household)
            self.fields[f"much-{key}"] = amount
            jars = forms.IntegerField(
                label=f"{label}: jars or bags", required=False, min_value=1, max_value=10_000
            )
            self.fields[f"jars-{key}"] = jars
            added = MassField(label=f"{label}: water or sugar added", required=False)
            added.know(self.household)
            self.fields[f"added-{key}"] = added
            when = VagueDateField(
                label=f"{label}: put by on", required=False, help_text="Empty: as below."
            )
            when.know(self.household)
            self.fields[f"when-{key}"] = when


class UseForm(OfHousehold, forms.Form):
    """So much of a crate was eaten, given, found spoiled, moved."""

    client_id = forms.RegexField(r"^[0-9a-f]{32}$", required=False, widget=forms.HiddenInput)
    crate = forms.IntegerField(
        min_value=1, max_value=MAX_KEY, required=False, widget=forms.HiddenInput
    )
    crop = forms.IntegerField(
        min_value=1, max_value=MAX_KEY, required=False, widget=forms.HiddenInput
    )
    season = forms.IntegerField(
        min_value=1900, max_value=2200, required=False, widget=forms.HiddenInput
    )
    use = forms.ChoiceField(choices=[(one, one) for one in sorted(SAYABLE)])
    typed = forms.CharField(max_length=60, label="how much", required=False)
    when = VagueDateField(label="when", required=False)
    to = forms.ModelChoiceField(Store.objects.none(), label="to", required=False)
    is_sure = forms.BooleanField(required=False)
    is_look = forms.BooleanField(required=False)
    note = forms.CharField(max_length=200, required=False)


class CrateForm(DatedForm):
    """What is said of a crate beside what lies in it."""

    cure_until = DayField(required=False, is_ahead=True)
    keep_until = DayField(required=False, is_ahead=True)
    added_mg = MassField(label="water, sugar or salt added", required=False)
    field_order = (
        "store",
        "state",
        "when",
        "cure_until",
        "keep_until",
        "eat_first",
        "jars",
        "added_mg",
        "note",
    )
    groups = (
        Group("Where it lies", "", ("store", "state", "when")),
        Group(
            "How long",
            "What has to be eaten first stands first in the larder.",
            ("cure_until", "keep_until", "eat_first"),
        ),
        Group(
            "And besides",
            "What was added is no harvest; it is told beside it.",
            ("jars", "added_mg", "note"),
        ),
    )

    class Meta:
        model = Crate
        fields = (
            "store",
            "state",
            "cure_until",
            "keep_until",
            "eat_first",
            "jars",
            "added_mg",
            "note",
        )


class CuredForm(DoneForm):
    """Where a crate goes when its curing is done, and when that was."""

    to = forms.ModelChoiceField(Store.objects.none(), required=False)


class StoreForm(OfHousehold, forms.ModelForm):
    """A store."""

    room_mg = MassField(label="holds about", required=False)

    class Meta:
        model = Store
        fields = (
            "name",
            "kind",
            "celsius",
            "damp_percent",
            "room_mg",
            "room_l",
            "look_every_days",
            "site",
        )

    def seldom(self) -> tuple[str, ...]:
        return ("room_mg", "room_l", "look_every_days", "site")


class LookForm(DoneForm):
    """What was found spoiled in each crate; 0 where all was good, empty where nobody looked."""

    def __init__(self, *args: Any, crates: list[tuple[Crate, str]], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.crates = crates
        for crate, label in crates:
            self.fields[f"all-{crate.pk}"] = forms.BooleanField(
                label=f"{label}: all good", required=False
            )
            spoiled = MassField(label=f"{label}: found spoiled", required=False)
            spoiled.know(self.household)
            self.fields[f"bad-{crate.pk}"] = spoiled


class SupplyForm(DatedForm):
    """Whether there was enough of a crop."""

    field_order = ("crop", "said", "when", "season", "note")

    class Meta:
        model = Supply
        fields = ("crop", "said", "season", "note")


class TrimmingForm(DatedForm):
    """A weighing before and after trimming."""

    before_mg = MassField(label="weight before")
    after_mg = MassField(label="weight after")
    field_order = ("crop", "before_mg", "after_mg", "when")

    class Meta:
        model = Trimming
        fields = ("crop", "before_mg", "after_mg")

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean()
        before, after = cleaned.get("before_mg"), cleaned.get("after_mg")
        if not self.errors and (not before or not after):
            self.add_error("before_mg", "Both weights are above zero.")
        elif before and after and after > before:
            self.add_error("after_mg", "Trimming takes something off; this is more than before.")
        return cleaned


class PriceForm(OfHousehold, forms.ModelForm):
    """What a crop costs in the shop."""

    price_minor = PriceField(label="price")
    from_day = DayField(label="from")
    field_order = ("crop", "price_minor", "per", "from_day")

    class Meta:
        model = Price
        fields = ("crop", "price_minor", "per", "from_day")

    def __init__(self, *args: Any, household: Household, **kwargs: Any) -> None:
        super().__init__(*args, household=household, **kwargs)
        if not self.instance.pk:
            self.initial.setdefault("from_day", self.today.replace(month=1, day=1))


class ExpenseForm(OfHousehold, forms.ModelForm):
    """What was paid for the garden."""

    price_minor = PriceField(label="price")
    day = DayField(label="bought on")
    field_order = ("what", "price_minor", "day", "over_years", "crop")

    class Meta:
        model = Expense
        fields = ("what", "price_minor", "day", "over_years", "crop")


class BulkForm(OfHousehold, forms.ModelForm):
    """Whether a day's lift was in bulk."""

    day = DayField()

    class Meta:
        model = Bulk
        fields = ("crop", "day", "is_bulk")
