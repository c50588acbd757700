"""What was lifted and where it went:
rows of the tape and of the larder read to the core's ledger, and back.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable
from dataclasses import dataclass, field
from datetime import date, timedelta
from fractions import Fraction

from django.db.models import Q

from kilter.core.larder.mass import (
    Entry,
    Ledger,
    LiftedLine,
    Moved,
    Used,
    Whereabouts,
    whereabouts,
)
from kilter.core.larder.mass import PutByShare as Put
from kilter.core.larder.pieces import Counted, InPieces, followed
from kilter.core.trade.grades import GRADES
from kilter.core.trade.uses import MOVED
from kilter.larder.lines import (
    Key,
    LineRow,
    is_on_shelf,
    lifted_line,
    lifted_of,
    masses_of,
    rows_of,
)
from kilter.larder.models import PRESERVED, Crate, PutBy, Using
from kilter.people import clock
from kilter.people.models import Household
from kilter.set_out.models import Crop


@dataclass(frozen=True)
class CrateNow:
    """A crate with what went in and what lies there."""

    crate: Crate
    in_mg: int
    lying_mg: int
    is_estimated: bool = (
        False  #: part of it was counted and not weighed, guessed, or of a mixed basket
    )
    pieces_in: float = 0.0  #: of what was counted
    pieces: float = 0.0  #: of them those that lie there

    @property
    def left(self) -> int:
        return max(self.lying_mg, 0)

    @property
    def is_only_counted(self) -> bool:
        """Whether nothing is known of it but pieces."""
        return not self.in_mg and self.pieces_in > 0

    @property
    def is_held(self) -> bool:
        """Whether something lies there."""
        return self.left > 0 or (self.is_only_counted and self.pieces > 0)

    @property
    def share(self) -> float:
        if self.is_only_counted:
            return min(max(self.pieces, 0.0) / self.pieces_in, 1.0)
        return min(self.left / self.in_mg, 1.0) if self.in_mg else 0.0


@dataclass(frozen=True)
class StoreStep:
    """What came into the stores, or left them, on a day."""

    key: Key
    crate: int
    day: date
    mass_mg: int  #: below zero where it left
    what: str = ""


@dataclass(frozen=True, kw_only=True)
class Larder:
    """Some seasons of a garden: what was lifted, and where it went."""

    household: Household
    today: date
    crops: dict[int, Crop] = field(default_factory=dict)
    lines: dict[int, LineRow] = field(default_factory=dict)
    masses: dict[int, int] = field(default_factory=dict)  #: of each line
    rest: dict[int, int] = field(default_factory=dict)  #: of each line, what was not put by
    loose: dict[int, int] = field(
        default_factory=dict
    )  #: of each line, what of that was used without a crate
    eaten: dict[int, bool | None] = field(
        default_factory=dict
    )  #: of each line, whether it is eaten by the rule
    estimated: frozenset[int] = frozenset()  #: lines that were counted and not weighed
    of: dict[Key, Whereabouts] = field(default_factory=dict)
    in_pieces: dict[Key, InPieces] = field(default_factory=dict)
    rest_pieces: dict[int, float] = field(
        default_factory=dict
    )  #: of each line that was counted, those put nowhere and not used
    crates: dict[int, CrateNow] = field(default_factory=dict)
    steps: tuple[StoreStep, ...] = ()
    usings: tuple[Using, ...] = ()
    puts: tuple[tuple[PutBy, int], ...] = ()  #: each with its milligrams

    @property
    def standing(self) -> list[CrateNow]:
        """Crates that were not said to be empty and hold something."""
        return [
            crate
            for crate in self.crates.values()
            if crate.crate.emptied_on is None and crate.is_held
        ]

    def line_is_on_shelf(self, row: LineRow) -> bool:
        return is_on_shelf(row.grade, row.weighed_on, self.today)


def open_seasons(household: Household) -> set[int]:
    """Seasons that something in store may be of, with this one and the last."""
    year = clock.today(household).year
    standing = (
        Crate.objects.of(household)
        .filter(emptied_on=None)
        .order_by()
        .values_list("season", flat=True)
    )
    return {year, year - 1, *standing.distinct()}


def larder(
    household: Household, seasons: Collection[int], crops: Collection[int] | None = None
) -> Larder:
    """Read some seasons; a fixed number of queries."""
    of_season = Q(planting__is_perennial=False, planting__season__in=seasons) | Q(
        planting__is_perennial=True, weighed_on__year__in=seasons
    )
    in_crates = (
        PutBy.objects.of(household).filter(crate__season__in=seasons).order_by().values("line_id")
    )
    lines = lifted_of(household).filter(of_season | Q(pk__in=in_crates))
    crates = Crate.objects.of(household)
    if crops is not None:
        lines, crates = lines.filter(planting__crop__in=crops), crates.filter(crop__in=crops)
    rows = rows_of(lines)
    held = PutBy.objects.of(household).filter(
        line__in=lines.order_by().values("pk"), crate__isnull=False
    )
    crates = crates.filter(Q(season__in=seasons) | Q(pk__in=held.order_by().values("crate_id")))
    shown = {crate.pk: crate for crate in crates.select_related("store", "crop", "variety")}
    puts = list(
        PutBy.objects.of(household)
        .filter(
            Q(crate__in=crates.order_by().values("pk")) | Q(line__in=lines.order_by().values("pk"))
        )
        .order_by("day", "pk")
    )
    loose = Q(crate=None, season__in=seasons) & (Q() if crops is None else Q(crop__in=crops))
    usings = list(
        Using.objects.of(household)
        .filter(Q(crate__in=crates.order_by().values("pk")) | loose)
        .select_related("written_by")
        .order_by("day", "pk")
    )
    return _made(household, rows, shown, puts, usings)


def larder_of_crate(household: Household, crate: Crate) -> Larder:
    """Read what a crate needs to be reckoned: all of its season, of its crop."""
    return larder(household, {crate.season}, {crate.crop_id})


def _made(
    household: Household,
    rows: dict[int, LineRow],
    crates: dict[int, Crate],
    puts: list[PutBy],
    usings: list[Using],
) -> Larder:
    today = clock.today(household)
    needed = {row.crop_id for row in rows.values()} | {crate.crop_id for crate in crates.values()}
    needed |= {using.crop_id for using in usings if using.crop_id}
    crops = Crop.objects.ever_of(household).in_bulk(needed)
    masses, counts, estimated = masses_of(household, rows)
    rule = {pk: fresh_days(crop) for pk, crop in crops.items()}
    eaten = {pk: _is_eaten(row, rule[row.crop_id], today) for pk, row in rows.items()}
    lines = [
        lifted_line(row, masses[pk], today, is_estimated=pk in estimated, is_eaten=eaten[pk])
        for pk, row in sorted(rows.items(), key=lambda pair: (pair[1].weighed_on, pair[0]))
    ]
    puts = [put for put in puts if put.crate_id is None or put.crate_id in crates]
    usings = [one for one in usings if one.into_id is None or one.into_id in crates]
    every: list[PutBy | Using] = [*puts, *usings]
    entries = sorted(
        ((one.day, one) for one in every),
        key=lambda pair: (pair[0], isinstance(pair[1], Using), pair[1].pk),
    )
    ledger, pieces = _reckoned(lines, counts, crates, entries)
    put_mg = {entries[i][1].pk: mass_mg for i, mass_mg in ledger.put_mg.items()}
    steps = tuple(_steps(entries, put_mg, crates))
    into: dict[int, int] = defaultdict(int)
    for step in steps:
        into[step.crate] += max(step.mass_mg, 0)
    guessed = {
        put.crate_id for put in puts if put.line_id in rows and _is_doubtful(rows[put.line_id])
    }
    return Larder(
        household=household,
        today=today,
        crops=crops,
        lines=rows,
        masses=masses,
        rest={int(ref): mass_mg for ref, mass_mg in ledger.rest_mg.items()},
        loose={int(ref): mass_mg for ref, mass_mg in ledger.loose_mg.items()},
        eaten=eaten,
        estimated=estimated,
        of={(int(crop), season): one for (crop, season), one in ledger.of.items()},
        in_pieces={(int(crop), season): one for (crop, season), one in pieces.of.items()},
        rest_pieces={int(ref): count for ref, count in pieces.rest.items()},
        crates={
            pk: CrateNow(
                one,
                into[pk],
                ledger.lying_mg[str(pk)],
                pk in guessed,
                pieces.put.get(str(pk), 0.0),
                pieces.lying[str(pk)],
            )
            for pk, one in crates.items()
        },
        steps=steps,
        usings=tuple(usings),
        puts=tuple((put, put_mg.get(put.pk, 0)) for put in puts),
    )


def _reckoned(
    lines: list[LiftedLine],
    counts: dict[int, int],
    crates: dict[int, Crate],
    entries: list[tuple[date, PutBy | Using]],
) -> tuple[Ledger, Counted]:
    """Where everything went, in mass and in pieces; what was said in pieces alone gets its mass."""
    of_crate = {str(pk): (str(crate.crop_id), crate.season) for pk, crate in crates.items()}
    emptied = {str(pk) for pk, crate in crates.items() if crate.emptied_on}
    pieces = followed(
        lines,
        {str(pk): count for pk, count in counts.items()},
        of_crate,
        [entry_of(one) for _, one in entries],
        said=said_of([one for _, one in entries]),
        ends={str(pk) for pk, crate in crates.items() if crate.state in PRESERVED},
        emptied=emptied,
    )
    _fill_in(entries, pieces.masses)
    return whereabouts(lines, of_crate, pieces.masses, emptied), pieces


def _fill_in(entries: Iterable[tuple[date, PutBy | Using]], told: Iterable[Entry]) -> None:
    """What was said in pieces alone gets the mass that it took, for all that reads it from here."""
    for (_, one), entry in zip(entries, told, strict=True):
        if isinstance(one, Using) and not isinstance(entry, Put):
            one.took_mg = entry.mass_mg


def said_of(entries: Iterable[PutBy | Using]) -> dict[int, float]:
    """By their place, the pieces that entries say."""
    return {
        i: one.count
        for i, one in enumerate(entries)
        if isinstance(one, Using) and one.count is not None
    }


def _is_doubtful(row: LineRow) -> bool:
    return row.mass_mg is None or row.is_vague


def entry_of(one: PutBy | Using) -> Entry:
    """A record of the larder as the core's entry."""
    if isinstance(one, PutBy):
        share = Fraction(one.share_part, one.share_whole)
        return Put(
            str(one.crate_id) if one.crate_id else None, str(one.line_id), share, one.use or None
        )
    if one.use == MOVED:
        return Moved(str(one.crate_id), str(one.into_id), one.mass_mg or 0)
    of = None if one.crate_id else (str(one.crop_id), one.season or 0)
    return Used(str(one.crate_id) if one.crate_id else None, one.use, one.mass_mg or 0, of)


