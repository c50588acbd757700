"""The larder's pages as frozen values: what is decided here, the templates print."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta

from kilter.core.amounts.units import format_mass, kg_to
from kilter.core.larder.amount import much_words
from kilter.core.larder.lasting import Lasts, Pace, lasts, left_after, pace_of
from kilter.core.trade.uses import CHOICES, EATEN, MOVED, PACED, USES
from kilter.drawing.shelves import BarPart, Box, Drawdown, bar, box, drawdown
from kilter.larder.ledger import CrateNow, Larder
from kilter.larder.lines import Key
from kilter.larder.planned import PlannedUse
from kilter.larder.shelves import OnShelf, StoreWithCrates, WholeLarder
from kilter.larder.store_losses import StoreLosses
from kilter.larder.went import Went
from kilter.people.templatetags.amounts import shortly
from kilter.set_out.models import Crop

#: Beyond this no day is named.
YEAR_WEEKS = 52
IN_STORE, NOT_ACCOUNTED = "in_store", "not_accounted"
#: Every part that a bar of what was lifted may have, in words.
PART_WORDS = {**dict(CHOICES), IN_STORE: "in store", NOT_ACCOUNTED: "not accounted for"}


def _fill(name: str) -> str:
    """The texture of a part of the bar: what is in store is hatched,
    what is not accounted for is empty.
    """
    return (
        f"fill{USES[name].series}" if name in USES else {IN_STORE: "shade", NOT_ACCOUNTED: ""}[name]
    )


#: Every part a bar may have, in words, with its texture.
LEGEND = [(words, _fill(name)) for name, words in PART_WORDS.items()]


@dataclass(frozen=True)
class ShownPart:
    """One part of the bar with its words."""

    part: BarPart
    words: str

    @property
    def fill(self) -> str:
        return _fill(self.part.name)


@dataclass(frozen=True)
class WentRow:
    """What became of a part: how much of it in mass and in pieces, and what is to be said."""

    words: str
    mass_mg: int
    pieces: float | None  #: None where nothing was counted
    said: str
    much: str  #: in a line among others: its mass, else its pieces


@dataclass(frozen=True)
class ShownWent:
    """Where one crop of a season went."""

    went: Went
    parts: tuple[ShownPart, ...]
    rows: tuple[WentRow, ...]

    @property
    def crop(self) -> Crop:
        return self.went.crop


def shown_went(one: Went, system: str) -> ShownWent:
    """The bar, and the table behind it; every line of it, zero ones apart."""
    where = one.where
    parts = [*one.parts, (IN_STORE, where.in_store_mg), (NOT_ACCOUNTED, where.not_accounted_mg)]
    drawn = tuple(ShownPart(part, PART_WORDS[part.name]) for part in bar(parts))
    rows = []
    for name, mass_mg in parts:
        pieces = _pieces_of(one, name)
        if mass_mg or pieces or name == NOT_ACCOUNTED:
            is_counted = not where.lifted_mg and pieces is not None
            much = much_words(None, pieces) if is_counted else shortly(mass_mg, system)
            said = _said_of(one, name, system)
            rows.append(WentRow(PART_WORDS[name], mass_mg, pieces, said, much))
    return ShownWent(one, drawn, tuple(rows))


def _pieces_of(one: Went, name: str) -> float | None:
    """How many pieces a part is; None where nothing was counted."""
    if one.pieces is None:
        return None
    ends = {IN_STORE: one.pieces.in_store, NOT_ACCOUNTED: one.pieces.not_accounted}
    return ends[name] if name in ends else one.pieces.used[name]


def _said_of(one: Went, name: str, system: str) -> str:
    if name == EATEN and one.where.assumed_mg:
        return (
            f"{format_mass(one.where.assumed_mg, system)} of it assumed: eaten fresh within its "
            "days"
        )
    if name == IN_STORE and one.pieces and one.pieces.preserved:
        kept = much_words(None, one.pieces.preserved)
        return f"{kept} of it frozen, dried or bottled, and counted no further"
    if name == NOT_ACCOUNTED:
        return "; ".join(why for why in one.where.reasons)
    return ""


@dataclass(frozen=True)
class ShownCrate:
    """A crate on its shelf, drawn."""

    on: OnShelf
    box: Box
    today: date

    @property
    def pk(self) -> int:
        return self.on.crate.pk

    @property
    def label(self) -> str:
        """What lies in it, with its season where that is not this year's."""
        crate = self.on.crate
        return crate.label + (f", {crate.season}" if crate.season != self.today.year else "")

    @property
    def until(self) -> str:
        """When it is gone at this pace, or what it keeps."""
        crate = self.on.crate
        if self.on.due:
            return self.on.due
        if self.on.is_curing and crate.cure_until:
            return f"curing until {_day(crate.cure_until)}"
        if self.on.until and self.on.until.weeks is not None:
            return f"gone about {_day(self.today + timedelta(weeks=self.on.until.weeks))}"
        return f"keeps to {_day(crate.keep_until)}" if crate.keep_until else ""


