"""Where the harvest of a crop and season went, and whether there was enough."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from kilter.core.larder.lasting import GONE_MG
from kilter.core.larder.mass import Whereabouts
from kilter.core.larder.pieces import InPieces
from kilter.core.trade.uses import USES
from kilter.larder.ledger import Larder
from kilter.larder.lines import Key
from kilter.larder.models import Supply
from kilter.set_out.models import Crop


@dataclass(frozen=True, kw_only=True)
class Went:
    """One crop and season: what was lifted and where it went, with whether there was enough."""

    crop: Crop
    season: int
    where: Whereabouts
    supplies: tuple[Supply, ...] = ()
    ran_out_on: date | None = None  #: by what lies there, where nobody said so
    unknown: int = 0  #: pieces that were counted, of which no weight is known
    pieces: InPieces | None = None  #: where it went in pieces, of the lines that were counted

    @property
    def parts(self) -> list[tuple[str, int]]:
        """Every use with its milligrams, in the order of the bar;
        what is not accounted for is last.
        """
        return [(use, self.where.used_mg[use]) for use in USES]


def went(found: Larder, seasons: Iterable[int]) -> list[Went]:
    """Each crop of some seasons, most lifted first."""
    said: dict[Key, list[Supply]] = defaultdict(list)
    for supply in (
        Supply.objects.of(found.household).filter(season__in=list(seasons)).select_related("crop")
    ):
        said[supply.crop_id, supply.season].append(supply)
        found.crops.setdefault(supply.crop_id, supply.crop)
    nothing = Whereabouts(0, dict.fromkeys(USES, 0), 0, {}, 0, 0)
    keys = [key for key in {**found.of, **dict.fromkeys(said)} if key[1] in set(seasons)]
    made = [
        Went(
            crop=found.crops[crop],
            season=season,
            where=found.of.get((crop, season), nothing),
            supplies=tuple(said.get((crop, season), ())),
            ran_out_on=_gone_on(found, (crop, season)),
            unknown=sum(
                row.pieces or 0
                for row in found.lines.values()
                if row.key == (crop, season) and not found.masses[row.pk]
            ),
            pieces=_counted(found.in_pieces.get((crop, season))),
        )
        for crop, season in keys
    ]
    return sorted(made, key=lambda one: (-one.season, -one.where.lifted_mg, one.crop.name))


def _counted(one: InPieces | None) -> InPieces | None:
    """None where nothing was counted."""
    return one if one is not None and (one.lifted or any(one.used.values())) else None


def _gone_on(found: Larder, key: Key) -> date | None:
    """The day after which nothing of it lay in any store, where something once did."""
    steps = [step for step in found.steps if step.key == key]
    lying = sum(step.mass_mg for step in steps)
    emptied = [
        now.crate.emptied_on
        for now in found.crates.values()
        if (now.crate.crop_id, now.crate.season) == key
    ]
    counted = found.in_pieces.get(key)
    is_there = lying > GONE_MG or (counted is not None and counted.in_store + counted.preserved > 0)
    if not steps or (is_there and not (emptied and all(emptied))):
        return None
    return max([step.day for step in steps] + [day for day in emptied if day])
