"""Masses and volumes as people type and read them; stored as whole milligrams.

Factors are exact: NIST SP 811 (2008) appendix B and NIST Handbook 44 appendix C define
1 lb = 0.45359237 kg, 1 oz = lb/16, 1 in = 25.4 mm, 1 ft = 304.8 mm,
1 US gal = 3.785411784 L; 1 imperial gal = 4.54609 L.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction
from typing import Final

from kilter.core.errors import QuantityError

#: Milligrams in one of each unit, exact.
MG_PER_UNIT: Final[dict[str, Fraction]] = {
    "g": Fraction(1000),
    "kg": Fraction(1_000_000),
    "lb": Fraction(45359237, 100),
    "oz": Fraction(45359237, 1600),
}
M_PER_UNIT: Final[dict[str, Fraction]] = {
    "m": Fraction(1),
    "cm": Fraction(1, 100),
    "in": Fraction(254, 10000),
    "ft": Fraction(3048, 10000),
}
L_PER_UNIT: Final[dict[str, Fraction]] = {
    "L": Fraction(1),
    "US gal": Fraction(3785411784, 10**9),
    "imp gal": Fraction(454609, 10**5),
}
#: The unit a bare number has. ``scale`` reads as a kitchen scale shows: whole numbers are
#: grams, numbers with a decimal mark are kilograms (Kilter's own rule).
DEFAULT_UNITS: Final = ("scale", "g", "kg", "lb", "oz")
#: How masses are shown: kilograms; pounds and ounces; pounds with decimals.
SYSTEMS: Final = ("metric", "imperial", "pounds")
MAX_MASS_MG: Final = 1_000_000_000  # one tonne: beyond any bed in a garden

_UNIT_WORDS: Final = {
    "g": "g",
    "gr": "g",
    "gram": "g",
    "grams": "g",
    "gramme": "g",
    "grammes": "g",
    "kg": "kg",
    "kgs": "kg",
    "kilo": "kg",
    "kilos": "kg",
    "kilogram": "kg",
    "kilograms": "kg",
    "lb": "lb",
    "lbs": "lb",
    "pound": "lb",
    "pounds": "lb",
    "oz": "oz",
    "ounce": "oz",
    "ounces": "oz",
}
_NUMBER: Final = (
    r"\d+\s+\d+/\d+|\d+/\d+|\d{1,3}(?:\s\d{3})+(?!\d)(?:[.,]\d*)?|\d+(?:[.,]\d*)?|[.,]\d+"
)
_PART: Final = re.compile(rf"\s*({_NUMBER})\s*([a-z]+)?\.?", re.ASCII)
_DOUBT: Final = re.compile(rf"±\s*((?:{_NUMBER})\s*(?:%|[a-z]+)?)", re.IGNORECASE | re.ASCII)
_COUNT: Final = re.compile(r"c?(\d{1,6})", re.IGNORECASE | re.ASCII)
#: A comma before three figures may part thousands as well as decimals.
_GROUPED: Final = re.compile(r"\d{1,3},\d{3}", re.ASCII)
_POUNDS_ALONE: Final = re.compile(r".*\d\s*(?:lbs?|pounds?)", re.IGNORECASE | re.ASCII)
OUNCES_PER_POUND: Final = 16
#: No piece that anybody counts weighs less: a bare "12 940" is asked about (rule).
LIGHTEST_PIECE_MG: Final = 100


@dataclass(frozen=True)
class ParsedMass:
    """A mass that was read from text."""

    mass_mg: int  #: whole milligrams, rounded half to even from the exact value
    typed: str  #: the text as it was typed, to be shown back


@dataclass(frozen=True, kw_only=True)
class BenchLine:
    """One typed line of the bench: a mass, a count, own measures, or several of these."""

    mass: ParsedMass | None
    count: int | None
    loads: int = 1  #: readings that the mass was added up from
    heaviest_mg: int = 0  #: of those readings
    pm_mg: int | None = None  #: give or take, one standard deviation
    measure: str = ""  #: name of the household's own measure
    measures: float | None = None  #: how many of it


def parse_mass(text: str, default_unit: str = "scale") -> ParsedMass:
    """Read a mass as people type it: ``850``, ``0,94 kg``, ``2 lb 3 oz``, ``2lb3``, ``1 1/2 lb``.

    Parameters
    ----------
    text : str
        The typed text; decimal point or comma, common fractions, upper or lower case.
    default_unit : str
        One of `DEFAULT_UNITS`, the unit of a bare number.

    Returns
    -------
    ParsedMass
        Whole milligrams, and the text as typed.

    Raises
    ------
    QuantityError
        No digits, a negative or unknown unit, mixed systems, or above one tonne; and what can be
        read in two ways: ``1 000``, ``1,234 g``, or ``½`` without a unit where bare numbers are
        grams.

    Notes
    -----
    ``1 000 g`` is a thousand, ``940.`` is ``940``. Exact rational arithmetic; one rounding to the
    milligram at the end. Factors: see the module.

    Examples
    --------
    >>> parse_mass("2 lb 3 oz").mass_mg
    992233
    >>> parse_mass("0,94 kg").mass_mg
    940000
    """
    cleaned = _cleaned(text)
    parts = _parts(cleaned, text)
    if len(parts) == 1:
        ((number, word),) = parts
        unit = _unit(word, text) if word else _bare_unit(number, default_unit)
        _refuse_two_readings(number, unit, is_bare=word is None, default_unit=default_unit)
        exact_mg = _number(number, text) * MG_PER_UNIT[unit]
    else:
        exact_mg = _pounds_and_ounces(parts, text)
    mass_mg = round(exact_mg)
    if mass_mg > MAX_MASS_MG:
        raise QuantityError(f"“{text.strip()}” is more than a tonne; check the unit.", typed=text)
    return ParsedMass(mass_mg, text.strip())


def parse_bench_line(
    text: str, default_unit: str = "scale", measures: Sequence[str] = ()
) -> BenchLine:
    """Read a line as typed at the bench: ``weight [count] [own measures]``, or a count alone.

    Parameters
    ----------
    text : str
        ``940 12`` is a weight and a count; ``c12`` a count whose weight is still to come;
        ``5000+3120 40`` a weight in two loads; ``3kg ±0.5kg`` or ``3kg ±20%`` a weight from memory;
        ``2 tub`` two tubs not weighed, ``4100 2 tub`` two tubs weighed.
    default_unit : str
        One of `DEFAULT_UNITS`, the unit of a bare weight.
    measures : sequence of str
        Names of the household's own measures, each one word.

    Returns
    -------
    BenchLine
        None for what was not said.

    Raises
    ------
    QuantityError
        As `parse_mass`; nothing typed; more than six figures in the count; a ± without a weight;
        what may be meant in two ways.

    Notes
    -----
    A whole number after a space is the count, ``c3`` says so outright. What may be meant in two
    ways is asked about: ``2 lb 3`` (ounces, or three counted), ``1 000``, ``12 940`` (thousands, or
    a count). ``+-`` is read as ``±``.

    Examples
    --------
    >>> line = parse_bench_line("940 12")
    >>> line.mass.mass_mg, line.count
    (940000, 12)
    >>> (
    ...     parse_bench_line("5000+3120").mass.mass_mg,
    ...     parse_bench_line("2 tub", measures=["tub"]).measures,
    ... )
    (8120000, 2.0)
    """
    said = text.replace("+-", "±")
    doubt = _DOUBT.search(said)
    if doubt is None and "±" in said:
        raise QuantityError("After ± comes how much, such as 3kg ±0.5kg or 3kg ±20%.", typed=text)
    pm = doubt[1] if doubt else ""
    said = _DOUBT.sub(" ", said, count=1).strip()
    if "±" in said or (not said and not pm):
        raise QuantityError(
            "A line is a weight, a count, or both: 940 12; with one ± at most.", typed=text
        )
    words, count = said.split(), None
    _refuse_unclear_count(words)
    measure, how_many = _own_measure(words, measures)
    words = words[:-2] if measure else words
    if len(words) == 1 and words[0][0] in "cC" and (match := _COUNT.fullmatch(words[0])):
        count, words = int(match[1]), []
    elif len(words) > 1 and not words[-2].endswith("+") and (match := _COUNT.fullmatch(words[-1])):
        count, words = int(match[1]), words[:-1]
    if pm and not words:
        raise QuantityError("A ± goes with a weight; type both, such as 3kg ±0.5kg.", typed=text)
    if not words:
        if count is None and not measure:
            raise QuantityError("A line is a weight, a count, or both: 940 12.", typed=text)
        return BenchLine(mass=None, count=count, measure=measure, measures=how_many)
    loads = " ".join(words).split("+")
    masses = [parse_mass(load, default_unit).mass_mg for load in loads]
    mass_mg = sum(masses)
    if (
        count
        and words[-1].isdigit()
        and not said.endswith(f"c{count}")
        and mass_mg < count * LIGHTEST_PIECE_MG
    ):
        raise _two_readings(f"{words[-1]} {count}", f"{words[-1]}{count}", f"{words[-1]} c{count}")
    if mass_mg > MAX_MASS_MG:
        raise QuantityError(f"“{text.strip()}” is more than a tonne; check the unit.", typed=text)
    mass = ParsedMass(mass_mg, " ".join(words))
    return BenchLine(
        mass=mass,
        count=count,
        loads=len(loads),
        heaviest_mg=max(masses),
        pm_mg=_give_or_take(pm, mass_mg, default_unit),
        measure=measure,
        measures=how_many,
    )


def _two_readings(typed: str, one: str, other: str) -> QuantityError:
    return QuantityError(f"“{typed}” can be read in two ways; type {one} or {other}.", typed=typed)


def _refuse_unclear_count(words: list[str]) -> None:
    """Ask where the last figures may belong to the weight."""
    if len(words) < 2 or not words[-1].isdigit():
        return
    before, last = " ".join(words[:-1]), words[-1]
    if len(last) == 3 and last[0] == "0" and words[-2].isdigit():
        raise _two_readings(f"{words[-2]} {last}", words[-2] + last, f"{words[-2]} c{int(last)}")
    if _POUNDS_ALONE.fullmatch(before) and int(last) < OUNCES_PER_POUND:
        raise _two_readings(f"{before} {last}", f"{before} {last} oz", f"{before} c{last}")


def _refuse_two_readings(number: str, unit: str, *, is_bare: bool, default_unit: str) -> None:
    """Ask where the same figures are a small weight or a large one."""
    if unit == "g" and _GROUPED.fullmatch(number):
        raise _two_readings(
            f"{number} g", f"{number.replace(',', '')} g", f"{number.replace(',', '.')} g"
        )
    if is_bare and re.fullmatch(r"\d+(\s\d{3})+.*", number) and "/" not in number:
        raise _two_readings(number, re.sub(r"\s", "", number), f"{number} g")
    if is_bare and "/" in number and default_unit in ("scale", "g"):
        raise QuantityError(f"“{number}” of what? Type {number} kg or {number} lb.", typed=number)


def _own_measure(words: list[str], measures: Sequence[str]) -> tuple[str, float | None]:
    """The own measure that a line ends with, and how many of it."""
    if len(words) < 2:
        return "", None
    last = words[-1].lower()
    named = {form: name for name in measures for form in (name.lower(), f"{name.lower()}s")}
    if last not in named or not re.fullmatch(_NUMBER, words[-2], re.ASCII):
        return "", None
    how_many = float(_number(words[-2], " ".join(words)))
    if not 0 < how_many <= 1000:
        raise QuantityError(
            f"“{words[-2]} {words[-1]}” cannot be; give how many as a number above zero."
        )
    return named[last], how_many


def _give_or_take(pm: str, mass_mg: int, default_unit: str) -> int | None:
    if not pm:
        return None
    if pm.endswith("%"):
        figure = pm[:-1].strip()
        share = _number(figure, pm) if re.fullmatch(_NUMBER, figure, re.ASCII) else None
        if share is None or share > 100:
            raise QuantityError(
                f"“±{pm}” cannot be read; give a share of the weight such as ±20%.", typed=pm
            )
        return round(mass_mg * share / 100)
    return parse_mass(pm, default_unit).mass_mg


def format_mass(mass_mg: int | float, system: str = "metric") -> str:
    """Write a mass with its unit, at the fineness of a kitchen scale.

    Parameters
    ----------
    mass_mg : int or float
        Milligrams.
    system : str
        ``metric``, ``imperial``, or ``pounds`` with decimals.

    Returns
    -------
    str
        Kilograms from 1 kg on and grams below; pounds and ounces, or ounces below a pound; or
        pounds to the hundredth.

    Raises
    ------
    QuantityError
        An unknown system.

    Notes
    -----
    Rounds for the eye only; sums are made on the whole milligrams. Factors: see the module.

    Examples
    --------
    >>> format_mass(1_240_000), format_mass(850_000), format_mass(992_233, "imperial")
    ('1.240 kg', '850 g', '2 lb 3.0 oz')
    >>> format_mass(1_102_229, "pounds")
    '2.43 lb'
    """
    if system == "metric":
        if abs(mass_mg) >= 999_500:
            return f"{half_up(mass_mg / 1e6, 3)} kg"
        grams = mass_mg / 1e3
        return f"{half_up(grams, 0 if abs(grams) >= 10 or grams == round(grams) else 1)} g"
    if system == "imperial":
        tenths_oz = int(half_up(mass_mg / float(MG_PER_UNIT["oz"]) * 10, 0))
        pounds, rest = divmod(tenths_oz, 160)
        ounces = f"{half_up(rest / 10, 1)} oz"
        return f"{pounds} lb {ounces}" if pounds else ounces
    if system == "pounds":
        return f"{half_up(mass_mg / float(MG_PER_UNIT['lb']), 2)} lb"
    raise QuantityError(f"“{system}” is no unit system; use one of {', '.join(SYSTEMS)}.")


def in_unit(mass_mg: int | float, unit: str) -> str:
    """Write a mass in one unit, as a scale that shows it does: ``0.01 lb``.

    Parameters
    ----------
    mass_mg : int or float
        Milligrams.
    unit : str
        A key of `MG_PER_UNIT`.

    Returns
    -------
    str
        To a ten-thousandth of the unit, without noughts at the end.

    Raises
    ------
    QuantityError
        An unknown unit.

    Examples
    --------
    >>> in_unit(4536, "lb"), in_unit(5000, "g")
    ('0.01 lb', '5 g')
    """
    if unit not in MG_PER_UNIT:
        raise QuantityError(f"“{unit}” is not a unit of weight; use g, kg, lb or oz.", typed=unit)
    figure = half_up(float(mass_mg) / float(MG_PER_UNIT[unit]), 4)
    return f"{float(figure):.10g} {unit}"


def half_up(value: float, places: int) -> Decimal:
    """Round a figure to so many decimals; what lies half way goes up, as it is done by hand.

    Parameters
    ----------
    value : float
        Taken as the shortest decimal that means it: 1.845 is 1.845, not a little less.
    places : int
        Decimals, 0 or more.

    Returns
    -------
    Decimal
        With just so many decimals; what is not finite as it is.

    Notes
    -----
    A scale in steps of 5 g ends half of its readings half way, and a float may lie on either side
    of it.

    Examples
    --------
    >>> [str(half_up(value, 2)) for value in (1.845, 7.995, -1.845)], str(half_up(850.5, 0))
    (['1.85', '8.00', '-1.85'], '851')
    """
    exact = Decimal(repr(float(value)))
    if not exact.is_finite():
        return exact
    return exact.quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP)


def kg_to(kg: float, system: str) -> tuple[float, str]:
    """Convert kilograms to the large unit of a system.

    Parameters
    ----------
    kg : float
        Kilograms.
    system : str
        One of `SYSTEMS`.

    Returns
    -------
    tuple of float and str
        The figure and its unit, ``kg`` or ``lb``.

    Raises
    ------
    QuantityError
        An unknown system.

    Notes
    -----
    Factors: see the module.

    Examples
    --------
    >>> kg_to(0.45359237, "imperial")
    (1.0, 'lb')
    """
    if system == "metric":
        return kg, "kg"
    if system in SYSTEMS:
        return float(kg * 1_000_000 / MG_PER_UNIT["lb"]), "lb"
    raise QuantityError(f"“{system}” is no unit system; use one of {', '.join(SYSTEMS)}.")


def _cleaned(text: str) -> str:
    """Lower case, with signs such as ½ written out as fractions."""
    out = []
    for char in text.strip().lower():
        if unicodedata.category(char) == "No" and unicodedata.decomposition(char).startswith(
            "<frac"
        ):
            fraction = Fraction(unicodedata.numeric(char)).limit_denominator(100)
            out.append(f" {fraction.numerator}/{fraction.denominator} ")
        else:
            out.append(char)
    return "".join(out).strip()


def _parts(cleaned: str, text: str) -> list[tuple[str, str | None]]:
    shown = text.strip()
    if not re.search(r"[0-9]", cleaned):
        raise QuantityError(
            f"“{shown}” holds no number; type a weight such as 850 or 0.94 kg.", typed=text
        )
    if cleaned[0] in "-−–":
        raise QuantityError(
            f"“{shown}” is below zero; a harvest weighs nothing or more.", typed=text
        )
    parts: list[tuple[str, str | None]] = []
    at = 0
    while at < len(cleaned):
        match = _PART.match(cleaned, at)
        if match is None or len(parts) == 2:
            raise QuantityError(
                f"“{shown}” cannot be read as a weight; type 850, 0.94 kg or 2 lb 3 oz.", typed=text
            )
        parts.append((match[1], match[2]))
        at = match.end()
    return parts


def _unit(word: str, text: str) -> str:
    try:
        return _UNIT_WORDS[word]
    except KeyError:
        raise QuantityError(
            f"“{word}” in “{text.strip()}” is not a unit of weight; use g, kg, lb or oz.",
            typed=text,
        ) from None


def _bare_unit(number: str, default_unit: str) -> str:
    if default_unit == "scale":
        return "kg" if re.search(r"[.,]\d", number) else "g"
    if default_unit not in MG_PER_UNIT:
        raise QuantityError(
            f"“{default_unit}” is no default unit; use one of {', '.join(DEFAULT_UNITS)}."
        )
    return default_unit


def _number(number: str, text: str) -> Fraction:
    pieces = number.rstrip(".,").replace(",", ".").split()
    if len(pieces) > 1 and "/" not in number:
        pieces = ["".join(pieces)]
    try:
        return sum((Fraction(piece) for piece in pieces), Fraction(0))
    except ZeroDivisionError:
        raise QuantityError(f"“{text.strip()}” divides by zero.", typed=text) from None


def _pounds_and_ounces(parts: list[tuple[str, str | None]], text: str) -> Fraction:
    (pounds, first), (ounces, second) = parts
    if first is None or _unit(first, text) != "lb" or _unit(second or "oz", text) != "oz":
        raise QuantityError(
            f"“{text.strip()}” mixes units; two numbers go together only as pounds and ounces.",
            typed=text,
        )
    return _number(pounds, text) * MG_PER_UNIT["lb"] + _number(ounces, text) * MG_PER_UNIT["oz"]
