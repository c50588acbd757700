"""Whether what was decided for the next season was done in it, as far as the plantings tell."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final, Literal, get_args

from kilter.core.amounts.units import half_up
from kilter.core.errors import RecordError

Aim = Literal[
    "more",
    "less",
    "drop",
    "elsewhere",
    "move",
    "earlier",
    "later",
    "split",
    "method",
    "store",
    "nothing",
]
#: So many days earlier or later are meant as such (rule).
SHIFT_DAYS: Final = 3
#: Plants come in whole pots and rows: so much of what was wanted is as wanted (rule).
NEARLY: Final = 0.95


@dataclass(frozen=True, kw_only=True)
class GrownInSeason:
    """What was grown in a season of what a decision is about."""

    plantings: int = 0
    units: int = 0  #: set out in all, of those that say how many
    places: frozenset[str] = frozenset()
    varieties: frozenset[str] = frozenset()
    methods: frozenset[str] = frozenset()  #: as ``name=value``
    stores: frozenset[str] = frozenset()  #: that it was put by in
    day: float | None = None  #: mean day of planting, counted from the season's first of January


@dataclass(frozen=True)
class Outcome:
    """Whether a decision was met; None while that is still open."""

    is_met: bool | None
    words: str


def outcome(
    aim: Aim,
    before: GrownInSeason,
    after: GrownInSeason,
    *,
    percent: float | None,
    number: int | None,
    detail: str,
    is_over: bool,
) -> Outcome:
    """Hold a decision against the season after it.

    Parameters
    ----------
    aim : str
        What was decided.
    before, after : Grown
        In the season looked back at, and in the next one.
    percent : float or None
        By how much more or less, where that was said.
    number : int or None
        To how many units, where that was said.
    detail : str
        Of another method, the tag ``name=value`` that was meant; else in the gardener's words.
    is_over : bool
        Whether the next season is over.

    Returns
    -------
    Outcome
        What was not done by the end of the next season is not met; before that it is open.

    Raises
    ------
    RecordError
        An aim that is none.

    Notes
    -----
    Kilter's own definitions (rules): of more and less, 95 % of what was wanted is as wanted;
    earlier and later mean three days or more; another place, method or store is one that was not
    used the season before.

    Examples
    --------
    >>> then, now = GrownInSeason(plantings=2, units=24), GrownInSeason(plantings=3, units=36)
    >>> outcome("more", then, now, percent=50, number=None, detail="", is_over=False)
    Outcome(is_met=True, words='24 set out then, 36 now')
    """
    if aim not in get_args(Aim):
        raise RecordError(f"“{aim}” is nothing that can be decided.")
    if aim == "nothing":
        return Outcome(is_met=True, words="nothing was to change")
    if aim == "drop":
        return _dropped(after, is_over=is_over)
    if not after.plantings:
        words = "it was not grown again" if is_over else "it is not planted yet"
        return Outcome(is_met=aim == "less" if is_over else None, words=words)
    is_met, words = _JUDGES[aim](before, after, _wanted(aim, before, percent, number), detail)
    return Outcome(is_met=is_met or (False if is_over else None), words=words)


def _dropped(after: GrownInSeason, *, is_over: bool) -> Outcome:
    if after.plantings:
        return Outcome(
            is_met=False, words=f"it was grown again: {after.units or after.plantings} set out"
        )
    if is_over:
        return Outcome(is_met=True, words="it was not grown again")
    return Outcome(is_met=None, words="none is planted so far")


def _wanted(
    aim: str, before: GrownInSeason, percent: float | None, number: int | None
) -> float | None:
    if number is not None:
        return float(number)
    if percent is None:
        return None
    return before.units * (1 + percent / 100 if aim == "more" else 1 - percent / 100)


_Judge = Callable[[GrownInSeason, GrownInSeason, float | None, str], tuple[bool, str]]


def _more(
    before: GrownInSeason, after: GrownInSeason, wanted: float | None, _: str
) -> tuple[bool, str]:
    is_met = after.units > before.units if wanted is None else after.units >= NEARLY * wanted
    return is_met, _counts(before, after, wanted, is_met=is_met)


def _less(
    before: GrownInSeason, after: GrownInSeason, wanted: float | None, _: str
) -> tuple[bool, str]:
    is_met = after.units < before.units if wanted is None else after.units * NEARLY <= wanted
    return is_met, _counts(before, after, wanted, is_met=is_met)


def _counts(
    before: GrownInSeason, after: GrownInSeason, wanted: float | None, *, is_met: bool
) -> str:
    meant = "" if is_met or wanted is None else f"; {half_up(wanted, 0)} were wanted"
    return f"{before.units} set out then, {after.units} now{meant}"


def _in_another(what: str, of: Callable[[GrownInSeason], frozenset[str]]) -> _Judge:
    def judge(
        before: GrownInSeason, after: GrownInSeason, _: float | None, detail: str
    ) -> tuple[bool, str]:
        new = of(after) - of(before)
        if "=" in detail:
            new &= {detail.replace(" ", "")} | {detail}
        return bool(new), f"{what}: {', '.join(sorted(new)[:4])}" if new else f"no other {what}"

    return judge


def _split(
    before: GrownInSeason, after: GrownInSeason, _: float | None, __: str
) -> tuple[bool, str]:
    pairs = (before.varieties, after.varieties), (before.places, after.places)
    is_met = any(len(now) > max(len(then), 1) for then, now in pairs)
    then = (
        f"{_number(len(before.varieties), 'variety', 'varieties')} in "
        f"{_number(len(before.places), 'place')} then"
    )
    now = (
        f"{_number(len(after.varieties), 'variety', 'varieties')} in "
        f"{_number(len(after.places), 'place')} now"
    )
    return is_met, f"{then}, {now}"


def _number(count: int, one: str, many: str = "") -> str:
    return f"{count} {one if count == 1 else many or one + 's'}"


def _shifted(sign: int) -> _Judge:
    def judge(
        before: GrownInSeason, after: GrownInSeason, _: float | None, __: str
    ) -> tuple[bool, str]:
        if before.day is None or after.day is None:
            return False, "the day of planting is not known of both"
        days = round(after.day - before.day)
        if not days:
            return False, "planted on the same day of the year"
        return (
            sign * days >= SHIFT_DAYS,
            f"planted {_number(abs(days), 'day')} {'later' if days > 0 else 'earlier'}",
        )

    return judge


_JUDGES: Final[dict[str, _Judge]] = {
    "more": _more,
    "less": _less,
    "elsewhere": _in_another("place", lambda one: one.places),
    "move": _in_another("place", lambda one: one.places),
    "earlier": _shifted(-1),
    "later": _shifted(1),
    "split": _split,
    "method": _in_another("method", lambda one: one.methods),
    "store": _in_another("store", lambda one: one.stores),
}
