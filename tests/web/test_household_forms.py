"""Every form of a household offers that household's records only,
and reads its units and its date.
"""

from __future__ import annotations

from datetime import date

import pytest
from django import forms

from kilter.ground.choosing import ChooseField
from kilter.ground.forms import InPart
from kilter.ground.models import Place
from kilter.next_year.again import before
from kilter.people import clock
from kilter.people.forms import DatedForm, HouseholdField, MassField, OfHousehold, VagueDateField
from kilter.set_out.forms import CostForm
from kilter.set_out.models import Planting
from kilter.site import urls as _all_rooms  # noqa: F401 - loads the forms of every room
from kilter.weigh_in.models import WeighIn
from tests.web.routes import fill_larder


def forms_of(base: type = OfHousehold) -> list[type]:
    """Every form that can be shown: the bases themselves are not."""
    found = [one for sub in base.__subclasses__() for one in (sub, *forms_of(sub))]
    return sorted(
        {one for one in found if one not in {DatedForm, InPart} and one.__name__ != "TargetsForm"},
        key=str,
    )


#: What a form asks for beyond its household.
ALSO = {
    "BasketForm": lambda g: {"plantings": Planting.objects.of(g.household)},
    "AgainForm": lambda g: {"rows": before(g.household, 2026)},
    "LineInListForm": lambda g: {"instance": g.lines[0]},
    "MovedForm": lambda g: {"lines": g.lines},
    "CostForm": lambda g: {"about": ("planting", g.plantings[0])},
    "CropValuesForm": lambda g: {"instance": g.crop},
    "CorrectForm": lambda g: {"instance": g.lines[0]},
    "FillForm": lambda g: {"place": g.crates[0]},
    "LookForm": lambda g: {"crates": [(*(fill_larder(g), g.store_crate)[1:], "crate")]},
    "PutByForm": lambda g: {"lots": [("1-1-2026-table", "shallot, Table", [], "")]},
    "MoveForm": lambda g: {"place": g.bed},
    "PlantTrialForm": lambda g: {"trial": g.trial},
    **dict.fromkeys(
        ("TareAfterForm", "WaitingForm", "TogetherForm"),
        lambda g: {"lines": WeighIn.objects.of(g.household)},
    ),
}


def made(form: type, garden) -> forms.BaseForm:
    also = ALSO.get(form.__name__, lambda _: {})(garden)
    return form(household=garden.household, **also)


@pytest.mark.parametrize("form", forms_of(), ids=lambda form: form.__name__)
def test_it_offers_what_is_ones_own_and_reads_as_the_household_writes(form, garden, other):
    garden.household.default_unit = "lb"
    shown = made(form, garden)
    assert shown.household == garden.household
    for name, field in shown.fields.items():
        if isinstance(field, forms.ModelChoiceField):
            owners = {record.household_id for record in field.queryset}
            assert owners <= {garden.household.pk}, f"{name} offers another household's"
        if isinstance(field, ChooseField):
            assert all(
                record.household_id == garden.household.pk for _, record in field.found.values()
            ), name
        if isinstance(field, MassField):
            assert field.clean("2") == 907_185, f"{name} does not read pounds"
        if isinstance(field, VagueDateField):
            assert field.today == clock.today(garden.household), name
        if isinstance(field, (forms.FloatField, forms.DecimalField)) and not field.widget.is_hidden:
            assert field.widget.input_type == "text", (
                f"{name}: a browser's number field loses a comma"
            )
            assert field.to_python("1,5") == field.to_python("1.5"), f"{name} does not read a comma"
    shown.as_p()


def test_the_forms_of_every_room_are_looked_at():
    modules = {form.__module__ for form in forms_of()}
    for room in ("ground", "set_out", "tending", "weigh_in", "weigh_up", "larder", "look_back"):
        assert any(f"kilter.{room}." in module for module in modules), room


def test_no_form_with_a_household_field_stands_outside_the_base():
    """A mass or a date would be read by no one's units there."""

    def everyone(base: type) -> set[type]:
        return {one for sub in base.__subclasses__() for one in (sub, *everyone(sub))}

    outside = {
        form.__name__
        for form in everyone(forms.BaseForm)
        if form.__module__.startswith("kilter.")
        and not issubclass(form, OfHousehold)
        and any(
            isinstance(field, HouseholdField) for field in getattr(form, "base_fields", {}).values()
        )
    }
    assert outside == set()


def test_another_households_record_cannot_be_chosen(garden, other):
    form = made(next(one for one in forms_of() if one.__name__ == "PlaceForm"), garden)
    site = form.fields["site"]
    assert list(site.queryset) == [garden.site]
    with pytest.raises(forms.ValidationError, match="not one of the available"):
        site.clean(other.site.pk)


def test_places_and_plantings_come_in_the_order_a_gardener_looks_for_them(garden):
    form = made(next(one for one in forms_of() if one.__name__ == "FillForm"), garden)
    assert list(form.fields["came_from"].queryset) == list(
        Place.objects.of(garden.household).in_order()
    )
    late = Planting.objects.create(
        household=garden.household,
        place=garden.bed,
        crop=garden.crop,
        season=2027,
        units=1,
        unit_kind="set",
    )
    remembered = made(next(one for one in forms_of() if one.__name__ == "RememberForm"), garden)
    assert remembered.fields["planting"].queryset.first() == late, "the latest season comes first"


def test_no_page_has_a_date_field_of_its_own_kind():
    for form in forms_of():
        own = [
            name for name, field in form.base_fields.items() if isinstance(field, forms.DateField)
        ]
        assert not own, f"{form.__name__}: {own} should be a DayField"


@pytest.mark.parametrize(("order", "day"), [("dmy", date(2026, 5, 4)), ("mdy", date(2026, 4, 5))])
def test_dates_are_read_in_the_households_order(garden, order, day):
    garden.household.date_order = order
    form = CostForm(household=garden.household, about=("planting", garden.plantings[0]))
    assert form.fields["day"].clean("4/5/2026") == day
    with pytest.raises(forms.ValidationError, match="Give the day"):
        form.fields["day"].clean("May 2026")