def _day(day: date) -> str:
    return f"{day.day} {day:%B}"


@dataclass(frozen=True)
class LarderSentence:
    """The one sentence on top: what is put by, and what of it runs out next."""

    mass_mg: int
    pieces: float = 0.0  #: of what was only counted
    what: str = ""
    weeks: float | None = None

    @property
    def when(self) -> str:
        """In about how many weeks."""
        if self.weeks is None:
            return ""
        weeks = round(self.weeks)
        return (
            "within the week" if weeks < 1 else f"in about {weeks} week{'' if weeks == 1 else 's'}"
        )


def sentence(room: WholeLarder, losses: StoreLosses) -> LarderSentence:
    """What is put by, and which crop is gone first at the pace it goes."""
    found = room.found
    by_crop: dict[int, list[CrateNow]] = defaultdict(list)
    for one in found.standing:
        by_crop[one.crate.crop_id].append(one)
    ends = []
    for crop, crates in by_crop.items():
        ahead = ahead_of(found, crates, losses)
        if ahead is not None and ahead.until.weeks is not None:
            ends.append((ahead.until.weeks, found.crops[crop].name))
    if not ends:
        return LarderSentence(room.mass_mg, room.pieces)
    weeks, name = min(ends)
    return LarderSentence(room.mass_mg, room.pieces, name, weeks)


@dataclass(frozen=True)
class Ahead:
    """At what pace something goes, what it loses a week, and how long it lasts."""

    pace: Pace
    loss: tuple[float, float, float]  #: likely, low, high
    until: Lasts

    @property
    def ways(self) -> list[tuple[float, float, float | None]]:
        """Likely, soonest and latest: what is taken and what is lost a week,
        and after how many weeks it is gone.
        """
        taken = self.pace.a_week, self.pace.high, self.pace.low
        lost = self.loss[0], self.loss[2], self.loss[1]
        return list(
            zip(taken, lost, (self.until.weeks, self.until.soonest, self.until.latest), strict=True)
        )


def ahead_of(found: Larder, crates: Iterable[CrateNow], losses: StoreLosses) -> Ahead | None:
    """At what pace some crates together go, and how long they last;
    None where nothing was taken yet.
    """
    crates = list(crates)
    if not crates:
        return None
    crops = {crate.crate.crop_id for crate in crates}
    of_crop = {pk for pk, one in found.crates.items() if one.crate.crop_id in crops}
    takings = [
        (using.day, using.took_mg)
        for using in found.usings
        if using.crate_id in of_crop and using.use in PACED
    ]
    since = min([crate.crate.day for crate in crates] + [day for day, _ in takings])
    pace = pace_of(takings, since, found.today)
    if pace is None:
        return None
    lying = sum(crate.left for crate in crates)
    of_each = [losses.of(crate.crate) for crate in crates]
    names = ("per_week", "low", "high")
    middle, low, high = (
        sum(getattr(one, name) for one in of_each) / len(of_each) for name in names
    )
    return Ahead(pace, (middle, low, high), lasts(lying, pace, middle, low, high))


@dataclass(frozen=True, kw_only=True)
class ShownDrawdown:
    """What is left of a crop of a season by day, drawn and as a table."""

    picture: Drawdown
    unit: str  #: of its axis
    rows: tuple[tuple[date, int, str], ...]
    pace: Pace | None
    until: Lasts | None
    today: date
    planned: PlannedUse | None = None

    @property
    def pace_mg(self) -> int | None:
        return round(self.pace.a_week) if self.pace else None

    @property
    def planned_until(self) -> date | None:
        """The day until which the plan wants it."""
        return self.planned.ends(self.rows[0][0]) if self.planned else None

    @property
    def gone(self) -> tuple[date | None, date | None, date | None] | None:
        """The day it is gone: likely, soonest, latest."""
        if self.until is None:
            return None
        weeks = (self.until.weeks, self.until.soonest, self.until.latest)
        likely, soonest, latest = (
            None if week is None or week > YEAR_WEEKS else self.today + timedelta(weeks=week)
            for week in weeks
        )
        return likely, soonest, latest


