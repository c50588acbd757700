"""The answer in words: what did better, by how much, how sure, and what that speaks of."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from kilter.core.amounts.units import half_up
from kilter.core.compare import Comparison, LevelResult, PairResult
from kilter.core.compare.anova import Anova
from kilter.core.compare.factorial import TwoFactor
from kilter.core.compare.power import Settling
from kilter.weigh_up.answer.gap_words import (
    GIVES,
    Manner,
    interval_words,
    is_in_times,
    more_than,
    number_word,
    short_gap,
    spread_words,
)

#: Below such a p the textbook takes a difference for sure.
SURE_P = 0.05
ONE_OF_EACH = "One of each: nothing here would show if one went wrong."

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


def sentence(
    comparison: Comparison, manner: Manner = GIVES, seasons: Collection[int] = ()
) -> Sentence:
    """Say the answer as a gardener would; ``seasons`` are those that the two best were seen in."""
    zeros = [level for level in comparison.levels if level.low is None]
    scope = _scope(comparison, seasons)
    if not comparison.pairs:
        best = comparison.levels[0]
        return Sentence(
            f"Only {_quoted(best.level)} {manner.at_all}.",
            _zero_words(comparison, manner),
            "",
            scope,
        )
    pair = comparison.pairs[0]
    many = len(comparison.levels) - len(zeros) > 2
    # where the answer puts neither first, the doubt says which of them it speaks of
    it, whose = (
        ("it", "")
        if pair.verdict == "clear"
        else (_quoted(pair.a), f"{_quoted(pair.a)} {manner.verb} ")
    )
    chance = f"Chance that {it} truly {manner.verb} {manner.more_word}: {percent(pair.chance)}."
    doubt = f"{interval_words(pair, manner, whose)} {chance}"
    if comparison.is_one_of_each:
        doubt += f" {ONE_OF_EACH}"
    if zeros:
        doubt += f" {_zero_words(comparison, manner)}"
    if many:
        doubt += _told_apart(comparison)
    return Sentence(_answer(pair, manner, is_of_many=many), doubt, _agreement(comparison), scope)


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


def settling(comparison: Comparison, manner: Manner = GIVES) -> SettlingAnswer:
    """How many units of each the gap seen would take, and some other gaps;
    when it is clear only smaller ones.
    """
    found = comparison.settling
    if not comparison.pairs:
        return SettlingAnswer("", ())
    pair, kind = comparison.pairs[0], comparison.kind
    is_seen_first = bool(found) and pair.verdict != "clear" and pair.gap > 0
    gaps = []
    for i, one in enumerate(found):
        in_times = i == 0 and is_seen_first and is_in_times(pair)
        words = more_than(one.said, kind, manner, in_times=in_times).removesuffix(" than")
        gaps.append(
            SettlingWords(f"{words} (as seen)" if i == 0 and is_seen_first else words, _units(one))
        )
    if pair.gap <= 0:
        return SettlingAnswer("", tuple(gaps))
    here = [sum(unit.level == level for unit in comparison.units) for level in (pair.a, pair.b)]
    have = f"There are {here[0]} and {here[1]} now."
    if pair.verdict == "clear":
        words = f"This difference is too large to be chance. {have}"
    elif found[0].units is None:
        words = (
            "This difference is too small for any trial a garden can hold to tell it from "
            f"chance. {have}"
        )
    else:
        words = (
            f"If the difference is truly this large, {found[0].units} of each in one trial "
            f"would show it. {have}"
        )
    return SettlingAnswer(words, tuple(gaps))


def _units(one: Settling) -> str:
    return "more than a garden holds" if one.units is None else str(one.units)


def percent(share: float) -> str:
    """A chance, never rounded to a certainty."""
    if share > 0.995:
        return "over 99\u00a0%"
    return f"{half_up(share * 100, 0)}\u00a0%"


def _answer(pair: PairResult, manner: Manner, *, is_of_many: bool) -> str:
    a, b = _quoted(pair.a), _quoted(pair.b)
    if pair.verdict == "clear":
        ahead = more_than(pair.size, pair.kind, manner, in_times=is_in_times(pair))
        if is_of_many:
            return f"{a} {manner.ahead}: {ahead} the next, {b}."
        return f"{a} {manner.verb} {ahead} {b}."
    if pair.verdict == "leaning":
        if manner is GIVES:
            return f"{a} looks better than {b}, but it is not certain."
        return f"It looks as if {a} {manner.verb} {manner.more} {b}, but it is not certain."
    return (
        f"{a} and {b} lead, and cannot be told apart."
        if is_of_many
        else f"{a} and {b} cannot be told apart yet."
    )


def _told_apart(comparison: Comparison) -> str:
    clear = [p for p in comparison.pairs if p.verdict == "clear"]
    if not clear:
        return " No two of them can be told apart for sure."
    return f" {len(clear)} of {len(comparison.pairs)} pairs are told apart."


#: What a block is called by its plain name, one and several.
BLOCKS = {
    "variety": ("variety", "varieties"),
    "season": ("season", "seasons"),
    "place": ("place", "places"),
    "site": ("site", "sites"),
    "crop": ("crop", "crops"),
}


def _agreement(comparison: Comparison) -> str:
    if comparison.agree_of == 0:
        return ""
    names = " and ".join(comparison.block_names)
    one, blocks = BLOCKS.get(names, (f"block of {names}", f"blocks of {names}"))
    if len(comparison.block_names) > 1:
        one, blocks = f"combination of {names}", f"combinations of {names}"
    if comparison.agree_of == 1:
        return (
            f"Only one {one} had both; there it {'holds' if comparison.agree else 'does not hold'}."
        )
    if comparison.agree < comparison.agree_of:
        return f"It holds in {comparison.agree} of {comparison.agree_of} {blocks}."
    return (
        f"It holds in {'both' if comparison.agree_of == 2 else f'all {comparison.agree_of}'} "
        f"{blocks}."
    )


def _scope(comparison: Comparison, seasons: Collection[int]) -> str:
    if len(seasons) == 1:
        return f"in {next(iter(seasons))}; other years may differ"
    return "in general" if comparison.is_general else "in these seasons and places"


def hangs_words(comparison: Comparison, place: str) -> str:
    """What the answer would be without the one place that it hangs on;
    empty where it hangs on none.
    """
    suspect = comparison.suspect
    if suspect is None:
        return ""
    pair = comparison.pairs[0]
    turned = ", the other way round" if suspect.gap < 0 else ""
    gap = short_gap(pair.said(suspect.gap), pair.kind)
    return f"This hangs on one place: without {place} the difference would be {gap}{turned}."


#: So many blocks that a level never stood in are named.
MOST_UNSEEN = 4


def unseen_words(level: LevelResult, plain: str) -> str:
    """That a level never stood in some block,
    so that its plain total says something else than its adjusted mean.
    """
    named = [f"“{label}”" for label in level.unseen[:MOST_UNSEEN]]
    if (rest := len(level.unseen) - MOST_UNSEEN) > 0:
        named.append(f"{rest} more")
    blocks = f"{', '.join(named[:-1])} and {named[-1]}" if len(named) > 1 else named[0]
    return (
        f"There was no {_quoted(level.level)} for {blocks}: what it would have given there is "
        f"reckoned from the others. Its plain total is {plain}."
    )


def reconciled(comparison: Comparison, table: Anova | str, term: str) -> str:
    """Why the textbook's way of reckoning and this one do not say the same; empty where they do.

    The textbook judges the units by themselves alone; ``term`` is what it calls the thing compared.
    """
    if isinstance(table, str) or not comparison.pairs or comparison.own_sd is None:
        return ""
    pair, kind = comparison.pairs[0], comparison.kind
    p = table.p_of(term)
    is_clear = pair.verdict == "clear"
    if p is None or (p < SURE_P) == is_clear:
        return ""
    mean = sum(level.mean for level in comparison.levels) / len(comparison.levels)
    own, usual, here = (
        spread_words(sd, kind, mean)
        for sd in (comparison.own_sd, comparison.usual_sd, comparison.unit_sd)
    )
    than = "less" if comparison.own_sd < comparison.usual_sd else "more"
    sure = "sure" if p < SURE_P else "not sure"
    return (
        f"By themselves these {number_word(len(comparison.units))} differ by ±{own}, {than} than "
        f"such pots usually do (±{usual}); taken at their word the difference would be {sure} "
        f"(p = {p:.2g}). Kilter reckons with ±{here}: {pair.verdict}, {percent(pair.chance)}."
    )


def _zero_words(comparison: Comparison, manner: Manner) -> str:
    return " ".join(
        f"{_quoted(level.level)}: 0 of {level.n} {manner.at_all}."
        for level in comparison.levels
        if level.low is None
    )


def _quoted(level: str) -> str:
    return f"‘{level}’"


def depends(two: TwoFactor) -> str:
    """Whether the first thing depends on the second, in words."""
    first, second = two.names
    if two.interaction is None:
        return (
            f"Too few of the combinations were grown to tell whether the {first} depends on the "
            f"{second}."
        )
    test = two.interaction
    figures = (
        f"F = {half_up(test.f, 2)} on {test.q} and {half_up(test.df, 0)}, p = {half_up(test.p, 3)}"
    )
    if test.is_dependent:
        return (
            f"The answer on {first} depends on the {second} ({figures}): read it for each "
            f"{second} apart, below."
        )
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
    return (
        "a rule, until something is grown twice alike here"
        if prior.weight
        else "judged by these alone"
    )


#: How a number of plants is known, in words.
KNOWN_BY = {
    "counted": "counted",
    "reckoned": "reckoned from those set out",
    "set out": "taken as set out",
}


def plants_words(known: Mapping[str, int]) -> str:
    """Of how many places the plants are known how; empty where they are all counted."""
    if not known or set(known) == {"counted"}:
        return ""
    said = [f"{known[by]} {words}" for by, words in KNOWN_BY.items() if known.get(by)]
    return f"How the numbers of plants are known: {', '.join(said)}."
