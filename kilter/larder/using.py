"""Writes of what leaves a crate: each event stored once,
checked against what lies there, and struck again.
"""

from __future__ import annotations

from collections.abc import Collection

from django.core.exceptions import ValidationError
from django.utils import timezone

from kilter.core.amounts.units import format_mass
from kilter.core.amounts.vague import VagueDate, parse_date
from kilter.core.errors import KilterError
from kilter.core.larder.amount import Taken, much_words, resolved, taken
from kilter.core.trade.uses import KEPT_TO_PLANT, MOVED, PRESERVING, WEIGHED, use_said
from kilter.larder.crates import has_entries, join_or_begin, store_of_kind
from kilter.larder.ledger import Larder, larder
from kilter.larder.lying import Lying, lying_in
from kilter.larder.models import Crate, State, Store, Using
from kilter.larder.said import Said, read_said
from kilter.larder.seed import of_crate
from kilter.people import clock
from kilter.people.events import A_DAY, AskedError, Desk, Event, EventError
from kilter.people.history import Actor, Recorder, changing
from kilter.people.models import Change, Household
from kilter.people.writing import writing
from kilter.set_out.models import Crop
from kilter.weigh_in.models import OwnMeasure
from kilter.weigh_in.pieces import Pieces

Entry = Event[Said]


def _known(actor: Actor, events: Collection[Entry]) -> set[str]:
    """The ids of those entries that are stored already; striking twice is striking once."""
    ids = [event.client_id for event in events if event.said is not None]
    return set(
        Using.objects.ever_of(actor.household)
        .filter(client_id__in=ids)
        .values_list("client_id", flat=True)
    )


def _apply(actor: Actor, event: Entry) -> None:
    if event.said is not None:
        write(actor, event)
        return
    using = Using.objects.ever_of(actor.household).filter(client_id=event.target).first()
    if using is None:
        raise EventError("The entry to strike is not here.")
    if (using.struck_at is None) == (event.kind == "strike"):
        strike(actor, using)


#: Where the larder takes the entries of devices.
CRATES: Desk[Said] = Desk(writes="use", read=read_said, known=_known, apply=_apply)


def write(actor: Actor, event: Entry, when: VagueDate | None = None) -> Using:
    """Write one entry of what left a crate, or of what was lifted and put nowhere, as a change.

    Without a time of its own it is of now. What is more than lies there is asked about, unless it
    is said to be sure.
    """
    assert event.said is not None
    said = event.said
    made, what = _read(actor, event, said, when)
    with changing(actor, f"{what}: {made.get_use_display()} {made.in_words()}.") as recorder:
        if made.use == MOVED:
            made.into = _into(recorder, _crate(actor.household, made.crate_id), said, made.when)
        recorder.save(made)
        if made.use == KEPT_TO_PLANT and made.crate_id is not None:
            of_crate(recorder, _crate(actor.household, made.crate_id), made)
        if made.is_all:
            crate = _crate(actor.household, made.crate_id)
            crate.emptied_on = made.day
            recorder.save(crate)
    made.change = recorder.change
    return made


def _read(actor: Actor, event: Entry, said: Said, when: VagueDate | None) -> tuple[Using, str]:
    """An entry as it is said, checked against what lies there, not stored yet;
    and the crop it is of.
    """
    household = actor.household
    now = event.at or clock.now(household)
    if when is None and said.when:
        when = parse_date(said.when, clock.today(household), household.date_order)
    day = when or VagueDate(now.date())
    if day.day > clock.today(household) + A_DAY:
        raise EventError(f"{day} is still to come; set the date of this device right.")
    lying = _lying(household, said)
    lying_mg, what = lying.mass_mg, lying.crop
    amount = _amount(household, said, lying)
    if not said.is_sure:
        _ask_if_more(household, amount, lying)
    made = Using(
        household=household,
        crate_id=said.crate,
        crop_id=None if said.crate else said.crop,
        season=None if said.crate else said.season,
        day=day.day,
        precision=day.precision,
        use=use_said(said.use),
        mass_mg=amount.mass_mg,
        pm_mg=amount.pm_mg,
        count=amount.count,
        # Of a looking-through the loss is learnt, so it keeps what truly lay there, not what the
        # device saw.
        balance_mg=max(lying_mg if said.is_look or said.balance_mg is None else said.balance_mg, 0),
        is_look=said.is_look,
        meal=said.meal,
        note=said.note,
        ref=event.client_id,
        client_id=event.client_id,
        typed=said.typed,
        written_at=now,
        written_by=actor.user,
    )
    is_rest = amount.is_rest or lying_mg == made.mass_mg or lying.pieces == made.count
    made.is_all = is_rest and said.crate is not None and bool(made.mass_mg or made.count)
    return made, what


def _ask_if_more(household: Household, amount: Taken, lying: Lying) -> None:
    """Raise `AskedError` for more than lies there, in mass or in pieces."""
    if amount.mass_mg is not None:
        is_more = amount.mass_mg > max(lying.mass_mg, 0)
        there = much_words(max(lying.mass_mg, 0), None, household.system)
    else:
        is_more = (amount.count or 0.0) > max(lying.pieces, 0.0)
        there = much_words(None, max(lying.pieces, 0.0))
    if is_more:
        said = much_words(amount.mass_mg, amount.count, household.system)
        lies, was = ("lies", "was") if amount.mass_mg is not None else ("lie", "were")
        raise AskedError(f"Only {there} {lies} there now; {said} {was} said to be taken.")


