"""Units against NIST SP 811 (2008) app. B and NIST Handbook 44 app. C, and against pint."""

from __future__ import annotations

from fractions import Fraction

import pint
import pytest

from kilter.core.amounts.units import L_PER_UNIT, M_PER_UNIT, MG_PER_UNIT, parse_mass

REGISTRY = pint.UnitRegistry()


@pytest.mark.parametrize(
    ("ours", "exact"),
    [
        (MG_PER_UNIT["lb"], Fraction("453592.37")),
        (MG_PER_UNIT["oz"], Fraction("28349.523125")),
        (M_PER_UNIT["in"], Fraction("0.0254")),
        (M_PER_UNIT["ft"], Fraction("0.3048")),
        (L_PER_UNIT["US gal"], Fraction("3.785411784")),
        (L_PER_UNIT["imp gal"], Fraction("4.54609")),
    ],
)
def test_factors_are_those_of_nist(ours, exact):
    assert ours == exact


@pytest.mark.parametrize(
    ("ours", "theirs", "unit"),
    [
        (MG_PER_UNIT["lb"], "pound", "milligram"),
        (MG_PER_UNIT["oz"], "ounce", "milligram"),
        (M_PER_UNIT["in"], "inch", "metre"),
        (M_PER_UNIT["ft"], "foot", "metre"),
        (L_PER_UNIT["US gal"], "gallon", "litre"),
        (L_PER_UNIT["imp gal"], "imperial_gallon", "litre"),
    ],
)
def test_factors_agree_with_pint(ours, theirs, unit):
    assert float(ours) == pytest.approx(REGISTRY.Quantity(1, theirs).to(unit).magnitude, rel=1e-12)


@pytest.mark.parametrize(
    ("typed", "quantity"),
    [("7 oz", (7, "ounce")), ("3 lb", (3, "pound")), ("2.5 kg", (2.5, "kilogram"))],
)
def test_parsed_masses_agree_with_pint(typed, quantity):
    assert parse_mass(typed).mass_mg == round(
        REGISTRY.Quantity(*quantity).to("milligram").magnitude
    )
