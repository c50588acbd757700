"""How far two things lie apart, in words: in per cent or times, in days,
or in so many of a hundred.
"""

from __future__ import annotations

from dataclasses import dataclass

from kilter.core.amounts.units import half_up
from kilter.core.compare import Kind, PairResult
from kilter.core.yields.measures import Measure

#: From here on a ratio is said in times; an interval that reaches so far is too (rules).
TWICE, MOST_IN_PERCENT = 1.995, 3.0
#: An interval that reaches so many times as far is not said in figures (rule).
NO_LIMIT = 1000.0
_NUMBERS = (
    "no",
    "one",
    "two",
    "three",
    "four",
    "five",
    "six",
    "seven",
    "eight",
    "nine",
    "ten",
    "eleven",
    "twelve",
)


@dataclass(frozen=True)
class Manner:
    """How a measure speaks: ‘A’ gave about 12 % more than ‘B’; the higher comes first."""

    verb: str = "gave"
    more: str = "more than"
    as_much: str = "as much as"
    less: str = "less"
    ahead: str = "did best"
    at_all: str = "gave anything"

    @property
    def more_word(self) -> str:
        """How the higher is higher: more, heavier, longer."""
        return self.more.split()[0]


GIVES = Manner()
MANNERS = {
    "size": Manner(
        "was",
        "heavier in the piece than",
        "as heavy in the piece as",
        "lighter",
        "was heaviest in the piece",
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


def is_in_times(pair: PairResult) -> bool:
    """Whether a pair is said in times rather than in per cent:
    the answer and its interval in the same way.
    """
    return pair.kind.answered == "ratio" and (pair.size >= TWICE or pair.high >= MOST_IN_PERCENT)


def more_than(said: float, kind: Kind, manner: Manner = GIVES, *, in_times: bool = False) -> str:
    """A gap upwards in words: ``about 23 % more than``, ``about 2.4 times as much as``,
    ``about 12 days longer …``.
    """
    if kind.answered == "ratio":
        if in_times or said >= TWICE:
            return f"about {said:.2g} times {manner.as_much}"
        more = round((said - 1) * 100)
        return f"about {more}\u00a0% {manner.more}" if more else f"about {manner.as_much}"
    amount = amount_of(said, kind)
    return f"about {amount} {manner.more}" if amount else f"about {manner.as_much}"


def amount_of(said: float, kind: Kind) -> str:
    """A gap of days or points by itself: ``12 days``, ``7 in 100``;
    empty where it rounds to nothing.
    """
    if kind.answered == "days":
        days = round(abs(said))
        return f"{days} day{'' if days == 1 else 's'}" if days else ""
    points = abs(said) * 100
    figure = str(half_up(points, 0)) if points >= 1 else str(half_up(points, 1))
    return f"{figure} in 100" if figure != "0.0" else ""


def interval_words(pair: PairResult, manner: Manner, whose: str = "") -> str:
    """Between what it likely lies; ``whose`` names the higher of the two where the answer does
    not.
    """
    more, less, kind = manner.more_word, manner.less, pair.kind
    if kind.answered == "ratio" and pair.high >= NO_LIMIT:
        return (
            "These differ so much among themselves that there is hardly a limit to how far they "
            "may lie apart."
        )
    if is_in_times(pair):
        times = f"{pair.high:.2g}" if pair.high < 100 else str(half_up(pair.high, 0))
        return (
            f"Likely {whose}between {pair.low:.2g} and {times} times "
            f"{manner.as_much.removesuffix(' as')}."
        )
    if kind.answered == "ratio":
        low, high = (
            f"{half_up(abs(pair.low - 1) * 100, 0)}\u00a0%",
            f"{half_up((pair.high - 1) * 100, 0):,}\u00a0%",
        )
    else:
        low, high = (amount_of(said, kind) or "nothing" for said in (pair.low, pair.high))
    if low == high and pair.gap_low > 0:
        return f"Likely {whose}{low} {more}."
    if pair.gap_low >= 0:
        return f"Likely {whose}between {low} and {high} {more}."
    return f"Likely {whose}between {low} {less} and {high} {more}."


def short_gap(said: float, kind: Kind) -> str:
    """A gap as a figure: ``×1.1``, ``+3 days``, ``−2 in 100``;
    the other way round it is below one, or minus.
    """
    if kind.answered == "ratio":
        return f"×{said:.2g}"
    sign = "+" if said >= 0 else "−"
    return f"{sign}{amount_of(said, kind) or '0'}"


def spread_words(sd: float, kind: Kind, mean: float) -> str:
    """How much one unit differs from the next: ``35 %``, ``5 days``;
    of a share so many of a hundred at its mean.
    """
    if kind.answered == "ratio":
        return f"{half_up(sd * 100, 0)}\u00a0%"
    if kind.answered == "days":
        return f"{half_up(sd, 0)} day{'' if round(sd) == 1 else 's'}"
    return f"{half_up(sd * mean * (1 - mean) * 100, 0)} in 100"


def number_word(number: int) -> str:
    """A small number as a word."""
    return _NUMBERS[number] if number < len(_NUMBERS) else str(number)
