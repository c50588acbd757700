"""How many plants the figures of a planting are divided by, and how that is known."""

from __future__ import annotations

import contextlib
import math
from collections import defaultdict
from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass
from datetime import date

from kilter.core.errors import RecordError
from kilter.core.growing.growth import CameThrough, CountEvent, Stood, came_through, stood_at
from kilter.core.yields.record import KnownBy


@dataclass(frozen=True)
class Plants:
    """How many plants stood when the harvest began, and how that is known."""

    number: float | None
    known_by: KnownBy
    relative_sd: float


@dataclass(frozen=True)
class Counted:
    """A planting whose plants were counted."""

    kind: Hashable  #: what it speaks for: a crop, and as what it was set out
    units: int | None  #: as many as were set out
    is_perennial: bool
    events: Sequence[CountEvent]
    began: date | None  #: the first day of lifting; None where nothing was lifted yet


def shares_through(counted: Iterable[Counted]) -> dict[Hashable, CameThrough]:
    """Learn by kind what share of those set out stood when the harvest began.

    Parameters
    ----------
    counted : iterable of Counted
        All plantings with counts, of any kind.

    Returns
    -------
    dict of Hashable to CameThrough
        Of each kind of which something can be learnt.

    Notes
    -----
    By `came_through`. What stays over years is left out: what stands there is more than one
    season's coming through.

    Examples
    --------
    >>> seen = CountEvent(date(2026, 6, 1), "standing", 30)
    >>> shares_through([Counted("beet", 40, False, [seen], None)])["beet"].share
    0.75
    """
    pairs: dict[Hashable, list[tuple[int, int]]] = defaultdict(list)
    for one in counted:
        stood = _stood(one.units, one.events, one.began)
        if stood.is_counted and stood.plants is not None and one.units and not one.is_perennial:
            pairs[one.kind].append((stood.plants, one.units))
    found = {kind: came_through(known) for kind, known in pairs.items()}
    return {kind: share for kind, share in found.items() if share is not None}


def plants_of(
    units: int | None,
    units_pm: int | None,
    events: Sequence[CountEvent],
    began: date | None,
    through: CameThrough | None,
) -> Plants:
    """Give the plants that a harvest is divided by.

    Parameters
    ----------
    units, units_pm : int or None
        Set out, and by how many more or fewer that may be wrong.
    events : sequence of CountEvent
        Counts of the planting.
    began : date or None
        Its first day of lifting.
    through : CameThrough or None
        What share of those set out stood in like plantings, where that was counted.

    Returns
    -------
    Plants
        Counted (exact), reckoned from like plantings, or as set out; None where no number is known.

    Notes
    -----
    Kilter's own (rule): counted wins over reckoned, reckoned over set out. Relative variances of
    the number set out and of the share add up (delta method). Counts that contradict each other
    leave what was set out.

    Examples
    --------
    >>> plants_of(40, None, [], None, CameThrough(0.75, 0.1, 3))
    Plants(number=30.0, known_by='reckoned', relative_sd=0.1)
    """
    stood = _stood(units, events, began)
    if stood.is_counted:
        return Plants(stood.plants, "counted", 0.0)
    if stood.plants is None:
        return Plants(None, "", 0.0)
    vague = units_pm / units if units and units_pm else 0.0
    if through is None:
        return Plants(stood.plants, "set out", vague)
    return Plants(stood.plants * through.share, "reckoned", math.hypot(vague, through.relative_sd))


def _stood(units: int | None, events: Sequence[CountEvent], began: date | None) -> Stood:
    """Counts that contradict each other leave what was set out."""
    if events:
        with contextlib.suppress(RecordError):
            return stood_at(units, events, began)
    return Stood(units, is_counted=False)
