"""The shelves as they stand: what is in each store, what to eat first, and how long it lasts."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, replace
from datetime import date, timedelta

from kilter.core.amounts.units import half_up
from kilter.core.handbook.storing import GROUND
from kilter.core.larder.keeping import StoreLoss
from kilter.core.larder.lasting import Lasts, Pace, lasts, pace_of
from kilter.core.trade.uses import PACED
from kilter.larder.curing import CuringNow, curing_now
from kilter.larder.in_ground import StandingCrop, frost_on, standing_in_ground
from kilter.larder.ledger import CrateNow, Larder
from kilter.larder.meals import as_usual, meals_of
from kilter.larder.models import Crate, State, Store
from kilter.larder.store_losses import StoreLosses, losses_of
from kilter.larder.waiting import ASKED_DAYS, Waiting, waiting
from kilter.weather.queries import SiteSky, skies

#: A crate is due to be eaten when it keeps no longer than this (rule).
SOON_DAYS = 14
#: Crates and stores are looked through this often where nothing else was said (rule).
LOOK_DAYS = 30
#: What loses so much a week is named among what to eat first, where fewer than three are due
#: (rule).
FAST_LOSS, SHOWN_FIRST = 0.02, 3


@dataclass(frozen=True, kw_only=True)
class OnShelf:
    """A crate on its shelf, with what is to be known of it."""

    now: CrateNow
    loss: StoreLoss
    due: str = ""  #: why it is to be eaten or lifted first
    usual: str = ""  #: what was taken of it last time, or a meal of it, as it would be typed
    pace: Pace | None = None
    until: Lasts | None = None
    looked_on: date | None = None

    @property
    def crate(self) -> Crate:
        return self.now.crate

    @property
    def is_curing(self) -> bool:
        return self.crate.state == State.CURING


@dataclass(frozen=True)
class StoreWithCrates:
    """A store with its crates."""

    store: Store
    crates: tuple[OnShelf, ...]
    looked_on: date | None
    is_to_be_looked: bool
    threat: str = ""

    @property
    def mass_mg(self) -> int:
        return sum(crate.now.left for crate in self.crates)


@dataclass(frozen=True, kw_only=True)
class WholeLarder:
    """The larder as it stands."""

    found: Larder
    shelves: tuple[StoreWithCrates, ...]
    first: tuple[OnShelf, ...]  #: to be eaten first
    curing: tuple[CuringNow, ...]
    standing: tuple[StandingCrop, ...] = ()  #: in the ground, lifted as it is needed
    fresh: tuple[Waiting, ...] = ()
    nowhere: tuple[Waiting, ...] = ()

    @property
    def mass_mg(self) -> int:
        return sum(shelf.mass_mg for shelf in self.shelves)

    @property
    def pieces(self) -> float:
        """Pieces of what was only counted."""
        crates = (one for shelf in self.shelves for one in shelf.crates)
        return sum(one.now.pieces for one in crates if one.now.is_only_counted)

    @property
    def to_look(self) -> list[StoreWithCrates]:
        return [shelf for shelf in self.shelves if shelf.is_to_be_looked]


def whole_larder(found: Larder, losses: StoreLosses | None = None) -> WholeLarder:
    """The shelves, what to eat first, what cures, what waits; a fixed number of queries."""
    household, today = found.household, found.today
    losses = losses or losses_of(household)
    sky = skies(household, today)
    usual = meals_of(found)
    by_store: dict[int, list[OnShelf]] = defaultdict(list)
    for one in found.standing:
        by_store[one.crate.store_id].append(_on_shelf(found, one, losses, sky, usual))
    stores = list(Store.objects.of(household).select_related("site"))
    shelves = tuple(_shelf(store, by_store.get(store.pk, []), sky, today) for store in stores)
    every = [crate for shelf in shelves for crate in shelf.crates]
    curing = tuple(curing_now(one.crate, sky, today) for one in every if one.is_curing)
    all_waiting = waiting(found, with_fresh=True, since=today - timedelta(days=ASKED_DAYS))
    return WholeLarder(
        found=found,
        shelves=shelves,
        first=tuple(_eat_first(every)),
        curing=curing,
        standing=standing_in_ground(household, sky, today),
        fresh=tuple(one for one in all_waiting if one.is_fresh),
        nowhere=tuple(one for one in all_waiting if not one.is_fresh),
    )


def _on_shelf(
    found: Larder,
    one: CrateNow,
    losses: StoreLosses,
    sky: dict[int, SiteSky],
    usual: dict[int, int],
) -> OnShelf:
    crate, today = one.crate, found.today
    loss = losses.of(crate)
    takings = [
        (u.day, u.took_mg) for u in found.usings if u.crate_id == crate.pk and u.use in PACED
    ]
    pace = pace_of(takings, crate.day, today)
    until = lasts(one.left, pace, loss.per_week, loss.low, loss.high) if pace else None
    looks = [u.day for u in found.usings if u.crate_id == crate.pk and u.is_look]
    typed = as_usual(one, usual, is_imperial=found.household.is_imperial)
    return OnShelf(
        now=one,
        loss=loss,
        due=_due(crate, sky, today),
        usual=typed,
        pace=pace,
        until=until,
        looked_on=max(looks, default=None),
    )


def _due(crate: Crate, sky: dict[int, SiteSky], today: date) -> str:
    """Why a crate is to be used first; empty where it is not."""
    if crate.eat_first:
        return "hurt: eat first"
    threat = _frost(crate.store, sky)
    if threat:
        return threat
    if crate.keep_until is None or crate.state == State.CURING:
        return ""
    if crate.keep_until < today:
        return "past what it keeps"
    days = (crate.keep_until - today).days
    return f"keeps {days} more day{'' if days == 1 else 's'}" if days <= SOON_DAYS else ""


def _frost(store: Store, sky: dict[int, SiteSky]) -> str:
    return frost_on(store.site_id, sky) if store.kind == GROUND else ""


def _shelf(
    store: Store, crates: list[OnShelf], sky: dict[int, SiteSky], today: date
) -> StoreWithCrates:
    looked = max((crate.looked_on for crate in crates if crate.looked_on), default=None)
    begun = min((crate.crate.day for crate in crates), default=today)
    every = store.look_every_days or (None if store.kind in {"freezer", "jars"} else LOOK_DAYS)
    due = bool(crates) and every is not None and (today - (looked or begun)).days >= every
    return StoreWithCrates(store, tuple(crates), looked, due, _frost(store, sky))


def _eat_first(crates: list[OnShelf]) -> list[OnShelf]:
    """Hurt first, then what is near its end, then what loses fastest,
    then what there is most of.
    """

    def rank(one: OnShelf) -> tuple[bool, date, float, int]:
        return (
            not one.crate.eat_first,
            one.crate.keep_until or date.max,
            -one.loss.per_week,
            -one.now.left,
        )

    first = sorted((crate for crate in crates if crate.due), key=rank)
    fast = [
        crate
        for crate in crates
        if not crate.due and not crate.is_curing and crate.loss.per_week >= FAST_LOSS
    ]
    fast.sort(key=lambda one: (-one.loss.per_week, -one.now.left))
    losing = [
        replace(one, due=f"loses {half_up(one.loss.per_week * 100, 0)} % a week") for one in fast
    ]
    return [*first, *losing[: max(SHOWN_FIRST - len(first), 0)]]
