"""Something every week: what a fit gives to eat, week by week, by crop and by kind."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.larder.flow import Batch, Flow, Week, weekly_flow
from kilter.drawing.fitted import WEEKS, Piece, ribbon
from kilter.next_year.fit.option_days import OptionDays
from kilter.next_year.fit.ordering import Ordered
from kilter.next_year.rows import CropRow

#: What does not keep is eaten in the week in which it is lifted and in the next (rule).
FRESH_WEEKS = 1
#: Less than this is nothing: kilograms.
FEW = 0.01
#: Poor and good years, of those drawn (rules).
POOR, GOOD = 0.1, 0.9
#: Of a week: all that is wanted as lifted, or from the larder; some of it; none.
FRESH, STORED, PARTLY, LACKING = "fresh", "stored", "partly", "lacking"
EVEN_POOR, ONLY_GOOD = "poor", "good"


@dataclass(frozen=True, kw_only=True)
class Ribbon:
    """The year of one crop, or of one kind, at the table."""

    name: str
    weeks: tuple[str, ...]  #: each as above, or empty where none is wanted
    kg: tuple[float, ...]  #: eaten in each
    runs_out: tuple[date | None, ...] = (None, None, None)  #: early, usual, late
    poor: tuple[bool, ...] = ()  #: whether a poor year, of which there is one in ten, covers it too
    good: tuple[bool, ...] = ()  #: whether a good year does, which one in ten is better than
    spare: tuple[float, ...] = ()  #: kilograms that its own later weeks do not need

    @property
    def pieces(self) -> tuple[Piece, ...]:
        return ribbon(self.weeks)

    @property
    def bands(self) -> tuple[Piece, ...]:
        """Under the ribbon: weeks that even a poor year covers,
        and those that only a good one does.
        """
        covered = [week in {FRESH, STORED} for week in self.weeks]
        return ribbon(
            [
                EVEN_POOR if poor else ONLY_GOOD if good and not now else ""
                for poor, good, now in zip(self.poor, self.good, covered, strict=True)
            ]
        )

    @property
    def covered(self) -> int:
        return sum(week in {FRESH, STORED} for week in self.weeks)

    @property
    def partly(self) -> int:
        return sum(week == PARTLY for week in self.weeks)

    @property
    def wanted(self) -> int:
        return sum(bool(week) for week in self.weeks)

    @property
    def longest_gap(self) -> int:
        return longest_gap_of(self.weeks)[0]


def longest_gap_of(weeks: Sequence[str]) -> tuple[int, int]:
    """How many weeks in a row lack at most, and the first of them."""
    longest = run = start = 0
    for i, week in enumerate(weeks):
        run = run + 1 if week == LACKING else 0
        if run > longest:
            longest, start = run, i - run + 1
    return longest, start


def week_of(day: date, season: int) -> int:
    """The week of the season's year in which a day lies, from 0; below 0 before it."""
    return math.floor((day - date(season, 1, 1)).days / 7)


def ribbons(
    found: Ordered, plants: Mapping[int, float], draws: FloatArray, stock_kg: Mapping[int, float]
) -> list[Ribbon]:
    """The ribbon of every crop, then of what stays where it stands.

    `draws` (options, years) is what a plant of each option gives.
    """
    season = found.plan.season
    made = []
    for c, row in enumerate(found.rows):
        mine = [(o, amount) for o, amount in plants.items() if found.order.options[o].crop == c]
        years = [
            [*((found.windows[o], amount * float(draws[o, year])) for o, amount in mine), *set_out]
            for year, set_out in zip(_years(mine, draws, row), _set_out(found, row), strict=True)
        ]
        made.append(_of_crop(row, found.needs_kg[c], season, years, stock_kg.get(row.crop.pk, 0.0)))
    for one in found.lasting:
        if one.window is not None:
            years = [[(one.window, kg)] for kg in _gives(one.row, one.plants)]
            need_kg = one.row.needed.lift_kg or 0.0
            made.append(
                _of_crop(one.row, need_kg, season, years, stock_kg.get(one.row.crop.pk, 0.0))
            )
    return made


