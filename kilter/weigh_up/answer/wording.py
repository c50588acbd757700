"""The answer in words: what did better, by how much, how sure, and what that speaks of."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from kilter.core.compare import Comparison, PairResult
from kilter.core.compare.factorial import TwoFactor
from kilter.core.compare.power import Settling
from kilter.core.yields.measures import Measure

VERDICT_WORDS = {
    "clear": "Clear",
    "leaning": "Leaning",
    "cannot tell": "Cannot tell",
    "no ratio": "No ratio",
}


@dataclass(frozen=True)
class Manner:
    """How a measure speaks: ‘A’ gave about 12 % more than ‘B’; the higher comes first."""

    verb: str = "gave"
    more: str = "more than"
    as_much: str = "as much as"
    less: str = "less"
    ahead: str = "did best"
    at_all: str = "gave anything"


GIVES = Manner()
MANNERS = {
    "size": Manner(
        "was", "heavier in the piece than", "as heavy in the piece as", "lighter", "was heaviest in the piece"
    ),
    "share": Manner(
        "had",
        "more of its harvest spoilt than",
        "as much of its harvest spoilt as",
        "less",
        "lost most",
        "had anything spoilt",
    ),
    "share_lost": Manner(
        "lost",
        "more of what was put by than",
        "as much of what was put by as",
        "less",
        "lost most in store",
        "lost anything in store",
    ),
    "days_to_first": Manner(
        "took",
        "longer to its first lift than",
        "as long to its first lift as",
        "shorter",
        "took longest",
    ),
    "days_bearing": Manner("bore", "longer than", "as long as", "shorter", "bore longest"),
}


def manner_of(measure: Measure) -> Manner:
    """How to speak of a measure."""
    return MANNERS.get(measure.key) or MANNERS.get(measure.kind) or GIVES


#: From here on a ratio is said in times; an interval that reaches so far is too (rules).
TWICE, MOST_IN_PERCENT = 1.995, 3.0


@dataclass(frozen=True)
class Sentence:
    """The answer and, in smaller type, how sure it is."""

    answer: str
    doubt: str
    agreement: str
    scope: str


def sentence(comparison: Comparison, manner: Manner = GIVES) -> Sentence:
    """Say the answer as a gardener would."""
    zeros = [level for level in comparison.levels if level.low is None]
    scope = _scope(comparison)
    if not comparison.pairs:
        best = comparison.levels[0]
        return Sentence(f"Only {_quoted(best.level)} {manner.at_all}.", _zero_words(comparison, manner), "", scope)
    pair = comparison.pairs[0]
    many = len(comparison.levels) - len(zeros) > 2
    doubt = f"{_interval(pair, manner)} Chance that it is truly ahead: {percent(pair.chance)}."
    if zeros:
        doubt += f" {_zero_words(comparison, manner)}"
    if many:
        doubt += _told_apart(comparison)
    return Sentence(_answer(pair, manner, is_of_many=many), doubt, _agreement(comparison), scope)


def _in_times(pair: PairResult) -> bool:
    """Whether a pair is said in times rather than in per cent: the answer and its interval in the same way."""
    return pair.ratio >= TWICE or pair.high >= MOST_IN_PERCENT


def more_than(ratio: float, manner: Manner = GIVES, *, in_times: bool = False) -> str:
    """A ratio of at least one in words: ``about 23 % more than``, ``about 2.4 times as much as``."""
    if in_times or ratio >= TWICE:
        return f"about {ratio:.2g} times {manner.as_much}"
    more = round((ratio - 1) * 100)
    return f"about {more}\u00a0% {manner.more}" if more else f"about {manner.as_much}"


@dataclass(frozen=True)
class SettlingWords:
    """One gap, and how many of each would tell it from chance."""

    words: str
    units: str


@dataclass(frozen=True)
class SettlingAnswer:
    """What would settle it: of the difference seen, and of some other ones."""

    seen: str
    gaps: tuple[SettlingWords, ...]


def settling(comparison: Comparison) -> SettlingAnswer:
    """How many units of each the gap seen would take, and some other gaps."""
    found = comparison.settling
    in_times = [bool(comparison.pairs) and i == 0 and _in_times(comparison.pairs[0]) for i in range(len(found))]
    gaps = [
        SettlingWords(more_than(one.ratio, in_times=times).removesuffix(" than"), _units(one))
        for one, times in zip(found, in_times, strict=True)
    ]
    if not comparison.pairs or comparison.pairs[0].ratio == 1:
        return SettlingAnswer("", tuple(gaps))
    pair, seen = comparison.pairs[0], found[0]
    here = [sum(unit.level == level for unit in comparison.units) for level in (pair.a, pair.b)]
    have = f"There are {here[0]} and {here[1]} now."
    if pair.verdict == "clear":
        words = f"This difference is too large to be chance. {have}"
    elif seen.units is None:
        words = f"This difference is too small for any trial a garden can hold to tell it from chance. {have}"
    else:
        words = f"If the difference is truly this large, {seen.units} of each in one trial would show it. {have}"
    return SettlingAnswer(words, (SettlingWords(f"{gaps[0].words} (as seen)", gaps[0].units), *gaps[1:]))


def _units(one: Settling) -> str:
    return "more than a garden holds" if one.units is None else str(one.units)


def percent(share: float) -> str:
    """A chance, never rounded to a certainty."""
    if share > 0.995:
        return "over 99\u00a0%"
    return f"{share * 100:.0f}\u00a0%"


def _answer(pair: PairResult, manner: Manner, *, is_of_many: bool) -> str:
    a, b = _quoted(pair.a), _quoted(pair.b)
    if pair.verdict == "clear":
        ahead = more_than(pair.ratio, manner, in_times=_in_times(pair))
        if is_of_many:
            return f"{a} {manner.ahead}: {ahead} the next, {b}."
        return f"{a} {manner.verb} {ahead} {b}."
    if pair.verdict == "leaning":
        if manner is GIVES:
            return f"{a} looks better than {b}, but it is not certain."
        return f"It looks as if {a} {manner.verb} {manner.more} {b}, but it is not certain."
    return f"{a} and {b} lead, and cannot be told apart." if is_of_many else f"{a} and {b} cannot be told apart yet."


def _interval(pair: PairResult, manner: Manner) -> str:
    if _in_times(pair):
        return f"Likely between {pair.low:.2g} and {_times(pair.high)} times {manner.as_much.removesuffix(' as')}."
    low, high = (pair.low - 1) * 100, (pair.high - 1) * 100
    more = manner.more.split()[0]
    if low >= 0:
        return f"Likely between {low:.0f}\u00a0% and {high:,.0f}\u00a0% {more}."
    return f"Likely between {-low:.0f}\u00a0% {manner.less} and {high:,.0f}\u00a0% {more}."


def _times(ratio: float) -> str:
    return f"{ratio:.2g}" if ratio < 100 else f"{ratio:,.0f}"


def _told_apart(comparison: Comparison) -> str:
    clear = [p for p in comparison.pairs if p.verdict == "clear"]
    if not clear:
        return " No two of them can be told apart for sure."
    return f" {len(clear)} of {len(comparison.pairs)} pairs are told apart."


def _agreement(comparison: Comparison) -> str:
    if comparison.agree_of == 0:
        return ""
    names = " and ".join(comparison.block_names)
    blocks = f"blocks of {names}" if len(comparison.block_names) == 1 else f"combinations of {names}"
    if comparison.agree == comparison.agree_of > 1:
        return f"All {comparison.agree_of} {blocks} agree."
    return f"{comparison.agree} of {comparison.agree_of} {blocks} agree."


def _scope(comparison: Comparison) -> str:
    return "in general" if comparison.is_general else "in these seasons and places"


def _zero_words(comparison: Comparison, manner: Manner) -> str:
    return " ".join(
        f"{_quoted(level.level)}: 0 of {level.n} {manner.at_all}." for level in comparison.levels if level.low is None
    )


def _quoted(level: str) -> str:
    return f"‘{level}’"


def depends(two: TwoFactor) -> str:
    """Whether the first thing depends on the second, in words."""
    first, second = two.names
    if two.interaction is None:
        return f"Too few of the combinations were grown to tell whether the {first} depends on the {second}."
    test = two.interaction
    figures = f"F = {test.f:.2f} on {test.q} and {test.df:.0f}, p = {test.p:.3f}"
    if test.is_dependent:
        return f"The answer on {first} depends on the {second} ({figures}): read it for each {second} apart, below."
    return (
        f"Nothing shows that the answer on {first} depends on the {second} ({figures}); "
        "that is not yet proof that it does not."
    )


def prior_words(comparison: Comparison) -> str:
    """Where the belief on the spread between like pots comes from."""
    prior = comparison.prior
    if prior.source == "own, this crop":
        return f"from {prior.units} of this crop grown twice alike or more, outside this comparison"
    if prior.source == "own, all crops":
        return f"from {prior.units} of any crop grown twice alike or more, outside this comparison"
    return "a rule, until something is grown twice alike here" if prior.weight else "judged by these alone"


#: How a number of plants is known, in words.
KNOWN_BY = {"counted": "counted", "reckoned": "reckoned from those set out", "set out": "as many as were set out"}


def plants_words(known: Mapping[str, int]) -> str:
    """Of how many places the plants are known how; empty where they are all counted."""
    if not known or set(known) == {"counted"}:
        return ""
    said = [f"{known[by]} {words}" for by, words in KNOWN_BY.items() if known.get(by)]
    return f"How the numbers of plants are known: {', '.join(said)}."
