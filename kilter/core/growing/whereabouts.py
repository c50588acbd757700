"""Where a container stood when, from where it stands now and the moves that brought it there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta


@dataclass(frozen=True)
class Situation:
    """A spot with its light, in the words of the records."""

    site: str
    light: str = ""
    x_m: float | None = None
    y_m: float | None = None


@dataclass(frozen=True)
class Departure:
    """A move: on which day, and which spot was left."""

    day: date
    left: Situation


@dataclass(frozen=True)
class Stay:
    """A spot and the days spent there; None where the stay has no known start or is not over."""

    spot: Situation
    start: date | None
    end: date | None

    def days_within(self, first: date, last: date) -> int:
        """Days of a span spent here, both ends counted;
        the day of a move counts for the new spot.
        """
        start = max(self.start or first, first)
        end = min(self.end - timedelta(days=1), last) if self.end else last
        return max((end - start).days + 1, 0)


def stays(now: Situation, moves: Sequence[Departure]) -> tuple[Stay, ...]:
    """Lay out where a container stood, oldest first.

    Parameters
    ----------
    now : Spot
        Where it stands today.
    moves : sequence of Departure
        Each with the spot it left, in any order.

    Returns
    -------
    tuple of Stay
        One more than there are moves.

    Notes
    -----
    Each move holds the spot that was left, so that the present never depends on the past being
    whole.

    Examples
    --------
    >>> [
    ...     s.spot.light
    ...     for s in stays(
    ...         Situation("yard", "full sun"),
    ...         [Departure(date(2026, 7, 1), Situation("yard", "shade"))],
    ...     )
    ... ]
    ['shade', 'full sun']
    """
    found: list[Stay] = []
    start: date | None = None
    for move in sorted(moves, key=lambda m: m.day):
        found.append(Stay(move.left, start, move.day))
        start = move.day
    return (*found, Stay(now, start, None))


def mostly(laid: Sequence[Stay], first: date, last: date) -> tuple[Situation, bool]:
    """Tell at which spot most days of a span were spent, and whether there was any other.

    Parameters
    ----------
    laid : sequence of Stay
        From `stays`.
    first, last : date
        The span; a last day before the first counts as the first alone.

    Returns
    -------
    tuple of Spot, bool
        The spot with most days, the later one where two are equal; whether it stood elsewhere too.

    Notes
    -----
    Days are counted, light is not weighed: that a June day is worth two of October is not known
    here.

    Examples
    --------
    >>> laid = stays(
    ...     Situation("yard", "full sun"), [Departure(date(2026, 7, 1), Situation("yard", "shade"))]
    ... )
    >>> spot, is_mixed = mostly(laid, date(2026, 5, 1), date(2026, 8, 1))
    >>> spot.light, is_mixed
    ('shade', True)
    """
    last = max(first, last)
    days = [(stay.days_within(first, last), i) for i, stay in enumerate(laid)]
    return laid[max(days)[1]].spot, sum(n > 0 for n, _ in days) > 1
