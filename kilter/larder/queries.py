"""What the larder's pages show: what waits to be put by, the shelves, what to eat first, and how long it lasts."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from datetime import date, timedelta

from django.db.models import Max

from kilter.core.amounts.units import MG_PER_UNIT
from kilter.core.growing.ready import expected_left_kg
from kilter.core.handbook.storing import GROUND, STORES, Curing, best_store, curings, keeps
from kilter.core.larder.keeping import Look, StoreLoss, loss_in_store
from kilter.core.larder.lasting import GONE_MG, Lasts, Pace, lasts, pace_of
from kilter.core.larder.mass import Whereabouts
from kilter.core.trade.grades import GRADES
from kilter.core.trade.uses import KEPT_TO_PLANT, PACED, USES
from kilter.core.yields.harvest import Harvest
from kilter.larder.ledger import CrateNow, Key, Larder, LineRow
from kilter.larder.models import Crate, PutBy, State, Store, Supply, Using
from kilter.people.models import Eater, Household
from kilter.records.harvest import harvests
from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import Crop, Planting, Variety
from kilter.set_out.queries import may_stand, standing_of, window_of, with_all_names
from kilter.set_out.wording import name_places
from kilter.weather.queries import SiteSky, skies

#: What was lifted so long ago is no longer asked about on Today; the larder still shows it (rule).
ASKED_DAYS = 45
#: A crate is due to be eaten when it keeps no longer than this (rule).
SOON_DAYS = 14
#: Crates and stores are looked through this often where nothing else was said (rule).
LOOK_DAYS = 30
#: What loses so much a week is named among what to eat first, where fewer than three are due (rule).
FAST_LOSS, SHOWN_FIRST = 0.02, 3
#: Nights colder than this threaten what stands in the ground (rule).
HARD_FROST_C = -3.0


@dataclass(frozen=True)
class Choice:
    """Where something may go, as a form offers it."""

    word: str
    label: str


@dataclass(frozen=True, kw_only=True)
class Waiting:
    """Lines of a crop, variety and grade that were put nowhere yet."""

    crop: Crop
    variety: Variety | None
    season: int
    grade: str
    rests: tuple[tuple[int, int, int], ...]  #: by line: its key, what is left of it, what it weighs
    first_day: date
    last_day: date
    is_estimated: bool
    pieces: int  #: counted
    is_fresh: bool  #: is eaten by the household's rule if nothing is said
    is_eaten: bool = False  #: by that rule, by now

    @property
    def key(self) -> str:
        variety = self.variety.pk if self.variety else 0
        return f"{self.crop.pk}-{variety}-{self.season}-{self.grade}{'-eaten' * self.is_eaten}"

    @property
    def label(self) -> str:
        return f"{self.crop} ‘{self.variety}’" if self.variety else str(self.crop)

    @property
    def grade_label(self) -> str:
        return GRADES[self.grade].words

    @property
    def mass_mg(self) -> int:
        return sum(rest for _, rest, _ in self.rests)

    @property
    def caution(self) -> str:
        return GRADES[self.grade].caution


def waiting(
    found: Larder, *, with_fresh: bool = False, with_eaten: bool = False, since: date | None = None
) -> list[Waiting]:
    """What was lifted and put nowhere, newest first.

    What perishes is told only where it is asked for, and so is what is eaten by the rule; of that what is of this
    season.
    """
    kept_back = blinded_of(found.household)
    groups: dict[tuple[int, int | None, int, str, bool], list[LineRow]] = defaultdict(list)
    for pk, row in found.lines.items():
        is_fresh = found.eaten[pk] is not None
        unasked = found.line_is_on_shelf(row) or (is_fresh and not with_fresh) or (since and row.weighed_on < since)
        if found.eaten[pk] is True and not (with_eaten and row.key[1] == found.today.year):
            continue
        if unasked or (not found.rest.get(pk) and found.masses[pk]):
            continue
        if not found.masses[pk] and any(put.line_id == pk for put, _ in found.puts):
            continue
        variety = None if row.planting_id in kept_back else row.variety_id
        groups[row.crop_id, variety, row.key[1], row.grade, found.eaten[pk] is True].append(row)
    varieties = Variety.objects.ever_of(found.household).in_bulk({pk for _, pk, *_ in groups if pk})
    made = [_waiting(found, key, rows, varieties) for key, rows in groups.items()]
    return sorted((one for one in made if one.mass_mg or one.is_estimated), key=lambda one: one.last_day, reverse=True)


def _waiting(
    found: Larder,
    key: tuple[int, int | None, int, str, bool],
    rows: list[LineRow],
    varieties: dict[int, Variety],
) -> Waiting:
    crop_id, variety, season, grade, is_eaten = key
    rows = sorted(rows, key=lambda one: (one.weighed_on, one.pk))
    rests = [(row.pk, found.rest[row.pk] - found.loose.get(row.pk, 0), found.masses[row.pk]) for row in rows]
    return Waiting(
        crop=found.crops[crop_id],
        variety=varieties.get(variety or 0),
        season=season,
        grade=grade,
        rests=tuple(rests),
        first_day=min(row.weighed_on for row in rows),
        last_day=max(row.weighed_on for row in rows),
        is_estimated=any(row.pk in found.estimated or row.is_vague for row in rows),
        pieces=sum(row.pieces or 0 for row in rows),
        is_fresh=any(found.eaten[row.pk] is not None for row in rows),
        is_eaten=is_eaten,
    )


def choices(stores: Iterable[Store], crop: Crop, grade: str) -> list[Choice]:
    """Where a grade of a crop may go: the household's stores, the kinds it has none of yet, and uses."""
    stores = list(stores)
    book = crop.in_handbook
    cures = bool(book and book.name in curings()) and GRADES[grade].may_cure
    found = []
    for store in stores:
        if cures and store.kind in {"airy shelf", "own", "cellar"}:
            found.append(Choice(f"store:{store.pk}:curing", f"{store}, to cure"))
        found += [Choice(f"store:{store.pk}:{state}", label) for state, label in _states(store.kind, str(store))]
    have = {store.kind for store in stores}
    # Of a kind that there is none of yet the store is made in passing.
    for kind in dict.fromkeys((best_store(book), *STORES)):
        if kind in have or kind in {GROUND, "own"}:
            continue
        if cures and kind == "airy shelf":
            found.append(Choice(f"kind:{kind}:curing", f"{kind}, to cure"))
        found += [Choice(f"kind:{kind}:{state}", label) for state, label in _states(kind, kind)]
    found += [Choice(f"use:{use}", label) for use, label in _at_once(grade)]
    return found


