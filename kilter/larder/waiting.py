"""What waits to be put by, and where it may go."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from django.db.models import Max

from kilter.core.handbook.storing import GROUND, STORES, best_store, curings
from kilter.core.larder.pieces import PARTS
from kilter.core.trade.grades import GRADES
from kilter.core.trade.uses import KEPT_TO_PLANT, USES
from kilter.larder.ledger import Larder
from kilter.larder.lines import LineRow
from kilter.larder.models import PutBy, State, Store
from kilter.people.models import Household
from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import Crop, Variety

#: What was lifted so long ago is no longer asked about on Today; the larder still shows it (rule).
ASKED_DAYS = 45


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
    pieces: float  #: of what was counted
    #: by counted line: its key, the parts of pieces left of it, and those that it is
    piece_rests: tuple[tuple[int, int, int], ...]
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

    What perishes is told only where it is asked for, and so is what is eaten by the rule; of that
    what is of this season.
    """
    kept_back = blinded_of(found.household)
    groups: dict[tuple[int, int | None, int, str, bool], list[LineRow]] = defaultdict(list)
    for pk, row in found.lines.items():
        is_fresh = found.eaten[pk] is not None
        unasked = (
            found.line_is_on_shelf(row)
            or (is_fresh and not with_fresh)
            or (since and row.weighed_on < since)
        )
        if found.eaten[pk] is True and not (with_eaten and row.key[1] == found.today.year):
            continue
        is_over = not found.rest.get(pk) if found.masses[pk] else not _pieces_left(found, pk)
        if unasked or is_over:
            continue
        variety = None if row.planting_id in kept_back else row.variety_id
        groups[row.crop_id, variety, row.key[1], row.grade, found.eaten[pk] is True].append(row)
    varieties = Variety.objects.ever_of(found.household).in_bulk({pk for _, pk, *_ in groups if pk})
    made = [_waiting(found, key, rows, varieties) for key, rows in groups.items()]
    return sorted(
        (one for one in made if one.mass_mg or one.pieces),
        key=lambda one: one.last_day,
        reverse=True,
    )


def _pieces_left(found: Larder, line: int) -> bool:
    """Whether something is left of a line of which no weight is known: pieces, or all of it where
    it was not counted either.
    """
    if line in found.rest_pieces:
        return found.rest_pieces[line] > 0
    return not any(put.line_id == line for put, _ in found.puts)


def _waiting(
    found: Larder,
    key: tuple[int, int | None, int, str, bool],
    rows: list[LineRow],
    varieties: dict[int, Variety],
) -> Waiting:
    crop_id, variety, season, grade, is_eaten = key
    rows = sorted(rows, key=lambda one: (one.weighed_on, one.pk))
    rests = [
        (row.pk, found.rest[row.pk] - found.loose.get(row.pk, 0), found.masses[row.pk])
        for row in rows
    ]
    return Waiting(
        crop=found.crops[crop_id],
        variety=varieties.get(variety or 0),
        season=season,
        grade=grade,
        rests=tuple(rests),
        first_day=min(row.weighed_on for row in rows),
        last_day=max(row.weighed_on for row in rows),
        is_estimated=any(row.pk in found.estimated or row.is_vague for row in rows),
        pieces=sum(found.rest_pieces.get(row.pk, 0.0) for row in rows),
        piece_rests=tuple(
            (row.pk, round(found.rest_pieces[row.pk] * PARTS), (row.pieces or 0) * PARTS)
            for row in rows
            if row.pk in found.rest_pieces
        ),
        is_fresh=any(found.eaten[row.pk] is not None for row in rows),
        is_eaten=is_eaten,
    )


def choices(stores: Iterable[Store], crop: Crop, grade: str) -> list[Choice]:
    """Where a grade of a crop may go: the household's stores,
    the kinds it has none of yet, and uses.
    """
    stores = list(stores)
    book = crop.in_handbook
    cures = bool(book and book.name in curings()) and GRADES[grade].may_cure
    found = []
    for store in stores:
        if cures and store.kind in {"airy shelf", "own", "cellar"}:
            found.append(Choice(f"store:{store.pk}:curing", f"{store}, to cure"))
        found += [
            Choice(f"store:{store.pk}:{state}", label)
            for state, label in _states(store.kind, str(store))
        ]
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


def with_choices(
    household: Household, waiting_now: list[Waiting]
) -> list[tuple[Waiting, list[Choice], str]]:
    """Each with where it may go, and where it went last time or else goes by its grade."""
    stores = list(Store.objects.of(household))
    crops = {one.crop.pk for one in waiting_now}
    last: dict[tuple[int, str], str] = {}
    put = PutBy.objects.of(household).filter(line__planting__crop__in=crops).order_by()
    latest = (
        put.values("line__planting__crop_id", "line__grade")
        .annotate(last=Max("pk"))
        .values_list("last", flat=True)
    )
    for before in (
        PutBy.objects.of(household)
        .filter(pk__in=list(latest))
        .select_related("crate", "line__planting")
    ):
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