def _of_crop(
    row: CropRow,
    need_kg: float,
    season: int,
    years: Sequence[Sequence[tuple[OptionDays, float]]],
    stock_kg: float,
) -> Ribbon:
    """From what is lifted when, in a poor year, the one that counts, and a good one."""
    windows = [window for window, _ in years[0]]
    demand = _demand(row, need_kg, windows, season, has_stock=stock_kg > 0)
    flows = [weekly_flow(_batches(row, season, lifted, stock_kg), demand) for lifted in years]
    lifted = {week for window in windows for week in _weeks(window, season)}
    how = tuple(_how(week, is_lifted=i in lifted) for i, week in enumerate(flows[1].weeks))
    ends = (
        tuple(_ends(flow, season) for flow in flows) if row.dates.weeks_kept else (None, None, None)
    )
    poor, good = (
        tuple(bool(week.demand) and week.is_covered for week in flows[i].weeks) for i in (0, 2)
    )
    spare = tuple(flows[1].spare(i) for i in range(WEEKS))
    return Ribbon(
        name=row.crop.name,
        weeks=how,
        kg=tuple(week.eaten for week in flows[1].weeks),
        runs_out=ends,
        poor=poor,
        good=good,
        spare=spare,
    )


def _how(week: Week, *, is_lifted: bool) -> str:
    if not week.demand:
        return ""
    if not week.is_covered:
        return PARTLY if week.eaten > FEW else LACKING
    return FRESH if is_lifted else STORED


def _shares(row: CropRow) -> tuple[float, float, float]:
    """In what share of the years it is worse: than a poor one,
    the one that the certainty stands on, a good one.
    """
    risk = 1 - row.said.certainty / 100
    return min(POOR, risk), risk, max(GOOD, risk)


def _years(
    mine: Sequence[tuple[int, float]], draws: FloatArray, row: CropRow
) -> tuple[int, int, int]:
    """These three of the years drawn."""
    total = sum((amount * draws[o] for o, amount in mine), np.zeros(draws.shape[1]))
    order = np.argsort(total, kind="stable")
    at = [min(math.ceil(share * (len(order) - 1)), len(order) - 1) for share in _shares(row)]
    return int(order[at[0]]), int(order[at[1]]), int(order[at[2]])


def _batches(
    row: CropRow, season: int, lifted: Sequence[tuple[OptionDays, float]], stock_kg: float
) -> list[Batch]:
    """What comes in: what may stand is there from the first lift on,
    the rest as much in every week of lifting.
    """
    kept = row.dates.weeks_kept
    loss = float(row.said.store_loss_percent) / 100 if kept else 0.0
    made = [Batch(0, stock_kg, WEEKS, loss)] if stock_kg > 0 else []
    book = row.crop.in_handbook
    for window, kg in lifted:
        weeks = _weeks(window, season)
        if book is not None and book.is_standing:
            made.append(Batch(weeks[0], kg, len(weeks)))
        else:
            made += [
                Batch(week, kg / len(weeks), round(kept) or FRESH_WEEKS, loss) for week in weeks
            ]
    return made


def _set_out(found: Ordered, row: CropRow) -> list[list[tuple[OptionDays, float]]]:
    """What is set out already, lifted as the crop's own dates say, in each of the three years."""
    units = found.planted.get(row.crop.pk, 0)
    if not units or row.begins is None or row.lifts is None:
        return [[], [], []]
    ends = max(
        (day for sowing in row.dates.sowings if (day := row.dates.on(sowing.lift_to))),
        default=row.lifts,
    )
    return [[(OptionDays(row.begins, row.lifts, ends), kg)] for kg in _gives(row, units)]


def _gives(row: CropRow, units: int) -> tuple[float, ...]:
    """What so many plants give in each of the three years."""
    assert row.one_plant is not None
    return row.one_plant.span_kg(units, *_shares(row))


def _demand(
    row: CropRow, need_kg: float, windows: Sequence[OptionDays], season: int, *, has_stock: bool
) -> list[float]:
    """As much every week, from the first lift for as many weeks as it is wanted; what is in store
    is eaten before.

    What does not keep is eaten for as long as it is lifted, if that is longer.
    """
    weeks = max(row.needed.weeks, 1)
    if not row.said.is_kept:
        weeks = max(weeks, len({week for window in windows for week in _weeks(window, season)}))
    a_week = need_kg / weeks
    lifts = [window.lift_from for window in windows] or [
        day for day in (row.lifts,) if day is not None
    ]
    first = min((week_of(day, season) for day in lifts), default=0)
    wanted = {first + n for n in range(weeks)}
    if has_stock or row.said.is_kept:
        wanted |= {week - WEEKS for week in wanted}  # what was laid in the year before
    return [a_week if week in wanted else 0.0 for week in range(WEEKS)]


def _weeks(window: OptionDays, season: int) -> list[int]:
    """The weeks in which something is lifted."""
    count = max(math.ceil(((window.lift_to - window.lift_from).days + 1) / 7), 1)
    first = max(week_of(window.lift_from, season), 0)
    return [first + n for n in range(count)]


def _ends(flow: Flow, season: int) -> date | None:
    out = flow.runs_out
    return None if out is None else date(season, 1, 1) + timedelta(weeks=out)