def _states(kind: str, named: str) -> list[tuple[str, str]]:
    if kind == "freezer":
        return [("frozen", f"{named}, frozen")]
    if kind == "jars":
        return [("bottled", f"{named}, bottled"), ("dried", f"{named}, dried")]
    return [("fresh", named)]


def _at_once(grade: str) -> list[tuple[str, str]]:
    words = {key: use.at_once for key, use in USES.items() if use.at_once}
    first = GRADES[grade].used_first
    return [(first, words[first]), *((use, label) for use, label in words.items() if use != first)]


def offered(household: Household, waiting_now: list[Waiting]) -> list[tuple[Waiting, list[Choice], str]]:
    """Each with where it may go, and where it went last time or else goes by its grade."""
    stores = list(Store.objects.of(household))
    crops = {one.crop.pk for one in waiting_now}
    last: dict[tuple[int, str], str] = {}
    put = PutBy.objects.of(household).filter(line__planting__crop__in=crops).order_by()
    latest = (
        put.values("line__planting__crop_id", "line__grade").annotate(last=Max("pk")).values_list("last", flat=True)
    )
    for before in PutBy.objects.of(household).filter(pk__in=list(latest)).select_related("crate", "line__planting"):
        key, crate = (before.line.planting.crop_id, before.line.grade), before.crate
        begun = State.CURING if crate and crate.cure_until else crate.state if crate else ""
        last[key] = f"store:{crate.store_id}:{begun}" if crate else f"use:{before.use}"
    found = []
    for one in waiting_now:
        may = choices(stores, one.crop, one.grade)
        words = {choice.word for choice in may}
        word = last.get((one.crop.pk, one.grade), "")
        found.append((one, may, word if word in words else _by_grade(one, stores, words)))
    return found


def _by_grade(one: Waiting, stores: list[Store], words: set[str]) -> str:
    """Table is cured, then stored; hurt ones are eaten first; seed is kept."""
    grade = GRADES[one.grade]
    if grade.used_first == KEPT_TO_PLANT:
        return f"use:{KEPT_TO_PLANT}"
    kind = grade.stored_first or best_store(one.crop.in_handbook)
    of_kind = [f"store:{store.pk}" for store in stores if store.kind == kind]
    for begin in (*of_kind, f"kind:{kind}"):
        for state in ("curing", "fresh", "frozen", "bottled"):
            if f"{begin}:{state}" in words:
                return f"{begin}:{state}"
    return next(iter(sorted(words)), "")


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
        return sum(one.now.left for one in self.crates)


