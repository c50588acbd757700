"""Who shares a bed with whom: as the gardener says, and where sharing one paid here."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.fit.penalties import bed_areas
from kilter.core.fit.problem import Beside, Laid
from kilter.people.models import Household
from kilter.plans.models import Spot
from kilter.set_out.models import Crop
from kilter.weigh_up.land.queries import SharedBed, shared_beds, sharing_pays

#: Crops that shared a bed, two of them.
PAIR = 2
#: Less than this is nothing (square metres over half-months), and more than this share is most of
#: it (rules).
FEW_M2, MOSTLY = 0.01, 0.8


@dataclass(frozen=True)
class Paid:
    """Two crops that shared a bed, and how much ground they would have taken apart:
    a land equivalent ratio.
    """

    crops: tuple[str, str]
    key: str  #: of the beds that they shared
    ratio: float
    low: float
    high: float

    @property
    def words(self) -> str:
        return f"{self.crops[0]} and {self.crops[1]}"


def paid(household: Household, crops: Sequence[Crop]) -> list[Paid]:
    """Pairs of some crops that shared a bed here and surely needed less ground so than apart."""
    wanted = {crop.pk for crop in crops}
    beds = [
        bed
        for bed in shared_beds(household)
        if len(bed.crops) == PAIR and {crop.pk for crop in bed.crops} <= wanted
    ]
    return [found for bed in beds if (found := _paid(household, bed)) is not None]


def _paid(household: Household, bed: SharedBed) -> Paid | None:
    found = sharing_pays(household, bed).found
    if found is None or found.is_partial or found.low <= 1:
        return None
    return Paid((bed.crops[0].name, bed.crops[1].name), bed.key, found.total, found.low, found.high)


def kept(laid: Laid, plants: FloatArray) -> list[str]:
    """How far a fit keeps to what was said of intercropping, in words."""
    names, said = [one.name for one in laid.problem.wanted], []
    all_ = bed_areas(laid, plants, None)
    for one in laid.problem.beside:
        mine = bed_areas(laid, plants, one.crop)
        other = all_ - mine if one.other is None else bed_areas(laid, plants, one.other)
        shared = float(np.minimum(mine, other).sum())
        if one.other is None:
            if mine.any():
                said.append(
                    f"{names[one.crop]} "
                    f"{'shares a bed for a while' if shared > FEW_M2 else 'stands alone'}"
                )
        elif mine.any() and other.any():
            least = min(float(mine.sum()), float(other.sum()))
            how = (
                "share a bed"
                if shared > MOSTLY * least
                else "partly share a bed"
                if shared > FEW_M2
                else "stand apart"
            )
            said.append(f"{names[one.crop]} and {names[one.other]} {how}")
    return said


def beside_of(
    spots: Sequence[Spot], pairs: Iterable[Paid], crops: Sequence[Crop]
) -> tuple[Beside, ...]:
    """What the fit is told of intercropping;
    what is to stand alone shares with nobody, whatever paid.
    """
    at, names = (
        {crop.pk: c for c, crop in enumerate(crops)},
        {crop.name: c for c, crop in enumerate(crops)},
    )
    alone = {
        at[spot.crop_id] for spot in spots if spot.says == Spot.Says.ALONE and spot.crop_id in at
    }
    wished = [
        (at[spot.crop_id], at[spot.other_id])
        for spot in spots
        if spot.crop_id in at and spot.other_id in at
    ]
    paid_ = [
        (names[pair.crops[0]], names[pair.crops[1]])
        for pair in pairs
        if set(pair.crops) <= set(names)
    ]
    may_share = [both for both in paid_ if not alone & set(both)]
    together = dict.fromkeys((min(both), max(both)) for both in (*wished, *may_share))
    return (*(Beside(c) for c in sorted(alone)), *(Beside(c, other) for c, other in together))