def _lying(household: Household, said: Said) -> Lying:
    """What lies there now: in the crate, or of what was lifted and put nowhere."""
    if said.crate is not None:
        lying = lying_in(household, said.crate)
        if lying is None:
            raise EventError("That crate has been taken out; choose another.")
        return lying
    if said.use == WEIGHED or use_said(said.use) == MOVED:
        raise EventError("Put it by first: what lies in no crate cannot be moved.")
    found = _of_crop(household, said)
    name = str(found.crops.get(said.crop or 0, "what was lifted"))
    return Lying(said.crop or 0, name, _loose_mg(found), sum(found.rest_pieces.values()))


def _crate(household: Household, pk: int | None) -> Crate:
    found: Crate = (
        Crate.objects.of(household).select_related("crop", "store", "variety").get(pk=pk or 0)
    )
    return found


def _of_crop(household: Household, said: Said) -> Larder:
    if (
        said.crop is None
        or said.season is None
        or not Crop.objects.of(household).filter(pk=said.crop).exists()
    ):
        raise EventError("Say what was used: a crate, or a crop and its season.")
    return larder(household, {said.season}, {said.crop})


def _loose_mg(found: Larder) -> int:
    """What was lifted, put nowhere, and not used yet."""
    rest = sum(found.rest.values())
    return rest - sum(using.took_mg for using in found.usings if using.crate_id is None)


def _amount(household: Household, said: Said, lying: Lying) -> Taken:
    """How much it is; what a device resolved stays as it did."""
    lying_mg, crop_id = lying.mass_mg, lying.crop_id
    if said.is_look and not said.typed and said.mass_mg is None:
        return Taken(0)
    if said.mass_mg is not None and said.use != WEIGHED:
        return resolved(said.typed, said.mass_mg)
    names = (
        {measure.name: measure.pk for measure in OwnMeasure.objects.of(household)}
        if said.typed[-1:].isalpha()
        else {}
    )
    pieces = None
    if said.typed.lower().startswith("c") or names or " " in said.typed:
        pieces = Pieces(household, [crop_id])
    holds = {name: pieces.of_measure(crop_id, pk) if pieces else None for name, pk in names.items()}
    piece = pieces.of_crop(crop_id) if pieces else None
    measures = {name: each.mg if each else None for name, each in holds.items()}
    each = piece.mg if piece else None
    unit = household.default_unit
    found = taken(said.typed or "0", lying_mg, unit, each, measures, lying.pieces)
    if said.use == WEIGHED:
        if found.mass_mg is None:
            raise EventError("Type what the scale shows, such as 800 g.")
        if found.mass_mg > lying_mg:
            lay = format_mass(lying_mg, household.system)
            raise EventError(
                f"{lay} lay there; it cannot have gained. Put right what went in first."
            )
        return Taken(lying_mg - found.mass_mg)
    if not (found.mass_mg or found.count) and not said.is_look:
        raise EventError(
            "Say how much: a weight such as 800 g, a count such as c6, half, or the rest."
        )
    return found


def _into(recorder: Recorder, crate: Crate, said: Said, when: VagueDate) -> Crate:
    """The crate that it goes into: that of the same thing there, else a fresh one.

    It stands in the store said, or in the kind of store that goes with the use.
    """
    household = crate.household
    way = PRESERVING.get(said.use)
    state = way.state if way else crate.state
    where = None
    if said.to is not None:
        where = Store.objects.of(household).filter(pk=said.to).first()
        if where is None:
            raise EventError("There is no such store any more; choose another.")
    elif way:
        where = store_of_kind(recorder, household, way.store)
    if where is None:
        raise EventError("Say which store it goes to.")
    into = Crate(
        household=household,
        store=where,
        crop=crate.crop,
        variety=crate.variety,
        season=crate.season,
        state=state,
        day=when.day,
        precision=when.precision,
        eat_first=crate.eat_first and way is None,
        cure_until=crate.cure_until if state == State.CURING else None,
    )
    return join_or_begin(recorder, into, other_than=crate.pk)


def strike(actor: Actor, using: Using) -> Change:
    """Strike an entry or put it back; a crate it emptied is not empty then."""
    is_back = using.struck_at is not None
    says = f"{'Put back' if is_back else 'Struck'}: {using}, {using.in_words()}."
    with changing(actor, says) as recorder:
        if using.use == MOVED and not is_back:
            _check_moved(using)
        using.struck_at = None if is_back else timezone.now()
        recorder.save(using)
        crate = using.crate
        if crate is not None and crate.emptied_on == using.day and not is_back:
            crate.emptied_on = None
            recorder.save(crate)
        if using.use == KEPT_TO_PLANT and crate is not None:
            of_crate(recorder, crate, using)
        if using.into is not None and not has_entries(using.into, using):
            using.into.struck_at = using.struck_at
            recorder.save(using.into)
    return recorder.change


def _check_moved(using: Using) -> None:
    if (
        using.into is not None
        and Using.objects.of(using.household).filter(crate=using.into, pk__gt=using.pk).exists()
    ):
        raise EventError(f"Something was taken from {using.into} since; strike that first.")


def said_or_refused(actor: Actor, event: Entry, when: VagueDate | None) -> Using:
    """Write one entry from a plain form; a form pressed twice is written once."""
    known = Using.objects.ever_of(actor.household).filter(client_id=event.client_id).first()
    if known is not None:
        return known
    try:
        with writing():
            return write(actor, event, when)
    except KilterError as error:
        raise ValidationError(
            str(error), code="asked" if isinstance(error, AskedError) else "refused"
        ) from error