@dataclass(frozen=True)
class CuringNow:
    """A crate that cures, and whether it is warm enough."""

    crate: Crate
    days_left: int
    curing: Curing | None
    warning: str = ""


@dataclass(frozen=True)
class StandingCrop:
    """What stands in the ground until it is wanted: as good as a store, but for the frost."""

    label: str
    first: Planting
    places: str
    plants: int | None
    kg: float | None  #: about what is still to be lifted
    threat: str


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
    def to_look(self) -> list[StoreWithCrates]:
        return [shelf for shelf in self.shelves if shelf.is_to_be_looked]


def room(found: Larder, losses: StoreLosses | None = None) -> WholeLarder:
    """The shelves, what to eat first, what cures, what waits; a fixed number of queries."""
    household, today = found.household, found.today
    losses = losses or losses_of(household)
    sky = skies(household, today)
    usual = _meals(found) | _usual(found)
    by_store: dict[int, list[OnShelf]] = defaultdict(list)
    for one in found.standing:
        by_store[one.crate.store_id].append(_on_shelf(found, one, losses, sky, usual))
    stores = list(Store.objects.of(household).select_related("site"))
    shelves = tuple(_shelf(store, by_store.get(store.pk, []), sky, today) for store in stores)
    every = [one for shelf in shelves for one in shelf.crates]
    curing = tuple(_curing_now(one, sky, today) for one in every if one.is_curing)
    all_waiting = waiting(found, with_fresh=True, since=today - timedelta(days=ASKED_DAYS))
    return WholeLarder(
        found=found,
        shelves=shelves,
        first=tuple(_eat_first(every)),
        curing=curing,
        standing=_standing(household, sky, today),
        fresh=tuple(one for one in all_waiting if one.is_fresh),
        nowhere=tuple(one for one in all_waiting if not one.is_fresh),
    )


def _on_shelf(
    found: Larder, one: CrateNow, losses: StoreLosses, sky: dict[int, SiteSky], usual: dict[int, int]
) -> OnShelf:
    crate, today = one.crate, found.today
    loss = losses.of(crate)
    takings = [(u.day, u.mass_mg) for u in found.usings if u.crate_id == crate.pk and u.use in PACED]
    pace = pace_of(takings, crate.day, today)
    until = lasts(one.left, pace, loss.per_week, loss.low, loss.high) if pace else None
    looks = [u.day for u in found.usings if u.crate_id == crate.pk and u.is_look]
    typed = _as_usual(one, usual, is_imperial=found.household.is_imperial)
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
    if store.kind != GROUND or store.site_id is None or store.site_id not in sky:
        return ""
    coldest = sky[store.site_id].coldest_ahead_c
    return f"{coldest:.0f} °C expected" if coldest is not None and coldest <= HARD_FROST_C else ""


def _shelf(store: Store, crates: list[OnShelf], sky: dict[int, SiteSky], today: date) -> StoreWithCrates:
    looked = max((one.looked_on for one in crates if one.looked_on), default=None)
    begun = min((one.crate.day for one in crates), default=today)
    every = store.look_every_days or (None if store.kind in {"freezer", "jars"} else LOOK_DAYS)
    due = bool(crates) and every is not None and (today - (looked or begun)).days >= every
    return StoreWithCrates(store, tuple(crates), looked, due, _frost(store, sky))


def _eat_first(crates: list[OnShelf]) -> list[OnShelf]:
    """Hurt first, then what is near its end, then what loses fastest, then what there is most of."""

    def rank(one: OnShelf) -> tuple[bool, date, float, int]:
        return not one.crate.eat_first, one.crate.keep_until or date.max, -one.loss.per_week, -one.now.left

    first = sorted((one for one in crates if one.due), key=rank)
    fast = [one for one in crates if not one.due and not one.is_curing and one.loss.per_week >= FAST_LOSS]
    fast.sort(key=lambda one: (-one.loss.per_week, -one.now.left))
    losing = [replace(one, due=f"loses {one.loss.per_week * 100:.0f} % a week") for one in fast]
    return [*first, *losing[: max(SHOWN_FIRST - len(first), 0)]]