def shown_drawdown(
    found: Larder, key: Key, losses: StoreLosses, system: str, planned: PlannedUse | None
) -> ShownDrawdown | None:
    """The falling line of one crop and season, its axis in kilograms or pounds."""
    by_day: dict[date, int] = defaultdict(int)
    what: dict[date, list[str]] = defaultdict(list)
    for step in found.steps:
        if step.key == key:
            by_day[step.day] += step.mass_mg
            if step.what and step.what != MOVED and step.mass_mg:
                what[step.day].append(USES[step.what].words)
            elif not step.what:
                what[step.day].append("put by")
    emptied = [
        crate.crate.emptied_on
        for crate in found.crates.values()
        if _is_of(crate, key) and crate.crate.emptied_on
    ]
    left, points, rows = 0, [], []
    for day in sorted(by_day):
        left += by_day[day]
        points.append((day, kg_to(max(left, 0) / 1e6, system)[0]))
        rows.append((day, max(left, 0), ", ".join(dict.fromkeys(what[day]))))
    if not points:
        return None
    if emptied and len(emptied) == sum(_is_of(crate, key) for crate in found.crates.values()):
        points.append((max(*emptied, points[-1][0]), 0.0))
    standing = [one for one in found.standing if _is_of(one, key)]
    ahead = ahead_of(found, standing, losses) if standing else None
    wanted = planned.points(points[0][0]) if planned else []
    likely, soonest, latest = _ahead_lines(found, standing, ahead, system)
    in_unit = [(day, kg_to(kg, system)[0]) for day, kg in wanted]
    picture = drawdown(points, found.today, likely, soonest, latest, in_unit)
    if picture is None:
        return None
    pace, until = (ahead.pace, ahead.until) if ahead else (None, None)
    return ShownDrawdown(
        picture=picture,
        unit=kg_to(0, system)[1],
        rows=tuple(rows),
        pace=pace,
        until=until,
        today=found.today,
        planned=planned,
    )


def _is_of(one: CrateNow, key: Key) -> bool:
    return (one.crate.crop_id, one.crate.season) == key


def _ahead_lines(
    found: Larder, standing: list[CrateNow], ahead: Ahead | None, system: str
) -> tuple[list[tuple[date, float]], list[tuple[date, float]], list[tuple[date, float]]]:
    """The likely way on and its band, a point for each week."""
    if ahead is None:
        return [], [], []
    lying = float(sum(one.left for one in standing))
    lines = []
    for a_week, loss, weeks in ahead.ways:
        last = YEAR_WEEKS if weeks is None else min(int(weeks) + 1, YEAR_WEEKS)
        left = [kg_to(left_after(lying, a_week, loss, n) / 1e6, system)[0] for n in range(last + 1)]
        lines.append([(found.today + timedelta(weeks=n), amount) for n, amount in enumerate(left)])
    likely, soonest, latest = lines
    return likely, soonest, latest


def boxes(room: WholeLarder) -> list[tuple[StoreWithCrates, list[ShownCrate]]]:
    """Every shelf with its crates drawn to one scale."""
    most = max((_size(crate.now) for shelf in room.shelves for crate in shelf.crates), default=0)
    return [
        (
            shelf,
            [
                ShownCrate(crate, box(_size(crate.now), crate.now.share, most), room.found.today)
                for crate in shelf.crates
            ],
        )
        for shelf in room.shelves
    ]


def _size(one: CrateNow) -> int:
    """How large a crate is drawn; what was only counted as if a piece were a hundred grams."""
    return round(one.pieces_in * 100_000) if one.is_only_counted else one.in_mg


#: What is shown where the matter comes up; local advice goes first.
CAUTIONS = {
    "potato": "Throw away what is green; keep them in the dark.",
    "winter squash": "If one tastes bitter, spit it out and do not eat it.",
    "pumpkin": "If one tastes bitter, spit it out and do not eat it.",
    "courgette": "If one tastes bitter, spit it out and do not eat it.",
    "patty pan": "If one tastes bitter, spit it out and do not eat it.",
    "drying bean": "Soak dried beans, then boil them hard for at least ten minutes.",
    "runner bean": "Soak dried beans, then boil them hard for at least ten minutes.",
    "climbing bean": "Soak dried beans, then boil them hard for at least ten minutes.",
    "dwarf bean": "Soak dried beans, then boil them hard for at least ten minutes.",
    "lima bean": "Soak dried beans, then boil them hard for at least ten minutes.",
    "garlic": "Garlic in oil belongs in the fridge, and only for a few days.",
}
OF_STATE = {
    "bottled": (
        "Bottle only by a tested recipe of a food-safety authority; what is not acid, under "
        "pressure."
    ),
    "frozen": "Blanching times go by a tested table.",
    "dried": "Soak dried beans, then boil them hard for at least ten minutes.",
}
MOULD = "What is mouldy goes, and what touched it is looked at twice. Follow local advice."


def cautions(crop: Crop, states: Iterable[str]) -> list[str]:
    """Short cautions for a crop in some states."""
    book = crop.in_handbook
    found = [CAUTIONS[book.name]] if book and book.name in CAUTIONS else []
    found += [OF_STATE[state] for state in states if state in OF_STATE and state != "dried"]
    return list(dict.fromkeys([*found, MOULD]))