def crates_named(entry: Entry) -> Iterable[str]:
    """The crates that an entry is about."""
    return [
        crate for crate in (entry.crate, entry.into if isinstance(entry, Moved) else None) if crate
    ]


def _steps(
    entries: Iterable[tuple[date, PutBy | Using]], put_mg: dict[int, int], crates: dict[int, Crate]
) -> Iterable[StoreStep]:
    """What each entry brought into a crate or took out of it."""

    def key(pk: int) -> Key:
        return crates[pk].crop_id, crates[pk].season

    for day, one in entries:
        if one.crate_id is None:
            continue
        if isinstance(one, PutBy):
            yield StoreStep(key(one.crate_id), one.crate_id, day, put_mg.get(one.pk, 0))
            continue
        yield StoreStep(key(one.crate_id), one.crate_id, day, -one.took_mg, one.use)
        if one.into_id:
            yield StoreStep(key(one.into_id), one.into_id, day, one.took_mg, one.use)


def fresh_days(crop: Crop) -> int | None:
    """Within how many days what is not put by is eaten: the household's word,
    or the handbook's of what perishes.
    """
    if crop.own_fresh_days is not None:
        return crop.own_fresh_days
    return crop.in_handbook.fresh_days if crop.in_handbook else None


def _is_eaten(row: LineRow, days: int | None, today: date) -> bool | None:
    if days is None or not GRADES[row.grade].eats_fresh:
        return None
    return row.weighed_on + timedelta(days=days) <= today
