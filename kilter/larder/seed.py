"""Seed kept: one lot to plant from for a planting and year, whichever way it is said."""

from __future__ import annotations

from django.db.models import F, Q

from kilter.larder.models import Crate, PutBy, Using
from kilter.people.history import Recorder
from kilter.people.models import Household
from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import Crop, Planting, SeedLot, Variety

#: Where a lot comes from that the larder made; what was typed of another stays as it is.
OWN_GARDEN = "own garden"


def seed_lot(
    recorder: Recorder,
    household: Household,
    of: Planting | tuple[Crop, Variety | None],
    year: int,
    *,
    mass_mg: int = 0,
    count: int = 0,
) -> SeedLot:
    """The lot of a planting's seed kept in a year, or of a crop's where several lay together; it
    grows by what is kept.

    One that somebody named keeps what they said of it. Where a trial is blinded nothing tells
    which variety it is.
    """
    planting = of if isinstance(of, Planting) else None
    crop, variety = (of.crop, of.variety) if isinstance(of, Planting) else of
    is_hidden = planting is not None and planting.pk in blinded_of(household)
    lots = SeedLot.objects.of(household).filter(crop=crop, kept_from=planting)
    if planting is None:
        lots = lots.filter(source=OWN_GARDEN, variety=variety)
    of_year = lots.filter(Q(packed_year=year) | Q(packed_year=None))
    known = of_year.order_by(F("packed_year").desc(nulls_last=True), "pk").first()
    if known is None:
        label = planting.label if planting is not None and not is_hidden else str(crop)
        known = SeedLot(
            household=household,
            crop=crop,
            variety=None if is_hidden else variety,
            name=f"own {label}, {year}"[:80],
            source=OWN_GARDEN,
            kept_from=planting,
            packed_year=year,
        )
    if known.source == OWN_GARDEN:
        known.bought_mg = (known.bought_mg or 0) + mass_mg or None
        known.bought_count = (known.bought_count or 0) + count or None
        recorder.save(known)
    return known


def of_crate(recorder: Recorder, crate: Crate, using: Using) -> None:
    """Keep what was taken of a crate to plant: of its planting, where it is of one."""
    household = crate.household
    lines = PutBy.objects.of(household).filter(crate=crate).values("line__planting")
    plantings = list(
        Planting.objects.of(household).filter(pk__in=lines).select_related("crop", "variety")[:2]
    )
    of = plantings[0] if len(plantings) == 1 else (crate.crop, crate.variety)
    seed_lot(
        recorder,
        household,
        of,
        using.day.year,
        mass_mg=using.mass_mg or 0,
        count=round(using.count or 0),
    )


def take_back(recorder: Recorder, put: PutBy, lot: SeedLot) -> None:
    """A putting by is taken back: its lot shrinks by it, and goes where nothing else is of it."""
    household = put.household
    others = PutBy.objects.of(household).filter(lot=lot).exclude(pk=put.pk).exists()
    is_planted = Planting.objects.of(household).filter(lot=lot).exists()
    if not others and not is_planted:
        recorder.strike(lot)
    elif lot.source == OWN_GARDEN:
        mass_mg, count = (
            (amount or 0) * put.share_part // put.share_whole
            for amount in (put.line.mass_mg, None if put.line.mass_mg else put.line.count)
        )
        lot.bought_mg = max((lot.bought_mg or 0) - mass_mg, 0) or None
        lot.bought_count = max((lot.bought_count or 0) - count, 0) or None
        recorder.save(lot)
