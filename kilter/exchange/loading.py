"""Writing a checked package into a household: all of it or none, and twice changes nothing."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date
from functools import cached_property
from pathlib import Path
from typing import Any

from kilter.core.handbook import crop_called
from kilter.exchange.formats import NAME_OF, TABLES, keys_of
from kilter.exchange.reading import Package, PackageFault, Report, Row, read_package, say_nothing
from kilter.exchange.staging import Stage, check_room
from kilter.ground.models import Site
from kilter.people import clock
from kilter.people.models import Household, Owned, User
from kilter.plans.models import Plan
from kilter.plans.queries import plan_for, season_to_plan
from kilter.set_out.actions import crop_named, lot_named, variety_named
from kilter.set_out.models import Crop, MethodTag, SeedLot, Variety
from kilter.set_out.queries import find_crop
from kilter.set_out.seasons import season_by
from kilter.tables.cells import CellError
from kilter.tables.table import Table
from kilter.tending.format import picture
from kilter.weigh_in.models import WeighIn

DEFAULT_SITE = "Garden"
#: The last step of a load; from then on it cannot be stopped.
IN_PLACE = "putting it in its place"


@dataclass(frozen=True)
class Loaded:
    """What a load came to."""

    new: dict[str, int]
    changed: dict[str, int]
    same: dict[str, int]
    notes: tuple[str, ...]
    problems: tuple[PackageFault, ...] = ()
    more_problems: int = 0

    @property
    def is_done(self) -> bool:
        return not self.problems

    @property
    def counts(self) -> list[tuple[str, tuple[int, int, int]]]:
        """For each table what was new, changed and as before."""
        names = [table.name for table in TABLES]
        return [
            (name, (self.new.get(name, 0), self.changed.get(name, 0), self.same.get(name, 0)))
            for name in names
        ]


def load(
    source: Path,
    household: Household,
    report: Report = say_nothing,
    by: User | None = None,
    says: str = "",
) -> Loaded:
    """Read, check and write a package; with any problem nothing is written, not even a new
    household.

    What is new is written in slices beside the garden and put in its place in one moment, so that
    whoever writes meanwhile waits for a slice only. What was written is one change, and can be
    undone as one.
    """
    package = read_package(source, report)
    check_room(package.size)
    _check_references(package, _existing(household))
    _check_pictures(package)
    if package.problems:
        return Loaded(
            {}, {}, {}, tuple(package.notes), tuple(package.problems), package.more_problems
        )
    _fill_in(package, clock.today(household))
    if "household" not in package.columns:
        package.notes.append(_assumed(household))
    stage = Stage(household, by, says or f"A package was loaded: {source.name}")
    try:
        writer = _Writer(household, stage, package)
        for table in TABLES:
            report(f"writing {table.name}", 0)
            writer.write(table, package.rows.get(table.name, []))
        for table in TABLES:
            if table.late:
                writer.tie(table, package.rows.get(table.name, []))
        if writer.problems:
            stage.drop()
            return Loaded({}, {}, {}, tuple(package.notes), tuple(writer.problems))
        report(IN_PLACE, 0)
        stage.put_in_place()
    except BaseException:
        stage.drop()
        raise
    return Loaded(dict(writer.new), dict(writer.changed), dict(writer.same), tuple(package.notes))


def _existing(household: Household) -> dict[str, set[str]]:
    """The ids that the household has already, by table."""
    if household.pk is None:
        return {table.name: set() for table in TABLES}
    models: dict[str, Any] = {
        table.name: table.model for table in TABLES if table.model is not Household
    }
    return {
        n: set(m.objects.ever_of(household).values_list("ref", flat=True))
        for n, m in models.items()
    }


def _check_references(package: Package, existing: dict[str, set[str]]) -> None:
    for table in TABLES:
        for column, other in _references(table):
            known = {row.values["id"] for row in package.rows.get(other, [])} | existing[other]
            for row in package.rows.get(table.name, []):
                ref = row.values[column]
                if ref is not None and ref not in known:
                    package.add(
                        PackageFault(
                            f"{table.name}.csv",
                            row.line,
                            column,
                            ref,
                            f"is no id in {other}.csv or in the household",
                        )
                    )


def _references(table: Table) -> list[tuple[str, str]]:
    return [*keys_of(table), *([("site", "sites")] if table.name == "places" else [])]


def _check_pictures(package: Package) -> None:
    """Every photograph is there, is what its hash says, and is plain."""
    names = _Pictures(package)
    for row in package.rows.get("photos", []):
        try:
            picture(row.values, names)
        except CellError as error:
            package.add(
                PackageFault("photos.csv", row.line, "file", str(row.values["file"]), str(error))
            )


class _Pictures:
    """The files that came with a package."""

    def __init__(self, package: Package) -> None:
        self._package = package

    def file(self, name: str) -> bytes:
        try:
            return self._package.pictures[name]
        except KeyError:
            raise CellError("is not in the package") from None


def _fill_in(package: Package, today: date) -> None:
    """What an empty cell or a column left out stands for, and a finishing day still ahead."""
    says_waits = "waits" in package.columns.get("weigh_ins", frozenset())
    last_lift: dict[str, date] = {}
    for row in package.rows.get("weigh_ins", []):
        if not says_waits:
            row.values["waits"] = row.values["mass"] is None and row.values["measures"] is None
        ref, day = row.values["planting"], row.values["weighed_on"]
        last_lift[ref] = max(day, last_lift.get(ref, day))
    has_finish = "finished_on" in package.columns.get("plantings", frozenset())
    for row in package.rows.get("plantings", []):
        values = row.values
        if not has_finish:
            values["finished_on"] = last_lift.get(values["id"])
            if (
                values["finished_on"]
                and values["planted_on"]
                and values["finished_on"] < values["planted_on"]
            ):
                values["finished_on"] = None
        values["season"] = values["season"] or _season(values)
        if values["finished_on"] and values["finished_on"] > today:
            values["until"] = values["until"] or values["finished_on"]
            values["finished_on"] = None
    if package.rows.get("plantings") and not has_finish:
        package.notes.append(
            "plantings.csv has no finished_on: what has weigh-ins is taken as finished on the day "
            "of the last."
        )


def _assumed(household: Household) -> str:
    """By which settings a package that brings none is read."""
    said = (
        f"a weight without a unit is read {household.get_default_unit_display()}",
        f"dates are typed {household.get_date_order_display()}",
        f"the day begins and ends in {household.time_zone}",
        (
            f"small ones {'count' if household.is_small_food else 'do not count'} as food unless a "
            "crop says otherwise"
        ),
    )
    return f"The package has no settings of a household; those here were taken: {'; '.join(said)}."


def _season(values: dict[str, Any]) -> int:
    if values["finished_on"]:
        return int(values["finished_on"].year)
    return season_by(values["planted_on"], crop_called(values["crop"] or ""))[0]


class _Writer(_Pictures):
    """Creates and updates rows by their ids, counting what was new, changed or as before."""

    def __init__(self, household: Household, stage: Stage, package: Package) -> None:
        super().__init__(package)
        self.target, self.stage = household, stage
        #: What is there already is looked up here; a new household has nothing yet.
        self.household = household if household.pk else stage.home
        self.new: dict[str, int] = defaultdict(int)
        self.changed: dict[str, int] = defaultdict(int)
        self.same: dict[str, int] = defaultdict(int)
        self.by_ref: dict[str, dict[str, Any]] = defaultdict(dict)
        self.problems: list[PackageFault] = []
        self.crops = {c.name.lower(): c for c in Crop.objects.of(self.household)}
        varieties = Variety.objects.of(self.household).select_related("crop")
        self.varieties = {(v.crop_id, v.name.lower()): v for v in varieties}
        self.lots: dict[tuple[int, int | None, str], SeedLot] = {}

    def write(self, table: Table, rows: list[Row]) -> None:
        """Write the rows of a table: one bulk write,
        as a site must exist before its places refer to it.
        """
        if table.model is Household:
            return self._write_household(table, rows)
        model: Any = table.model
        records = list(model.objects.filter(household__in=[self.household, self.stage.home]))
        known: dict[str, Any] = {record.ref: record for record in records}
        twin = table.twin or (lambda record: (id(record),))
        twins = {twin(record): record for record in records if record.struck_at is None}
        self.by_ref[table.name] = known
        made: list[Any] = []
        lines: dict[Any, int] = {}  # of what is new here, by what may stand once only
        for row in rows:
            fields = self._fields(table, row.values)
            ref = row.values["id"]
            same = twin(model(household=self.household, **fields))
            found = known.get(ref) or twins.get(same)
            if found is None:
                known[ref] = model(household=self.stage.home, ref=ref, **fields)
                once = (
                    same,
                    row.values.get("name"),
                )  # “kale” and “Kale” may both be there, from before
                if table.twin and lines.setdefault(once, row.line) != row.line:
                    self._said_twice(table, row, lines[once])
                    continue
                made.append(known[ref])
            else:
                known[ref] = found
                self._update(table, found, fields)
        self.stage.make(model, made)
        self.new[table.name] += len(made)
        if table.name == "plantings":
            self._write_methods(rows)
        elif table.name == "weigh_ins":
            self._write_photos(rows)
        return None

    def _said_twice(self, table: Table, row: Row, before: int) -> None:
        column = next(
            c.name for c in table.columns if c.name != "id" and row.values[c.name] is not None
        )
        reason = f"says what line {before} says under another id; one of them is too many"
        self.problems.append(
            PackageFault(f"{table.name}.csv", row.line, column, str(row.values[column]), reason)
        )

    def tie(self, table: Table, rows: list[Row]) -> None:
        """Set the foreign keys to what is written later."""
        targets = dict(keys_of(table))
        for column in table.late:
            tied = []
            for row in rows:
                record, ref = self.by_ref[table.name][row.values["id"]], row.values[column]
                target = self.by_ref[targets[column]][ref] if ref else None
                if getattr(record, f"{column}_id") == (target and target.pk):
                    continue
                if self.stage.is_new(record):
                    tied.append(record)
                else:
                    self.stage.change_later(record)
                setattr(record, column, target)
            self.stage.tie(tied, column)

    def _fields(self, table: Table, values: dict[str, Any]) -> dict[str, Any]:
        fields: dict[str, Any] = {}
        for column in table.plain:
            value = values[column.name]
            value = column.empty if value is None else value
            fields[column.kept_as] = column.kept(value) if column.kept else value
        for name, model in table.keys:
            if name not in table.late:
                fields[name] = self.record(NAME_OF[model], values[name])
        for told in table.told:
            fields |= told.fields(values, self)
        return fields

    def _update(self, table: Table, record: Any, fields: dict[str, Any]) -> None:
        wanted = fields | {"struck_at": None}
        for name in table.kept_where_same:
            if not wanted[name]:
                wanted.pop(name)
        if all(_alike(getattr(record, name), value) for name, value in wanted.items()):
            self.same[table.name] += 1
            return
        if not self.stage.is_new(record):
            self.stage.change_later(record)
        for name, value in wanted.items():
            setattr(record, name, value)
        if self.stage.is_new(record):
            self.stage.save(record)
        self.changed[table.name] += 1

    def _write_household(self, table: Table, rows: list[Row]) -> None:
        """The household's own settings, as the package has them."""
        for row in rows[:1]:
            fields = {column.kept_as: row.values[column.name] for column in table.plain}
            fields = {
                column.kept_as: column.empty
                if fields[column.kept_as] is None
                else fields[column.kept_as]
                for column in table.plain
            }
            if all(getattr(self.target, name) == value for name, value in fields.items()):
                self.same[table.name] += 1
                continue
            if self.target.pk is not None:
                self.stage.change_later(self.target)
            for name, value in fields.items():
                setattr(self.target, name, value)
            self.changed[table.name] += 1

    def record(self, table: str, ref: str | None) -> Any:
        """A record of another table by its id; None where none is named, or it is not there yet."""
        return self.by_ref[table].get(ref) if ref else None

    def site(self) -> Site:
        return self._default_site

    @cached_property
    def _default_site(self) -> Site:
        found = Site.objects.of(self.household).filter(name=DEFAULT_SITE).first()
        if found is None:
            self.stage.save(found := Site(household=self.stage.home, name=DEFAULT_SITE))
        return found

    def plan(self, ref: str | None) -> Plan:
        return self.record("plans", ref) or self._default_plan

    @cached_property
    def _default_plan(self) -> Plan:
        season = season_to_plan(clock.today(self.target))
        found = plan_for(self.household, season)
        if found is None:
            self.stage.save(found := Plan(household=self.stage.home, season=season, is_chosen=True))
        return found

    def crop(self, name: str) -> Crop:
        if name.lower() not in self.crops:
            known = find_crop(self.household, name)
            self.crops[name.lower()] = known or crop_named(self.stage, self.stage.home, name)
        return self.crops[name.lower()]

    def variety(self, crop: Crop, name: str | None) -> Variety | None:
        if not name:
            return None
        key = (crop.pk, name.lower())
        if key not in self.varieties:
            made = variety_named(self.stage, crop, name, self.stage.home)
            assert made is not None
            self.varieties[key] = made
        return self.varieties[key]

    def lot(self, crop: Crop, variety: Variety | None, name: str | None) -> SeedLot | None:
        """A lot by its id, else by its name; packages once held names only."""
        if not name:
            return None
        if (lot := self.by_ref.get("lots", {}).get(name)) is not None:
            return lot
        key = (crop.pk, variety.pk if variety else None, name.lower())
        if key not in self.lots:
            made = lot_named(self.stage, crop, variety, name, self.stage.home)
            assert made is not None
            self.lots[key] = made
        return self.lots[key]

    def _write_methods(self, rows: list[Row]) -> None:
        plantings = self.by_ref["plantings"]
        present: dict[int, dict[str, str]] = defaultdict(dict)
        tags = MethodTag.objects.filter(planting__household=self.household)
        for planting_id, name, value in tags.values_list("planting_id", "name", "value"):
            present[planting_id][name] = value
        wanted = {plantings[row.values["id"]].pk: row.values["methods"] or {} for row in rows}
        stale = [pk for pk, methods in wanted.items() if pk in present and present[pk] != methods]
        self.stage.delete(MethodTag.objects.filter(planting__in=stale))
        new = {record.pk for record in plantings.values() if self.stage.is_new(record)}
        made = [
            MethodTag(planting_id=pk, name=name, value=value)
            for pk, methods in wanted.items()
            if present.get(pk, {}) != methods
            for name, value in methods.items()
        ]
        self.stage.make(MethodTag, [tag for tag in made if tag.planting_id in new])
        self.stage.make_later(MethodTag, [tag for tag in made if tag.planting_id not in new])

    def _write_photos(self, rows: list[Row]) -> None:
        """Which photographs belong to which lines."""
        lines, photos = self.by_ref["weigh_ins"], self.by_ref["photos"]
        through = WeighIn.photos.through
        known = set(
            through.objects.filter(weighin__household=self.household).values_list(
                "weighin_id", "photo_id"
            )
        )
        wanted = {
            (lines[row.values["id"]].pk, photos[ref].pk)
            for row in rows
            for ref in row.values["photos"] or ()
            if ref in photos
        }
        new = {record.pk for record in lines.values() if self.stage.is_new(record)}
        made = [through(weighin_id=line, photo_id=photo) for line, photo in sorted(wanted - known)]
        self.stage.make(through, [one for one in made if one.weighin_id in new])
        self.stage.make_later(through, [one for one in made if one.weighin_id not in new])


def _alike(one: Any, other: Any) -> bool:
    return (
        bool(one == other)
        if not isinstance(other, Owned)
        else one is not None and one.pk == other.pk
    )
