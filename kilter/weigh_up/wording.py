"""The answer in words: what did better, by how much, how sure, and what that speaks of."""

from __future__ import annotations

from dataclasses import dataclass

from kilter.core.compare import Comparison, PairResult
from kilter.core.power import MOST_UNITS, Settling

VERDICT_WORDS = {
    "clear": "Clear",
    "leaning": "Leaning",
    "cannot tell": "Cannot tell",
    "no ratio": "No ratio",
}


@dataclass(frozen=True)
class Sentence:
    """The answer and, in smaller type, how sure it is."""

    answer: str
    doubt: str
    agreement: str
    scope: str


def sentence(comparison: Comparison) -> Sentence:
    """Say the answer as a gardener would."""
    zeros = [level for level in comparison.levels if level.low is None]
    scope = _scope(comparison)
    if not comparison.pairs:
        best = comparison.levels[0]
        return Sentence(f"Only {_quoted(best.level)} gave anything.", _zero_words(comparison), "", scope)
    pair = comparison.pairs[0]
    many = len(comparison.levels) - len(zeros) > 2
    doubt = f"{_interval(pair)} Chance that it is truly ahead: {percent(pair.chance)}."
    if zeros:
        doubt += f" {_zero_words(comparison)}"
    if many:
        doubt += _told_apart(comparison)
    return Sentence(_answer(pair, is_of_many=many), doubt, _agreement(comparison), scope)


def more_than(ratio: float) -> str:
    """A ratio of at least one in words: ``about 23 % more than``, ``about 2.4 times as much as``."""
    if ratio >= 1.995:
        return f"about {ratio:.2g} times as much as"
    more = round((ratio - 1) * 100)
    return f"about {more}\u00a0% more than" if more else "about as much as"


@dataclass(frozen=True)
class SettlingWords:
    """One gap, and how many of each would tell it from chance."""

    words: str
    units: str


def settling(comparison: Comparison) -> dict[str, object]:
    """How many units of each the gap seen would take, and some other gaps."""
    found = comparison.settling
    gaps = [SettlingWords(f"{more_than(one.ratio).removesuffix(' than')}", _units(one)) for one in found]
    if not comparison.pairs or comparison.pairs[0].ratio == 1:
        return {"seen": "", "gaps": gaps}
    pair, seen = comparison.pairs[0], found[0]
    here = [sum(unit.level == level for unit in comparison.units) for level in (pair.a, pair.b)]
    have = f"There are {here[0]} and {here[1]} now."
    if pair.verdict == "clear":
        words = f"The gap seen is told from chance already. {have}"
    elif seen.units is None:
        words = f"The gap seen is too small to be told from chance by any trial a garden can hold. {have}"
    else:
        words = f"If the gap is truly as seen, {seen.units} of each in one trial would tell it from chance. {have}"
    return {"seen": words, "gaps": [SettlingWords(f"{gaps[0].words} (as seen)", gaps[0].units), *gaps[1:]]}


def _units(one: Settling) -> str:
    return f"more than {MOST_UNITS}" if one.units is None else str(one.units)


def percent(share: float) -> str:
    """A chance, never rounded to a certainty."""
    if share > 0.995:
        return "over 99\u00a0%"
    return f"{share * 100:.0f}\u00a0%"


def _answer(pair: PairResult, *, is_of_many: bool) -> str:
    a, b = _quoted(pair.a), _quoted(pair.b)
    if pair.verdict == "clear":
        ahead = more_than(pair.ratio)
        return f"{a} did best: {ahead} the next, {b}." if is_of_many else f"{a} gave {ahead} {b}."
    if pair.verdict == "leaning":
        return f"{a} looks better than {b}, but it is not certain."
    return f"{a} and {b} lead, and cannot be told apart." if is_of_many else f"{a} and {b} cannot be told apart yet."


def _interval(pair: PairResult) -> str:
    low, high = (pair.low - 1) * 100, (pair.high - 1) * 100
    if low >= 0:
        return f"Likely between {low:.0f}\u00a0% and {high:,.0f}\u00a0% more."
    return f"Likely between {-low:.0f}\u00a0% less and {high:,.0f}\u00a0% more."


def _told_apart(comparison: Comparison) -> str:
    clear = [p for p in comparison.pairs if p.verdict == "clear"]
    if not clear:
        return " No two of them can be told apart for sure."
    return f" {len(clear)} of {len(comparison.pairs)} pairs are told apart."


def _agreement(comparison: Comparison) -> str:
    if comparison.agree_of == 0:
        return ""
    names = " and ".join(comparison.block_names)
    if comparison.agree == comparison.agree_of > 1:
        return f"All {comparison.agree_of} blocks ({names}) agree."
    return f"{comparison.agree} of {comparison.agree_of} blocks ({names}) agree."


def _scope(comparison: Comparison) -> str:
    return "in general" if comparison.is_general else "in these seasons and places"


def _zero_words(comparison: Comparison) -> str:
    return " ".join(
        f"{_quoted(level.level)}: 0 of {level.n} gave anything." for level in comparison.levels if level.low is None
    )


def _quoted(level: str) -> str:
    return f"‘{level}’"
