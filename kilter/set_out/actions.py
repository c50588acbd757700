"""Writes on plantings: set out, change, finish, count; and on lots and costs."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from datetime import date
from typing import Any

from django.core.exceptions import ValidationError

from kilter.core.amounts.vague import VagueDate, format_date
from kilter.core.errors import RecordError
from kilter.core.growing.growth import standing
from kilter.core.yields.costs import split_whole
from kilter.ground.models import Part, Place
from kilter.people import clock
from kilter.people.actions import save_owned
from kilter.people.history import Actor, Recorder, changing
from kilter.people.models import Change, Household
from kilter.set_out.models import (
    Cost,
    Crop,
    MethodTag,
    PlantCount,
    Planting,
    SeedLot,
    Variety,
    YearSaid,
)
from kilter.set_out.promised import promises_of
from kilter.set_out.queries import find_crop
from kilter.set_out.wording import name_places

#: So many places are named in the words of one change (rule).
MOST_NAMED = 6

#: Which columns a field of the form fills, where they are not called alike.
COLUMNS_OF = {
    "planted": ("planted_on", "planted_precision"),
    "lot_mass": ("lot_mg",),
    "share_percent": ("share",),
    **{f"{name}_cm": (f"{name}_m",) for name in ("in_row", "row_gap", "depth", "spread")},
    **dict.fromkeys(("place", "part", "is_for_set", "finished_on"), ()),
}
#: What a planting of the sentence takes from the form's instance.
SAID = (
    "units",
    "units_pm",
    "unit_kind",
    "is_variety_doubtful",
    "planted_on",
    "planted_precision",
    "season",
    "layout",
    "rows",
    "in_row_m",
    "row_gap_m",
    "depth_m",
    "spread_m",
    "share",
    "lot_mg",
    "is_volunteer",
    "is_perennial",
    "notes",
)


def crop_named(recorder: Recorder, household: Household, name: str, like: str = "") -> Crop:
    """Find a crop by its name in any case, one or many (peas, pea), or make it."""
    found = find_crop(household, name)
    if found is None:
        recorder.save(found := Crop(household=household, name=" ".join(name.split()), like=like))
    elif like and not found.like:
        found.like = like
        recorder.save(found)
    return found


def variety_named(
    recorder: Recorder, crop: Crop, name: str, home: Household | None = None
) -> Variety | None:
    """Find a crop's variety by its name in any case, or make it, in another home if one is said;
    an empty name is unknown.
    """
    name = " ".join(name.split())
    if not name:
        return None
    found = Variety.objects.filter(crop=crop, struck_at=None, name__iexact=name).first()
    if found is None:
        recorder.save(found := Variety(household=home or crop.household, crop=crop, name=name))
    return found


def lot_named(
    recorder: Recorder,
    crop: Crop,
    variety: Variety | None,
    name: str,
    home: Household | None = None,
) -> SeedLot | None:
    """Find a lot of a crop by its name, of the same variety if it says one, or make it,
    in another home if said.
    """
    name = " ".join(name.split())
    if not name:
        return None
    lots = SeedLot.objects.filter(crop=crop, struck_at=None, name__iexact=name)
    found = lots.filter(variety=variety).first() or lots.filter(variety=None).first()
    if found is None:
        recorder.save(
            found := SeedLot(
                household=home or crop.household, crop=crop, variety=variety, name=name
            )
        )
    return found


def set_out(actor: Actor, planting: Planting, cleaned: dict[str, Any]) -> Change:
    """Plant the same in each of the places picked; they are separate plantings afterwards."""
    promises = promises_of(
        actor.household, planting.season, find_crop(actor.household, cleaned["crop_name"])
    )
    with changing(actor, "") as recorder:
        planted = [
            _plant(recorder, actor, planting, cleaned, place, part)
            for place, part in cleaned["places"]
        ]
        kin, kinship = cleaned.get("kin"), cleaned.get("kinship")
        if kin and kinship == Planting.Kinship.REPLACES:
            _count_replaced(recorder, actor, kin, planted)
        for keep in promises:
            keep(recorder, planted)
        recorder.change.says = f"{planted[0].label} is set out in {name_places(planted)}."[:200]
        recorder.change.saved = tuple(planted)
    return recorder.change


def _plant(
    recorder: Recorder,
    actor: Actor,
    planting: Planting,
    cleaned: dict[str, Any],
    place: Place,
    part: Part | None,
) -> Planting:
    said = {name: getattr(planting, name) for name in SAID}
    one = Planting(household=actor.household, place=place, part=part, **said)
    one.kin, one.kinship = cleaned.get("kin"), cleaned.get("kinship") or ""
    _save(recorder, one, actor.household, cleaned)
    if cleaned.get("price"):
        price = cleaned["price"]
        recorder.save(
            Cost(
                household=actor.household,
                planting=one,
                what=one.crop.name,
                price_minor=price,
                day=one.planted_on,
            )
        )
    return one


def _count_replaced(
    recorder: Recorder, actor: Actor, kin: Planting, planted: list[Planting]
) -> None:
    """As many of the old as the new are, and no more than stand."""
    stand = standing(
        kin.units, [c.event for c in kin.counts.filter(struck_at=None)], is_seed=kin.is_sown
    ).now
    new = sum(p.units or 0 for p in planted)
    count = new if stand is None else min(new, stand)
    day, precision = planted[0].planted_on, planted[0].planted_precision
    if count and day:
        recorder.save(
            PlantCount(
                household=actor.household,
                planting=kin,
                kind="replaced",
                count=count,
                day=day,
                precision=precision,
                note=f"by {planted[0].label}",
            )
        )


def change_planting(
    actor: Actor,
    planting: Planting,
    cleaned: dict[str, Any],
    others: Sequence[Planting] = (),
    changed: Collection[str] = (),
) -> Change:
    """Save a changed planting with its crop, variety, lot and methods;
    others take over what was changed.
    """
    with changing(actor, "") as recorder:
        _save(recorder, planting, actor.household, cleaned)
        for other in others:
            for name in changed:
                for column in COLUMNS_OF.get(name, (name,)):
                    if hasattr(other, column):
                        setattr(other, column, getattr(planting, column))
            try:
                other.clean()
            except ValidationError as error:
                raise ValidationError(f"{other.where}: {' '.join(error.messages)}") from error
            said = {
                "crop_name": other.crop.name,
                "variety_name": other.variety.name if other.variety else "",
                "lot_name": other.lot.name if other.lot else "",
                "methods_text": {tag.name: tag.value for tag in other.methods.all()},
            }
            _save(
                recorder,
                other,
                actor.household,
                said | {name: cleaned[name] for name in said if name in changed},
            )
        more = f" and {len(others)} set out with it" if others else ""
        recorder.change.says = (
            f"{planting}{more}: saved."[:200] if others else f"{planting} is saved."[:200]
        )
    return recorder.change


def finish(actor: Actor, planting: Planting, on: date, rest: str = "") -> Change:
    """Say that all has been lifted, and of a part lift what became of the others; then it can be
    compared. A day still ahead says until when it stands.
    """
    if planting.planted and on < planting.planted.earliest:
        raise ValidationError(
            f"It cannot be done on {on} when it was planted on {planting.planted}."
        )
    if on > clock.today(actor.household):
        planting.until = on
        return save_owned(actor, planting, f"{planting} stands until {format_date(VagueDate(on))}.")
    others = f"; the other plants {Planting.Rest(rest).label}" if rest else ""
    return _finished(
        actor, planting, on, rest, f"{planting} is finished{others or ': all has been lifted'}."
    )


def finish_all(actor: Actor, days: Mapping[Planting, date]) -> Change:
    """Say of many plantings at once that all has been lifted, each on its day."""
    with changing(actor, f"{len(days)} finished: {_some(list(days))}.") as recorder:
        for planting, on in days.items():
            planting.finished_on, planting.rest = max(on, planting.planted_on or on), ""
            recorder.save(planting)
    return recorder.change


def keep_all(actor: Actor, days: Mapping[Planting, date]) -> Change:
    """Say of many plantings at once until when each stands."""
    last = format_date(VagueDate(max(days.values())))
    with changing(actor, f"Until {last} there stand: {_some(list(days))}.") as recorder:
        for planting, until in days.items():
            planting.until = until
            recorder.save(planting)
    return recorder.change


def _some(plantings: Sequence[Planting]) -> str:
    """The first of them by where they are, and how many more there are."""
    shown = ", ".join(planting.where for planting in plantings[:MOST_NAMED])
    more = len(plantings) - MOST_NAMED
    return f"{shown}{f' and {more} more' if more > 0 else ''}"


def say_year(actor: Actor, planting: Planting, year: int, came: str) -> Change:
    """Say what came of a year in which nothing of a lasting planting was written."""
    known = YearSaid.objects.of(actor.household).filter(planting=planting, year=year).first()
    said = known or YearSaid(household=actor.household, planting=planting, year=year)
    said.came = came
    return save_owned(actor, said, f"{said}.")


def reopen(actor: Actor, planting: Planting) -> Change:
    """Take back that all has been lifted."""
    return _finished(actor, planting, None, "", f"{planting} is open again.")


def _finished(actor: Actor, planting: Planting, on: date | None, rest: str, says: str) -> Change:
    planting.finished_on, planting.rest = on, rest
    return save_owned(actor, planting, says)


def count(actor: Actor, planting: Planting, entry: PlantCount) -> Change:
    """Write down a count; one that cannot follow from those before it is refused."""
    entry.household, entry.planting = actor.household, planting
    others = PlantCount.objects.of(actor.household).filter(planting=planting).exclude(pk=entry.pk)
    try:
        standing(
            planting.units, [*(c.event for c in others), entry.event], is_seed=planting.is_sown
        )
    except RecordError as error:
        raise ValidationError(str(error)) from error
    return save_owned(actor, entry, f"{planting}: {entry}, {entry.when}.")


def save_lot(actor: Actor, lot: SeedLot, crop_name: str, variety_name: str) -> Change:
    """Save a seed lot with its crop and variety."""
    with changing(actor, f"The lot {lot.name} is saved.") as recorder:
        lot.household = actor.household
        lot.crop = crop_named(recorder, actor.household, crop_name)
        lot.variety = variety_named(recorder, lot.crop, variety_name)
        recorder.save(lot)
    return recorder.change


def save_crop(actor: Actor, crop: Crop) -> Change:
    """Save what a household knows of a crop."""
    return save_owned(actor, crop, f"What this garden knows of {crop} is saved.")


def save_variety(actor: Actor, variety: Variety) -> Change:
    """Save a variety's name and days."""
    return save_owned(actor, variety, f"{variety} is saved.")


