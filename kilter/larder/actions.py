"""Writes of the larder beside what is taken: putting by, curing done, stores, looking through."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from fractions import Fraction
from typing import Any

from django.core.exceptions import ValidationError

from kilter.core.amounts.units import format_mass
from kilter.core.amounts.vague import VagueDate, format_date
from kilter.core.handbook.storing import curings
from kilter.core.larder.pieces import PARTS
from kilter.core.trade.uses import KEPT_TO_PLANT, SPOILED, USES
from kilter.core.yields.costs import split_whole
from kilter.larder.crates import has_entries, join_or_begin, keep_until, store_of_kind
from kilter.larder.lying import lying_in
from kilter.larder.models import Crate, PutBy, State, Store, Using
from kilter.larder.seed import seed_lot, take_back
from kilter.people import clock
from kilter.people.actions import save_owned
from kilter.people.history import Actor, Recorder, changing
from kilter.people.models import Change, Household
from kilter.set_out.models import Crop, Planting, Variety
from kilter.weigh_in.models import WeighIn

#: What is put by within so many days goes into the crate of before (rule).
SAME_CRATE_DAYS = 14


@dataclass(frozen=True)
class Portion:
    """What is put by of one line: so much of what it weighs."""

    line: int
    mass_mg: int
    of_mg: int  #: what the whole line weighs


@dataclass(frozen=True)
class Goes:
    """Where something goes: into a store in a state, or at once to a use."""

    store: int | None = None
    kind: str = ""  #: of a store that is made if there is none
    state: str = State.FRESH
    use: str = ""
    is_first: bool = False  #: to be eaten first

    @classmethod
    def read(cls, word: str) -> Goes | None:
        """From the word that a form sends; None for one that leaves it where it is."""
        parts = word.split(":")
        if parts[0] == "use" and len(parts) == 2 and parts[1] in USES:
            return cls(use=parts[1])
        if (
            parts[0] == "store"
            and len(parts) == 3
            and parts[1].isdigit()
            and parts[2] in State.values
        ):
            return cls(store=int(parts[1]), state=parts[2])
        if parts[0] == "kind" and len(parts) == 3 and parts[2] in State.values:
            return cls(kind=parts[1], state=parts[2])
        return None


@dataclass(frozen=True, kw_only=True)
class Lot:
    """What is put by together."""

    crop: Crop
    variety: Variety | None
    season: int
    goes: Goes
    portions: tuple[Portion, ...]
    words: str  #: how much it is
    day: date
    is_in_pieces: bool = False  #: its portions are parts of pieces, as no mass is known or said
    jars: int | None = None
    added_mg: int | None = None


def portions_of(rests: list[tuple[int, int, int]], amount_mg: int | None) -> tuple[Portion, ...]:
    """Share an amount over lines by what is left of each; without one all that is left of them.

    Each line is its key, what is left of it and what it weighs.
    """
    left = [rest for _, rest, _ in rests]
    if amount_mg is None or amount_mg >= sum(left):
        parts: Iterable[int] = left
    else:
        parts = split_whole(amount_mg, left)
    return tuple(
        Portion(pk, part, whole)
        for (pk, _, whole), part in zip(rests, parts, strict=True)
        if part or not whole
    )


def put_by(actor: Actor, lots: list[Lot]) -> Change:
    """Put lots by; each line keeps which share of it went where, so that a line put right later
    moves through. What was lifted after the day that was said is put by on its own.
    """
    says = "; ".join(f"{lot.crop} {lot.words}" for lot in lots)
    with changing(actor, f"Put by: {says}.") as recorder:
        _check_left(actor.household, lots)
        for lot in lots:
            if not lot.portions:
                raise ValidationError(f"Nothing of {lot.crop} is left to put by.")
            if lot.goes.use == KEPT_TO_PLANT:
                _keep_seed(recorder, actor.household, lot, lot.day)
                continue
            crate = None if lot.goes.use else _crate_for(recorder, actor.household, lot, lot.day)
            where = {"crate": crate, "use": lot.goes.use}
            days = _lifted_on(actor.household, lot)
            recorder.make(
                PutBy,
                [
                    _put(actor.household, portion, max(lot.day, days[portion.line]), **where)
                    for portion in lot.portions
                ],
            )
    return recorder.change


def _check_left(household: Household, lots: list[Lot]) -> None:
    """Refuse what somebody else put by since the page was made:
    no line gives more than it weighs.
    """
    given: dict[int, Fraction] = defaultdict(Fraction)
    lines = {one.line: lot.crop for lot in lots for one in lot.portions}
    before = PutBy.objects.of(household).filter(line__in=list(lines))
    for line, part, whole in before.values_list("line_id", "share_part", "share_whole"):
        given[line] += Fraction(part, whole)
    for one in (portion for lot in lots for portion in lot.portions):
        given[one.line] += Fraction(one.mass_mg, one.of_mg) if 0 < one.mass_mg < one.of_mg else 1
        if given[one.line] > 1:
            raise ValidationError(
                f"Somebody put {lines[one.line]} by a moment ago; look again at what is left."
            )


def _lifted_on(household: Household, lot: Lot) -> dict[int, date]:
    lines = WeighIn.objects.of(household).filter(pk__in=[one.line for one in lot.portions])
    return dict(lines.values_list("pk", "weighed_on"))


def _put(household: Household, one: Portion, day: date, **where: Any) -> PutBy:
    whole = one.mass_mg >= one.of_mg
    part, of = (1, 1) if whole else (one.mass_mg, one.of_mg)
    return PutBy(
        household=household, line_id=one.line, day=day, share_part=part, share_whole=of, **where
    )


def _crate_for(recorder: Recorder, household: Household, lot: Lot, day: date) -> Crate:
    """The crate of the same kind that was begun a short while ago, or a fresh one."""
    goes = lot.goes
    if goes.store is not None:
        where = Store.objects.of(household).filter(pk=goes.store).first()
        if where is None:
            raise ValidationError("There is no such store any more; choose another.")
    else:
        where = store_of_kind(recorder, household, goes.kind)
    wanted = Crate(
        household=household,
        store=where,
        crop=lot.crop,
        variety=lot.variety,
        season=lot.season,
        state=goes.state,
        day=day,
        eat_first=goes.is_first,
        jars=lot.jars,
        added_mg=lot.added_mg,
        cure_until=day + timedelta(days=_cure_days(lot.crop))
        if goes.state == State.CURING
        else None,
    )
    return join_or_begin(recorder, wanted, since=day - timedelta(days=SAME_CRATE_DAYS))


def _cure_days(crop: Crop) -> int:
    book = crop.in_handbook
    curing = curings().get(book.name) if book else None
    return round(curing.days.high) if curing else 14


def _keep_seed(recorder: Recorder, household: Household, lot: Lot, day: date) -> None:
    """Seed kept is a seed lot to plant from, one for each planting and year."""
    by_planting: dict[int, list[Portion]] = defaultdict(list)
    of_line = dict(
        WeighIn.objects.of(household)
        .filter(pk__in=[portion.line for portion in lot.portions])
        .values_list("pk", "planting_id")
    )
    for portion in lot.portions:
        by_planting[of_line[portion.line]].append(portion)
    plantings = (
        Planting.objects.of(household).select_related("crop", "variety").in_bulk(list(by_planting))
    )
    for pk, portions in by_planting.items():
        amount = _kept_amount(portions, is_in_pieces=lot.is_in_pieces)
        seed = seed_lot(recorder, household, plantings[pk], day.year, **amount)
        recorder.make(
            PutBy,
            [_put(household, portion, day, use=KEPT_TO_PLANT, lot=seed) for portion in portions],
        )


def _kept_amount(portions: list[Portion], *, is_in_pieces: bool) -> dict[str, int]:
    amount = sum(portion.mass_mg for portion in portions)
    return {"count": round(amount / PARTS)} if is_in_pieces else {"mass_mg": amount}


def cured(actor: Actor, crate: Crate, to: Store | None, day: date) -> Change:
    """Curing is done: the crate goes to the store where it is kept."""
    if day < crate.day:
        began = format_date(VagueDate(crate.day))
        raise ValidationError(f"It was put there on {began}; it cannot have cured before.")
    crate.state = State.CURED
    crate.cure_until = day
    if to is not None:
        crate.store = to
    crate.keep_until = keep_until(crate)
    return save_owned(actor, crate, f"{crate.label}: curing is done; it is in {crate.store}.")


def save_crate(actor: Actor, crate: Crate) -> Change:
    """Save what is said of a crate."""
    return save_owned(actor, crate, f"{crate} is changed.")


def look_through(actor: Actor, found: list[tuple[Crate, int]], day: date) -> Change:
    """Say what was found spoiled in each crate looked through, nothing too;
    one entry for a crate.
    """
    says = ", ".join(
        f"{crate.label} {format_mass(mg)} spoiled" if mg else f"{crate.label} good"
        for crate, mg in found
    )
    with changing(actor, f"Looked through: {says}."[:200]) as recorder:
        for crate, spoiled_mg in found:
            lying = lying_in(actor.household, crate.pk)
            lying_mg = max(lying.mass_mg, 0) if lying else 0
            if spoiled_mg > lying_mg:
                raise ValidationError(
                    f"Only {format_mass(lying_mg, actor.household.system)} lies in {crate}."
                )
            recorder.save(
                Using(
                    household=actor.household,
                    crate=crate,
                    day=day,
                    use=SPOILED,
                    mass_mg=spoiled_mg,
                    balance_mg=lying_mg,
                    is_look=True,
                    written_at=clock.now(actor.household),
                    written_by=actor.user,
                )
            )
            if spoiled_mg and spoiled_mg == lying_mg:
                crate.emptied_on = day
                recorder.save(crate)
    return recorder.change


def strike_put(actor: Actor, put: PutBy) -> Change:
    """Take a putting by back: that share of the line lies nowhere again."""
    with changing(actor, f"Taken back: {put}.") as recorder:
        recorder.strike(put)
        if put.lot is not None:
            take_back(recorder, put, put.lot)
        crate = put.crate
        if crate is not None and not has_entries(crate):
            recorder.strike(crate)
    return recorder.change
