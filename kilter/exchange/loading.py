"""Writing a checked package into a household: all of it or none, and twice changes nothing."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date
from functools import cached_property
from pathlib import Path
from typing import Any

from kilter.exchange.reading import Package, Problem, Report, Row, read_package, say_nothing
from kilter.exchange.schema import TABLES
from kilter.ground.models import Place, Site
from kilter.people.models import Eater, Household, Owned
from kilter.people.writing import writing
from kilter.set_out.actions import crop_named, variety_named
from kilter.set_out.models import Crop, MethodTag, Planting, Variety
from kilter.weigh_in.models import WeighIn

MODELS: dict[str, type[Owned]] = {
    "sites": Site,
    "places": Place,
    "plantings": Planting,
    "weigh_ins": WeighIn,
    "eaters": Eater,
}
DEFAULT_SITE = "Garden"
AUTUMN = 9  # what is planted from September on is lifted the year after


@dataclass(frozen=True)
class Loaded:
    """What a load came to."""

    new: dict[str, int]
    changed: dict[str, int]
    same: dict[str, int]
    notes: tuple[str, ...]
    problems: tuple[Problem, ...] = ()
    more_problems: int = 0

    @property
    def is_done(self) -> bool:
        return not self.problems

    @property
    def counts(self) -> list[tuple[str, tuple[int, int, int]]]:
        """For each table what was new, changed and as before."""
        names = [table.name for table in TABLES]
        return [(name, (self.new.get(name, 0), self.changed.get(name, 0), self.same.get(name, 0))) for name in names]


def load(source: Path, household: Household, report: Report = say_nothing) -> Loaded:
    """Read, check and write a package; with any problem nothing is written, not even a new household."""
    package = read_package(source, report)
    existing = {
        name: set(model.objects.ever_of(household).values_list("ref", flat=True)) if household.pk else set()
        for name, model in MODELS.items()
    }
    _check_references(package, existing)
    if package.problems:
        return Loaded({}, {}, {}, tuple(package.notes), tuple(package.problems), package.more_problems)
    _fill_in(package)
    with writing():
        if household.pk is None:
            household.save()
        writer = _Writer(household)
        for table in TABLES:
            report(f"writing {table.name}", 0)
            writer.write(table.name, package.rows.get(table.name, []))
    return Loaded(dict(writer.new), dict(writer.changed), dict(writer.same), tuple(package.notes))


def _check_references(package: Package, existing: dict[str, set[str]]) -> None:
    for table in TABLES:
        for column, other in table.foreign_keys:
            known = {row.values["id"] for row in package.rows.get(other, [])} | existing[other]
            for row in package.rows.get(table.name, []):
                ref = row.values[column]
                if ref is not None and ref not in known:
                    package.add(
                        Problem(
                            f"{table.name}.csv", row.line, column, ref, f"is no id in {other}.csv or in the household"
                        )
                    )


def _fill_in(package: Package) -> None:
    """What an empty cell or a column left out stands for."""
    for row in package.rows.get("places", []):
        row.values["name"] = row.values["name"] or row.values["kind"]
    last_lift: dict[str, date] = {}
    for row in package.rows.get("weigh_ins", []):
        row.values["grade"] = row.values["grade"] or "table"
        ref, day = row.values["planting"], row.values["weighed_on"]
        last_lift[ref] = max(day, last_lift.get(ref, day))
    has_finish = "finished_on" in package.columns.get("plantings", frozenset())
    for row in package.rows.get("plantings", []):
        values = row.values
        if not has_finish:
            values["finished_on"] = last_lift.get(values["id"])
            if values["finished_on"] and values["planted_on"] and values["finished_on"] < values["planted_on"]:
                values["finished_on"] = None
        values["season"] = values["season"] or _season(values)
    if package.rows.get("plantings") and not has_finish:
        package.notes.append(
            "plantings.csv has no finished_on: what has weigh-ins is taken as finished on the day of the last."
        )


def _season(values: dict[str, Any]) -> int:
    if values["finished_on"]:
        return int(values["finished_on"].year)
    planted: date = values["planted_on"]
    return planted.year + (planted.month >= AUTUMN)


class _Writer:
    """Creates and updates rows by their ids, counting what was new, changed or as before."""

    def __init__(self, household: Household) -> None:
        self.household = household
        self.new: dict[str, int] = defaultdict(int)
        self.changed: dict[str, int] = defaultdict(int)
        self.same: dict[str, int] = defaultdict(int)
        self.by_ref: dict[str, dict[str, Any]] = {}
        self.crops = {c.name.lower(): c for c in Crop.objects.of(household)}
        varieties = Variety.objects.of(household).select_related("crop")
        self.varieties = {(v.crop_id, v.name.lower()): v for v in varieties}

    def write(self, table: str, rows: list[Row]) -> None:
        model = MODELS[table]
        known: dict[str, Any] = {record.ref: record for record in model.objects.ever_of(self.household)}
        self.by_ref[table] = known
        made: list[Any] = []
        for row in rows:
            fields = getattr(self, f"_{table}")(row.values)
            ref = row.values["id"]
            if ref not in known:
                known[ref] = model(household=self.household, ref=ref, **fields)
                made.append(known[ref])
            else:
                self._update(table, known[ref], fields)
        # A site must exist before its places refer to it, and so on down: one bulk write a table.
        model.objects.bulk_create(made, batch_size=500)
        self.new[table] += len(made)
        if table == "plantings":
            self._write_methods(rows)

    def _update(self, table: str, record: Any, fields: dict[str, Any]) -> None:
        wanted = fields | {"struck_at": None}
        if table == "weigh_ins" and not fields["typed"]:
            wanted.pop("typed")
        if all(_alike(getattr(record, name), value) for name, value in wanted.items()):
            self.same[table] += 1
            return
        for name, value in wanted.items():
            setattr(record, name, value)
        record.save()
        self.changed[table] += 1

    def _sites(self, v: dict[str, Any]) -> dict[str, Any]:
        return {
            "name": v["name"],
            "length_m": v["length_m"],
            "width_m": v["width_m"],
            "notes": v["notes"] or "",
        }

    def _places(self, v: dict[str, Any]) -> dict[str, Any]:
        sizes = {name: v[name] for name in ("number", "length_m", "width_m", "volume_l", "x_m", "y_m")}
        site = self.by_ref["sites"][v["site"]] if v["site"] else self._default_site
        texts = {"kind": v["kind"], "name": v["name"], "material": v["material"] or ""}
        return {"site": site, **texts, **sizes}

    def _plantings(self, v: dict[str, Any]) -> dict[str, Any]:
        crop = self._crop(v["crop"])
        return {
            "place": self.by_ref["places"][v["place"]],
            "crop": crop,
            "variety": self._variety(crop, v["variety"]) if v["variety"] else None,
            "lot": v["lot"] or "",
            "unit_kind": v["unit_kind"] or "plant",
            **{name: v[name] for name in ("season", "planted_on", "units", "in_row_m", "row_gap_m", "finished_on")},
        }

    def _weigh_ins(self, v: dict[str, Any]) -> dict[str, Any]:
        mass, tare = v["mass"], v["tare"]
        tare_mg = tare.mg if tare else 0
        return {
            "planting": self.by_ref["plantings"][v["planting"]],
            "weighed_on": v["weighed_on"],
            "grade": v["grade"],
            "count": v["count"],
            "mass_mg": mass.mg - tare_mg if mass else None,
            "tare_mg": tare_mg,
            "typed": mass.typed[:60] if mass else "",
            "note": v["note"] or "",
        }

    def _eaters(self, v: dict[str, Any]) -> dict[str, Any]:
        return {"name": v["name"], "appetite": 1.0 if v["appetite"] is None else v["appetite"]}

    @cached_property
    def _default_site(self) -> Site:
        found = Site.objects.of(self.household).filter(name=DEFAULT_SITE).first()
        return found or Site.objects.create(household=self.household, name=DEFAULT_SITE)

    def _crop(self, name: str) -> Crop:
        if name.lower() not in self.crops:
            self.crops[name.lower()] = crop_named(self.household, name)
        return self.crops[name.lower()]

    def _variety(self, crop: Crop, name: str) -> Variety | None:
        key = (crop.pk, name.lower())
        if key not in self.varieties:
            made = variety_named(crop, name)
            assert made is not None
            self.varieties[key] = made
        return self.varieties[key]

    def _write_methods(self, rows: list[Row]) -> None:
        plantings = self.by_ref["plantings"]
        present: dict[int, dict[str, str]] = defaultdict(dict)
        tags = MethodTag.objects.filter(planting__household=self.household)
        for planting_id, name, value in tags.values_list("planting_id", "name", "value"):
            present[planting_id][name] = value
        wanted = {plantings[row.values["id"]].pk: row.values["methods"] or {} for row in rows}
        stale = [pk for pk, methods in wanted.items() if pk in present and present[pk] != methods]
        MethodTag.objects.filter(planting__in=stale).delete()
        MethodTag.objects.bulk_create(
            [
                MethodTag(planting_id=pk, name=name, value=value)
                for pk, methods in wanted.items()
                if present.get(pk, {}) != methods
                for name, value in methods.items()
            ],
            batch_size=500,
        )


def _alike(one: Any, other: Any) -> bool:
    return bool(one == other) if not isinstance(other, Owned) else one is not None and one.pk == other.pk