def pay(
    actor: Actor, cost: Cost, targets: Sequence[tuple[str, Any]], *, is_for_all: bool
) -> Change:
    """Write down what each of some plantings or places cost;
    one price for all is shared out evenly, to the coin.
    """
    price = cost.price_minor
    prices = split_whole(price, [1.0] * len(targets)) if is_for_all else [price] * len(targets)
    where = str(targets[0][1]) if len(targets) == 1 else f"{len(targets)} of them"
    with changing(actor, f"Paid for: {cost.what}, {where}.") as recorder:
        said = {"what": cost.what, "day": cost.day, "over_years": cost.over_years}
        recorder.make(
            Cost,
            [
                Cost(household=actor.household, price_minor=each, **said, **{kind: record})
                for (kind, record), each in zip(targets, prices, strict=True)
            ],
        )
    return recorder.change


def _save(
    recorder: Recorder, planting: Planting, household: Household, cleaned: dict[str, Any]
) -> Planting:
    planting.household = household
    planting.crop = crop_named(recorder, household, cleaned["crop_name"], cleaned.get("like") or "")
    planting.variety = variety_named(recorder, planting.crop, cleaned["variety_name"])
    planting.lot = lot_named(recorder, planting.crop, planting.variety, cleaned["lot_name"])
    recorder.save(planting)
    wanted: dict[str, str] = cleaned["methods_text"]
    known = {tag.name: tag.value for tag in planting.methods.all()}
    if known != wanted:
        recorder.delete(MethodTag.objects.filter(planting=planting))
        recorder.make(
            MethodTag, [MethodTag(planting=planting, name=n, value=v) for n, v in wanted.items()]
        )
    return planting
