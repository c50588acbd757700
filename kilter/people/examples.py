"""What each choice of the household's changes, said by an example."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from datetime import date
from typing import NamedTuple
from zoneinfo import ZoneInfo

from django import forms
from django.utils import timezone

from kilter.core.amounts.units import format_mass, parse_mass
from kilter.core.amounts.usual import USUAL_FOLD
from kilter.core.amounts.vague import format_date, parse_date
from kilter.core.growing.almanac import moon_on
from kilter.people.models import Household

#: What is weighed, typed and dated in the examples; a shallot of so many grams.
TYPED, WEIGHED_MG, DATED, SHALLOT_G = ("940", "1.2"), 1_234_000, "3/4/2026", 30.0


class Example(NamedTuple):
    """What one choice comes to."""

    when: str  #: the choice, as the form says it; empty for whatever is not one of the others
    words: str
    is_now: bool


def examples_of(form: forms.BaseForm, today: date) -> dict[str, list[Example]]:
    """By field what each of its choices comes to, with the one that stands marked."""
    said: Mapping[str, Callable[[], Iterable[tuple[str, str]]]] = {
        "default_unit": lambda: ((unit, _read_as(unit)) for unit in Household.Units.values),
        "date_order": lambda: (
            (order, _dated(order, today)) for order in Household.DateOrder.values
        ),
        "is_imperial": lambda: (
            (key, _weighs(system)) for key, system in (("", "metric"), ("on", "imperial"))
        ),
        "is_decimal_pounds": lambda: (
            (key, _pounds(system)) for key, system in (("", "imperial"), ("on", "pounds"))
        ),
        "is_small_food": lambda: (
            (
                "",
                (
                    "Food is what is graded Table or Hurt: that is what a plant gave, and what the "
                    "plan counts on."
                ),
            ),
            (
                "on",
                (
                    "Food is what is graded Table, Small or Hurt, in every yield, in the larder "
                    "and in the plan."
                ),
            ),
        ),
        "is_moon_shown": lambda: (("", "Nothing is said of the moon."), ("on", _moon(today))),
        "may_onlookers_take_out": lambda: (
            ("", "Onlookers read every page, and take nothing out as a file."),
            ("on", "Onlookers read every page, and may take all of it out as a file."),
        ),
    }
    found = {}
    for name, examples in said.items():
        value = form[name].value()
        now = (
            ("on" if value in (True, "on") else "")
            if name.startswith(("is_", "may_"))
            else str(value)
        )
        found[name] = [Example(when, words, when == now) for when, words in examples()]
    return found


def time_there(zone: str) -> str:
    """What the clock says there now."""
    return f"{timezone.now().astimezone(ZoneInfo(zone)):%H:%M}"


def asked_about(fold: object) -> str:
    """Which weights are asked about; by the usual number where what stands there is none."""
    times = int(str(fold)) if str(fold).isdecimal() and int(str(fold)) > 1 else USUAL_FOLD
    low, high = (
        format_mass(round(grams * 1000)) for grams in (SHALLOT_G / times, SHALLOT_G * times)
    )
    return (
        f"Where a shallot usually weighs {SHALLOT_G:g} g, one of less than {low} or more than "
        f"{high} is asked about."
    )


def _read_as(unit: str) -> str:
    read = (f"{typed} is read as {format_mass(parse_mass(typed, unit).mass_mg)}" for typed in TYPED)
    return f"At the bench {', and '.join(read)}."


def _dated(order: str, today: date) -> str:
    return f"{DATED} is read as {format_date(parse_date(DATED, today, order))}."


def _weighs(system: str) -> str:
    return (
        f"A crate of shallots weighs {format_mass(WEIGHED_MG, system)}. Each browser can choose "
        "for itself below."
    )


def _pounds(system: str) -> str:
    return f"In pounds that crate weighs {format_mass(WEIGHED_MG, system)}."


def _moon(today: date) -> str:
    moon = moon_on(today)
    return (
        f"Today the moon is {moon.trend}, nearest to the {moon.phase}; plantings can be "
        "compared by it."
    )
