"""A fit as its page shows it: how much of each crop fits and where, the ground month by month,
something every week.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date

import numpy as np

from kilter.core.fit.problem import WEEKS_A_SLOT, Laid
from kilter.drawing.fitted import Block, LaneBlock, lane, load
from kilter.next_year.fit.drawing_years import as_array, changed_from, drawn, moves
from kilter.next_year.fit.giving_up import ENOUGH, binds
from kilter.next_year.fit.intercropping import kept
from kilter.next_year.fit.kinds import by_kind, stand_ins
from kilter.next_year.fit.ordering import Ordered
from kilter.next_year.fit.plots import PlotGround, against_words
from kilter.next_year.fit.process import Best
from kilter.next_year.fit.weeks import Ribbon, ribbons
from kilter.next_year.garden import Garden
from kilter.next_year.rows import CropRow
from kilter.plans.models import half_month


@dataclass(frozen=True, kw_only=True)
class FittedPlanting:
    """Some plants of a crop in a plot for a time."""

    crop: str
    plot: str
    variety: str
    plants: int
    begins: date
    ends: date
    why_not: str  #: what speaks against it


@dataclass(frozen=True, kw_only=True)
class FitRow:
    """One crop of the fit."""

    row: CropRow
    plants: int
    reached: float  #: share of the need that is reached as surely as wanted
    sure: float  #: how sure the whole need is
    standing: tuple[FittedPlanting, ...]
    binds: str  #: what keeps more of it out
    planted: int  #: set out already
    moved: str = ""  #: what is otherwise than before the slider moved

    @property
    def is_enough(self) -> bool:
        return self.reached >= ENOUGH

    @property
    def width(self) -> float:
        """What is reached, of a hundred pixels."""
        return 100 * self.reached


@dataclass(frozen=True)
class PlotLane:
    """One plot over the half-months."""

    ground: PlotGround
    blocks: tuple[Block, ...]
    standing: tuple[FittedPlanting, ...]


@dataclass(frozen=True)
class Load:
    """Work or water over the year."""

    what: str
    unit: str
    points: str
    ceiling_y: float | None
    most: float
    most_at: date


@dataclass(frozen=True)
class Tried:
    """What is told while a slider moves."""

    rows: tuple[FitRow, ...]
    best: Best

    @property
    def enough(self) -> int:
        return sum(row.is_enough for row in self.rows)

    @property
    def short(self) -> list[FitRow]:
        return sorted((row for row in self.rows if not row.is_enough), key=lambda one: one.reached)


@dataclass(frozen=True)
class FitPage(Tried):
    """Everything on the page of a fit."""

    lanes: tuple[PlotLane, ...]
    ribbons: tuple[Ribbon, ...]
    kinds: tuple[Ribbon, ...]
    stand_ins: tuple[tuple[str, str, date], ...]
    loads: tuple[Load, ...]
    intercropping: tuple[str, ...]  #: who shares a bed with whom, where something was said of it


def shown(found: Ordered, best: Best, shared: Garden) -> FitPage:
    """Work out the page of a fit."""
    laid = drawn(found).laid
    rows = rows_of(found, best)
    of_crops = ribbons(found, best.plants, laid.problem.draws, shared.lying_kg)
    return FitPage(
        rows=rows,
        best=best,
        lanes=tuple(_lane(found, p, ground, best.plants) for p, ground in enumerate(found.grounds)),
        ribbons=tuple(of_crops),
        kinds=tuple(by_kind(found, of_crops)),
        stand_ins=tuple(stand_ins(found, of_crops)),
        loads=tuple(_loads(found, laid, best.plants)),
        intercropping=tuple(kept(laid, as_array(laid, best.plants))),
    )


def rows_of(found: Ordered, best: Best) -> tuple[FitRow, ...]:
    """What a fit has of each crop."""
    laid = drawn(found).laid
    why = binds(found, laid, best.plants)
    standing = [_standing(found, best.plants, c) for c in range(len(found.rows))]
    return tuple(
        FitRow(
            row=row,
            plants=sum(one.plants for one in standing[c]),
            reached=best.reached[c],
            sure=best.sure[c],
            standing=standing[c],
            binds=why.get(c, ""),
            planted=found.planted.get(row.crop.pk, 0),
        )
        for c, row in enumerate(found.rows)
    )


def tried(found: Ordered, before: Mapping[int, float]) -> Tried:
    """The fit nearest to one from before something was moved, and what of each crop went where."""
    best = changed_from(found, before)
    moved = moves(found, before, best.plants)
    rows = tuple(
        replace(row, moved=moved.get(row.row.crop.name, "")) for row in rows_of(found, best)
    )
    return Tried(rows, best)


def _standing(found: Ordered, plants: Mapping[int, float], c: int) -> tuple[FittedPlanting, ...]:
    made = [
        _stands(found, o, amount)
        for o, amount in sorted(plants.items())
        if found.order.options[o].crop == c
    ]
    return tuple(sorted(made, key=lambda one: (one.begins, one.plot)))


def _stands(found: Ordered, option: int, amount: float) -> FittedPlanting:
    said, window = found.order.options[option], found.windows[option]
    ground, wanted = found.grounds[said.plot], found.order.wanted[said.crop]
    plot, against = ground.plot, against_words(ground, wanted.family, wanted.name)
    return FittedPlanting(
        crop=wanted.name,
        plot=plot.name,
        variety=said.variety,
        plants=round(amount),
        begins=window.begins,
        ends=window.lift_to,
        why_not=against,
    )


def _lane(found: Ordered, p: int, ground: PlotGround, plants: Mapping[int, float]) -> PlotLane:
    here = [(o, amount) for o, amount in sorted(plants.items()) if found.order.options[o].plot == p]
    drawn_, standing = [], []
    for o, amount in here:
        said = found.order.options[o]
        one = _stands(found, o, amount)
        standing.append(one)
        kind = found.rows[said.crop].crop.in_handbook
        words = f"{one.plants} {one.crop}, {one.begins:%-d %B} to {one.ends:%-d %B}"
        series = KINDS.get(kind.stands_in_as if kind else "", 6)
        drawn_.append(
            LaneBlock(said.start, said.end, amount * said.use / ground.plot.size, words, series)
        )
    drawn_ += [
        LaneBlock(0, one.until, min(one.takes / ground.plot.size, 1.0), f"there: {one.words}", 0)
        for one in ground.standing
    ]
    return PlotLane(ground, lane(drawn_), tuple(standing))


#: Kinds by the colour and texture of the pictures' series.
KINDS = {
    "roots": 1,
    "onion-like": 2,
    "leafy": 3,
    "salad": 3,
    "legume": 4,
    "fruiting": 5,
    "keeping squash": 5,
    "fruit": 6,
}
#: The same the other way, for a legend.
KIND_LEGEND = (
    (1, "roots"),
    (2, "onion-like"),
    (3, "leaves and salads"),
    (4, "legumes"),
    (5, "fruiting and squashes"),
    (6, "fruit and others"),
)


def _loads(found: Ordered, laid: Laid, plants: Mapping[int, float]) -> list[Load]:
    """Work a week and water a day, by half-month, against the ceilings."""
    made = []
    weeks = np.maximum(laid.there.sum(axis=1), 1.0) * WEEKS_A_SLOT
    for name, what, unit, days, ceiling in (
        ("minutes", "work", "minutes a week", 1, found.plan.minutes_a_week),
        ("water", "water", "litres a day", 7, found.plan.litres_a_day),
    ):
        each = np.array([getattr(option, name) for option in found.order.options]) / weeks / days
        by_slot = sum(
            (amount * each[o] * laid.there[o] for o, amount in plants.items()),
            np.zeros(laid.there.shape[1]),
        )
        if by_slot.max() > 0:
            points, ceiling_y = load(by_slot.tolist(), ceiling)
            at = half_month(found.plan.season, int(by_slot.argmax()))
            made.append(Load(what, unit, points, ceiling_y, float(by_slot.max()), at))
    return made