def _curing_now(one: OnShelf, sky: dict[int, SiteSky], today: date) -> CuringNow:
    crate = one.crate
    curing = curing_of(crate.crop)
    left = (crate.cure_until - today).days if crate.cure_until else 0
    return CuringNow(crate, max(left, 0), curing, _too_cold(crate.store, curing, sky))


def _standing(household: Household, sky: dict[int, SiteSky], today: date) -> tuple[StandingCrop, ...]:
    """Plantings that may stand until they are wanted and are ready, together where they are called alike."""
    planted = with_all_names(Planting.objects.of(household).filter(finished_on=None, is_perennial=False))
    ready = [one for one in planted if may_stand(one) and (due := window_of(one, today)) and due.first <= today]
    if not ready:
        return ()
    lifted = harvests(household, Planting.objects.of(household).filter(pk__in=[one.pk for one in ready]))
    groups: dict[tuple[str, int], list[Planting]] = defaultdict(list)
    for one in ready:
        groups[one.label, one.place.site_id].append(one)
    return tuple(_stands(label, of_label, lifted, sky) for (label, _), of_label in groups.items())


def _stands(label: str, plantings: list[Planting], lifted: dict[int, Harvest], sky: dict[int, SiteSky]) -> StandingCrop:
    first, book = plantings[0], plantings[0].crop.in_handbook
    plants: int | None = 0
    kg: float | None = 0.0
    for one in plantings:
        so_far = lifted.get(one.pk)
        stood = standing_of(one).now
        out = (so_far.plants_lifted or 0) if so_far else 0
        plants = None if plants is None or stood is None else plants + max(stood - out, 0)
        left = expected_left_kg(stood, book.kg_per_plant if book else None, so_far.likely_mg / 1e6 if so_far else 0.0)
        kg = None if kg is None or left is None else kg + left
    site = sky.get(first.place.site_id)
    coldest = site.coldest_ahead_c if site else None
    threat = f"{coldest:.0f} °C expected" if coldest is not None and coldest <= HARD_FROST_C else ""
    return StandingCrop(label, first, name_places(plantings), plants, kg or None, threat)


INDOORS = "People then cure indoors: by a heater with a bowl of water, on an airy rack, or in a bathroom."


def _too_cold(store: Store, curing: Curing | None, sky: dict[int, SiteSky]) -> str:
    """Whether the place is warm and damp enough, by what is known of it."""
    if curing is None:
        return ""
    found = []
    warm = store.celsius
    if warm is None and store.site_id in sky:
        warm = sky[store.site_id or 0].mean_lately_c
    low, high = curing.warm_c.low, curing.warm_c.high
    if warm is not None and warm < low:
        found.append(f"{warm:.0f} °C is colder than the {low:.0f} to {high:.0f} °C it wants.")
    elif warm is not None and warm > high:
        found.append(f"{warm:.0f} °C is warmer than the {low:.0f} to {high:.0f} °C it wants.")
    damp = store.damp_percent
    if damp is not None and not curing.damp_percent.low <= damp <= curing.damp_percent.high:
        wants = f"{curing.damp_percent.low:.0f} to {curing.damp_percent.high:.0f} %"
        found.append(f"{damp} % damp is not the {wants} it wants.")
    return " ".join([*found, INDOORS]) if found else ""


def usual_of(found: Larder, crate: Crate) -> str:
    """What is usually taken of a crate at once, as it would be typed."""
    meals = _meals(found) | _usual(found)
    return _as_usual(found.crates[crate.pk], meals, is_imperial=found.household.is_imperial)


def _as_usual(one: CrateNow, usual: dict[int, int], *, is_imperial: bool) -> str:
    grams = usual.get(one.crate.crop_id, 0)
    if not grams or not one.left:
        return ""
    if grams * 1000 >= one.left:
        return "the rest"
    ounces = round(grams * 1000 / MG_PER_UNIT["oz"]) if is_imperial else 0
    return f"{ounces} oz" if ounces else f"{grams} g"


def curing_of(crop: Crop) -> Curing | None:
    """How a crop is cured, if it is."""
    book = crop.in_handbook
    return curings().get(book.name) if book else None


def _usual(found: Larder) -> dict[int, int]:
    """What was taken last of each crop, in grams."""
    usual: dict[int, int] = {}
    for one in found.usings:
        if one.crate_id in found.crates and one.use in PACED and one.mass_mg:
            usual[found.crates[one.crate_id].crate.crop_id] = round(one.mass_mg / 1000)
    return usual


