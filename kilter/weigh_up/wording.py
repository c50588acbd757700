"""The answer in words: what did better, by how much, how sure, and what that speaks of."""

from __future__ import annotations

from dataclasses import dataclass

from kilter.core.compare import Comparison, PairResult

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


def more_words(ratio: float) -> str:
    """A ratio above one in words: ``about 23 % more``, ``about 2.4 times as much``."""
    if ratio >= 1.995:
        return f"about {ratio:.2g} times as much"
    more = round((ratio - 1) * 100)
    return f"about {more}\u00a0% more" if more else "about as much"


def percent(share: float) -> str:
    """A chance, never rounded to a certainty."""
    if share > 0.995:
        return "over 99\u00a0%"
    return f"{share * 100:.0f}\u00a0%"


def _answer(pair: PairResult, *, is_of_many: bool) -> str:
    a, b = _quoted(pair.a), _quoted(pair.b)
    best = f"{a} did best" if is_of_many else a
    if pair.verdict == "clear":
        joined = f"{best}: {more_words(pair.ratio)} than" if is_of_many else f"{a} gave {more_words(pair.ratio)} than"
        joined = joined.replace("as much than", "as much as")
        return f"{joined} {'the next, ' if is_of_many else ''}{b}."
    if pair.verdict == "leaning":
        return f"{a} looks better than {b}, but it is not certain."
    return (
        f"{a} and {b} cannot be told apart yet." if not is_of_many else f"{a} and {b} lead, and cannot be told apart."
    )


def _interval(pair: PairResult) -> str:
    low, high = pair.low, pair.high
    if low >= 1:
        return f"Likely between {_gap(low)} and {_gap(high)} more."
    return f"Likely between {(1 - low) * 100:.0f}\u00a0% less and {_gap(high)} more."


def _gap(ratio: float) -> str:
    return f"{(ratio - 1) * 100:.0f}\u00a0%" if ratio < 3 else f"{ratio:.2g} times"


def _told_apart(comparison: Comparison) -> str:
    clear = [p for p in comparison.pairs if p.verdict == "clear"]
    if not clear:
        return " No two of them can be told apart for sure."
    return f" {len(clear)} of {len(comparison.pairs)} pairs are told apart."


def _agreement(comparison: Comparison) -> str:
    if comparison.agree_of == 0:
        return ""
    names = " and ".join(comparison.block_names)
    if comparison.agree == comparison.agree_of:
        return f"All {comparison.agree_of} agree, block by block ({names})." if comparison.agree_of > 1 else ""
    return f"{comparison.agree} of {comparison.agree_of} blocks ({names}) agree."


def _scope(comparison: Comparison) -> str:
    return "in general" if comparison.is_general else "in these seasons and places"


def _zero_words(comparison: Comparison) -> str:
    return " ".join(
        f"{_quoted(level.level)}: 0 of {level.n} gave anything." for level in comparison.levels if level.low is None
    )


def _quoted(level: str) -> str:
    return f"‘{level}’"
