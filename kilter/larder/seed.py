"""Seed kept: one lot to plant from for a planting and year, whichever way it is said."""

from __future__ import annotations

from django.db.models import F, Q, QuerySet

from kilter.larder.models import Crate, PutBy, Using
from kilter.people.history import Recorder
from kilter.people.models import Household
from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import Crop, Planting, SeedLot, Variety

#: Where a lot comes from that the larder made; what was typed of another stays as it is.
OWN_GARDEN = "own garden"


#: What seed was kept of: a planting, or a crop of which several lay together.
Source = Planting | tuple[Crop, Variety | None]


def seed_lot(
    recorder: Recorder,
    household: Household,
    of: Source,
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
    known = _known(household, of, year)
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


def _known(household: Household, of: Source, year: int) -> SeedLot | None:
    if isinstance(of, Planting):
        lots = SeedLot.objects.of(household).filter(crop=of.crop, kept_from=of)
    else:
        lots = SeedLot.objects.of(household).filter(
            crop=of[0], kept_from=None, source=OWN_GARDEN, variety=of[1]
        )
    of_year = lots.filter(Q(packed_year=year) | Q(packed_year=None))
    return of_year.order_by(F("packed_year").desc(nulls_last=True), "pk").first()


def of_crate(recorder: Recorder, crate: Crate, using: Using) -> None:
    """Keep what was taken of a crate to plant: of its planting, where it is of one. What is removed
    again is taken off its lot.
    """
    household, of, year = crate.household, _in(crate), using.day.year
    mass_mg, count = using.mass_mg or 0, round(using.count or 0)
    if using.struck_at is None:
        seed_lot(recorder, household, of, year, mass_mg=mass_mg, count=count)
        return
    lot = _known(household, of, year)
    if lot is not None and lot.source == OWN_GARDEN:
        _shrink(recorder, lot, mass_mg, count, PutBy.objects.of(household).filter(lot=lot))


def _in(crate: Crate) -> Source:
    lines = PutBy.objects.of(crate.household).filter(crate=crate).values("line__planting")
    plantings = list(
        Planting.objects.of(crate.household)
        .filter(pk__in=lines)
        .select_related("crop", "variety")[:2]
    )
    return plantings[0] if len(plantings) == 1 else (crate.crop, crate.variety)


def take_back(recorder: Recorder, put: PutBy, lot: SeedLot) -> None:
    """A putting by is taken back: its lot shrinks by it, and goes where nothing else is of it."""
    mass_mg, count = (
        (amount or 0) * put.share_part // put.share_whole
        for amount in (put.line.mass_mg, None if put.line.mass_mg else put.line.count)
    )
    others = PutBy.objects.of(put.household).filter(lot=lot).exclude(pk=put.pk)
    _shrink(recorder, lot, mass_mg, count, others)


def _shrink(
    recorder: Recorder, lot: SeedLot, mass_mg: int, count: int, others: QuerySet[PutBy]
) -> None:
    is_own = lot.source == OWN_GARDEN
    if is_own:
        lot.bought_mg = max((lot.bought_mg or 0) - mass_mg, 0) or None
        lot.bought_count = max((lot.bought_count or 0) - count, 0) or None
    is_left = is_own and (lot.bought_mg or lot.bought_count)
    is_planted = Planting.objects.of(lot.household).filter(lot=lot).exists()
    if not is_left and not is_planted and not others.exists():
        recorder.strike(lot)
    elif is_own:
        recorder.save(lot)