def _meals(found: Larder) -> dict[int, int]:
    """What the household eats at a meal, in grams, by the handbook's serving and its appetites."""
    appetites = sum(Eater.objects.of(found.household).values_list("appetite", flat=True)) or 1.0
    books = {pk: crop.in_handbook for pk, crop in found.crops.items()}
    return {pk: round(book.serving_g * appetites) for pk, book in books.items() if book}


@dataclass(frozen=True)
class StoreLosses:
    """What each crop loses a week in each kind of store, learnt from all lookings-through."""

    looks: dict[tuple[int, str], list[Look]] = field(default_factory=dict)

    def of(self, crate: Crate) -> StoreLoss:
        keeps = crate.keeps
        return loss_in_store(self.looks.get((crate.crop_id, crate.store.kind), []), keeps.loss_per_week, keeps.weeks)


def losses_of(household: Household) -> StoreLosses:
    """Every looking-through of the household as the core's; one query."""
    looks: dict[tuple[int, str], list[Look]] = defaultdict(list)
    before: dict[int, date] = {}
    read = Using.objects.of(household).filter(is_look=True, crate__isnull=False, balance_mg__gt=0)
    columns = ("crate_id", "crate__crop_id", "crate__store__kind", "crate__day", "day", "mass_mg", "balance_mg")
    for crate, crop, kind, begun, day, spoiled, lay in read.order_by("day", "pk").values_list(*columns):
        days = (day - before.get(crate, begun)).days
        before[crate] = day
        if days > 0:
            looks[crop, kind].append(Look(str(crate), days / 7, min(spoiled / lay, 1.0)))
    return StoreLosses(dict(looks))


def losses_of_crop(losses: StoreLosses, crop: Crop) -> list[tuple[str, StoreLoss]]:
    """What a crop loses in each kind of store that it was looked through in."""
    found = []
    for (crop_pk, kind), looks in sorted(losses.looks.items()):
        if crop_pk == crop.pk:
            known = keeps(crop.in_handbook, kind)
            found.append((kind, loss_in_store(looks, known.loss_per_week, known.weeks)))
    return found


@dataclass(frozen=True)
class Went:
    """One crop and season: what was lifted and where it went, with whether there was enough."""

    crop: Crop
    season: int
    where: Whereabouts
    supplies: tuple[Supply, ...] = ()
    ran_out_on: date | None = None  #: by what lies there, where nobody said so
    unknown: int = 0  #: pieces that were counted, of which no weight is known

    @property
    def parts(self) -> list[tuple[str, int]]:
        """Every use with its milligrams, in the order of the bar; what is not accounted for is last."""
        return [(use, self.where.used_mg[use]) for use in USES]


def went(found: Larder, seasons: Iterable[int]) -> list[Went]:
    """Each crop of some seasons, most lifted first."""
    said: dict[Key, list[Supply]] = defaultdict(list)
    for one in Supply.objects.of(found.household).filter(season__in=list(seasons)).select_related("crop"):
        said[one.crop_id, one.season].append(one)
        found.crops.setdefault(one.crop_id, one.crop)
    nothing = Whereabouts(0, dict.fromkeys(USES, 0), 0, {}, 0, 0)
    keys = [key for key in {**found.of, **dict.fromkeys(said)} if key[1] in set(seasons)]
    made = [
        Went(
            found.crops[crop],
            season,
            found.of.get((crop, season), nothing),
            tuple(said.get((crop, season), ())),
            _gone_on(found, (crop, season)),
            sum(
                row.pieces or 0
                for row in found.lines.values()
                if row.key == (crop, season) and not found.masses[row.pk]
            ),
        )
        for crop, season in keys
    ]
    return sorted(made, key=lambda one: (-one.season, -one.where.lifted_mg, one.crop.name))


def _gone_on(found: Larder, key: Key) -> date | None:
    """The day after which nothing of it lay in any store, where something once did."""
    steps = [step for step in found.steps if step.key == key]
    lying = sum(step.mass_mg for step in steps)
    emptied = [now.crate.emptied_on for now in found.crates.values() if (now.crate.crop_id, now.crate.season) == key]
    if not steps or (lying > GONE_MG and not (emptied and all(emptied))):
        return None
    return max([step.day for step in steps] + [day for day in emptied if day])
