"""How many plants stand, from what was counted over time; and how a seed lot came up."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Final

from kilter.core.errors import RecordError

#: What can be counted, and what it does to the number standing: set it, take from it, add to it, or
#: nothing.
KINDS: Final = {
    "sown": "none",
    "up": "set",
    "thinned": "take",
    "planted out": "set",
    "died": "take",
    "replaced": "take",
    "renewed": "add",
    "standing": "set",
}


#: Counts that say how many plants there are, whatever was reckoned before.
SEEN: Final = frozenset(kind for kind, effect in KINDS.items() if effect == "set")


@dataclass(frozen=True)
class CountEvent:
    """One count of one planting."""

    day: date
    kind: str
    count: int


@dataclass(frozen=True)
class StandingPlants:
    """What the counts come to."""

    now: int | None  #: plants standing; None if the number set out is not known either
    sown: int | None
    up: int | None
    germination: float | None  #: share of those sown that came up
    lost: int  #: died or replaced
    thinned: int


def standing(
    units: int | None, events: Sequence[CountEvent], *, is_seed: bool = False
) -> StandingPlants:
    """Fold counts over time into what stands now.

    Parameters
    ----------
    units : int or None
        Set out or sown at the start; None if unknown.
    events : sequence of CountEvent
        In any order; on one day in the order given.
    is_seed : bool
        Whether the units are seeds, so that they count as sown.

    Returns
    -------
    Standing
        Plants now; sown, up and their ratio; losses and thinnings.

    Raises
    ------
    RecordError
        An unknown kind, a negative count, or more taken than stood.

    Notes
    -----
    "Up", "planted out" and "standing" are totals seen and replace what was reckoned before;
    "thinned", "died" and "replaced" take away; "renewed" adds. Germination is the largest count up
    over those sown (common practice, no source).

    Examples
    --------
    >>> s = standing(
    ...     60,
    ...     [CountEvent(date(2026, 4, 20), "up", 48), CountEvent(date(2026, 5, 2), "thinned", 18)],
    ...     is_seed=True,
    ... )
    >>> s.now, s.germination
    (30, 0.8)
    """
    now, sown, up = units, units if is_seed else None, None
    taken = dict.fromkeys(("thinned", "died", "replaced"), 0)
    for event in sorted(events, key=lambda e: e.day):
        effect = _effect(event)
        if event.kind == "sown":
            sown = (sown or 0) + event.count if not is_seed else max(sown or 0, event.count)
            now = event.count if now is None else now
        elif event.kind == "up":
            up = max(up or 0, event.count)
        if effect == "set":
            now = event.count
        elif effect == "add":
            now = (now or 0) + event.count
        elif effect == "take":
            if now is not None and event.count > now:
                raise RecordError(
                    f"{event.count} {event.kind} on {event.day:%d %B %Y}, but only {now} stood; "
                    "check the two counts."
                )
            now = None if now is None else now - event.count
            taken[event.kind] += event.count
    germination = min(up / sown, 1.0) if sown and up is not None else None
    return StandingPlants(
        now, sown, up, germination, taken["died"] + taken["replaced"], taken["thinned"]
    )


@dataclass(frozen=True)
class Stood:
    """The plants that stood when a harvest began."""

    plants: int | None
    is_counted: bool  #: seen and counted, rather than as many as were set out


@dataclass(frozen=True)
class CameThrough:
    """What share of those set out stood in the end."""

    share: float
    relative_sd: float
    plantings: int


def stood_at(units: int | None, events: Sequence[CountEvent], began: date | None) -> Stood:
    """Give the plants that stood when the harvest began.

    Parameters
    ----------
    units : int or None
        Set out or sown at the start; None if unknown.
    events : sequence of CountEvent
        All of the planting.
    began : date or None
        Day of the first lift; None where nothing was lifted, so that all counts speak.

    Returns
    -------
    Stood
        By the last count up to that day, less what was thinned, died or was replaced by then; where
        the plants were seen only later, by the first count after it.

    Raises
    ------
    RecordError
        An unknown kind, a negative count, or more taken than stood.

    Notes
    -----
    As `standing`, cut off at the first lift. Without a count of what stood there are as many as
    were set out, less those that died or were replaced.

    Examples
    --------
    >>> stood_at(3, [CountEvent(date(2026, 6, 1), "replaced", 2)], None)
    Stood(plants=1, is_counted=False)
    """
    ordered = sorted(events, key=lambda event: event.day)
    early = [event for event in ordered if began is None or event.day <= began]
    if not any(event.kind in SEEN for event in early):
        later = next((event for event in ordered if event.kind in SEEN), None)
        if later is not None:
            return Stood(standing(units, [later]).now, is_counted=True)
    return Stood(standing(units, early).now, any(event.kind in SEEN for event in early))


def came_through(counted: Sequence[tuple[int, int]]) -> CameThrough | None:
    """Learn from plantings that were counted what share of those set out stands in the end.

    Parameters
    ----------
    counted : sequence of (int, int)
        Of each planting the plants that stood and the units set out.

    Returns
    -------
    CameThrough or None
        The share with its relative standard deviation; None for nothing to learn from.

    Notes
    -----
    R = Σ stood / Σ set out, the ratio estimator, with relative variance Σ(s − R u)²/(n − 1) · n/(Σ
    R u)² (Cochran, *Sampling Techniques*, ch. 6; memory), never below that of a share, (1 − R)/(R Σ
    u).

    Examples
    --------
    >>> came_through([(30, 40), (15, 20)]).share
    0.75
    """
    known = [(stood, units) for stood, units in counted if units]
    stood, units = sum(s for s, _ in known), sum(u for _, u in known)
    if not stood:
        return None
    share, n = stood / units, len(known)
    between = n / (n - 1) * sum((s - share * u) ** 2 for s, u in known) / stood**2 if n > 1 else 0.0
    return CameThrough(share, math.sqrt(max(between, (1 - min(share, 1.0)) / stood)), n)


def germination_of(stands: Sequence[StandingPlants]) -> float | None:
    """Pool the germination of several sowings of one lot.

    Parameters
    ----------
    stands : sequence of Standing
        Sowings; those without both figures are passed over.

    Returns
    -------
    float or None
        Share that came up, at most 1; None if no sowing says.

    Notes
    -----
    Σ up / Σ sown.

    Examples
    --------
    >>> germination_of(
    ...     [StandingPlants(30, 40, 30, 0.75, 0, 0), StandingPlants(5, 10, 5, 0.5, 0, 0)]
    ... )
    0.7
    """
    seen = [(s.up, s.sown) for s in stands if s.up is not None and s.sown]
    return min(sum(up for up, _ in seen) / sum(sown for _, sown in seen), 1.0) if seen else None


def left_of_lot(bought: int | None, sown: Sequence[int | None]) -> tuple[int | None, int]:
    """Reckon what is left of a packet, and how many sowings do not say how much they took.

    Parameters
    ----------
    bought : int or None
        Seeds, sets or tubers in the packet.
    sown : sequence of int or None
        What each sowing took; None where it was not written down.

    Returns
    -------
    tuple of int or None, int
        What is left, never below zero, None if the packet was not counted; sowings of unknown
        amount.

    Notes
    -----
    More sown than bought leaves none: packets hold more than they say, and counts are rough.

    Examples
    --------
    >>> left_of_lot(100, [40, None, 30])
    (30, 1)
    """
    known = sum(n for n in sown if n is not None)
    return (None if bought is None else max(bought - known, 0)), sum(n is None for n in sown)


def _effect(event: CountEvent) -> str:
    if event.kind not in KINDS:
        raise RecordError(f"“{event.kind}” is not counted here; use one of {', '.join(KINDS)}.")
    if event.count < 0:
        raise RecordError("A count is zero or more.")
    return KINDS[event.kind]
