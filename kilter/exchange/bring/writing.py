"""What was read of a table, as a package of the open format: written by the way that checks it,
as one change.
"""

from __future__ import annotations

import csv
import io
import secrets
import tempfile
import zipfile
from collections import defaultdict
from collections.abc import Mapping
from datetime import date
from pathlib import Path
from typing import Any

from kilter.core.amounts.vague import VagueDate
from kilter.core.trade.places import place_kind
from kilter.core.trade.units import UNIT_KINDS
from kilter.exchange.bring.finishing import named_and_numbered
from kilter.exchange.bring.known import KnownPlanting, Spot
from kilter.exchange.bring.names import TO_MAKE
from kilter.exchange.bring.reading import Reading
from kilter.exchange.bring.rows import ReadRow
from kilter.exchange.bring.storing import kind_of_store
from kilter.people.models import Household
from kilter.tables.cells import grams, guarded
from kilter.weigh_in.models import WeighIn

Cells = dict[str, Any]


def package_of(reading: Reading, household: Household, today: date) -> Path:
    """The rows that are ready as a package; the file is for whoever loads it to remove."""
    tables = _Tables(today)
    write = {
        "lines": tables.line,
        "plantings": tables.planting,
        "places": tables.place,
        "prices": tables.price,
        "store": tables.stored,
    }[reading.kind.key]
    if reading.kind.key == "store":
        tables.know_lines(household, reading.ready)
    for row in reading.ready:
        write(row)
    tables.end_seasons()
    with tempfile.NamedTemporaryFile(prefix="kilter-", suffix=".zip", delete=False) as kept:
        kept.write(_zipped(tables.rows))
    return Path(kept.name)


class _Tables:
    """Collects rows of the open format; what several rows need is made once."""

    def __init__(self, today: date) -> None:
        self.today = today
        self.key = secrets.token_hex(6)
        self.rows: dict[str, list[Cells]] = defaultdict(list)
        self.made: dict[str, Cells] = {}
        self.line_refs: dict[int, str] = {}

    def know_lines(self, household: Household, rows: list[ReadRow]) -> None:
        """The ids of the lines that are put by."""
        lines = {one.line for row in rows for one in row.said["portions"]}
        pairs = WeighIn.objects.of(household).filter(pk__in=lines).values_list("pk", "ref")
        self.line_refs |= dict(pairs)

    def _add(self, table: str, **cells: Any) -> str:
        ref = f"table-{self.key}-{table[:5]}-{len(self.rows[table]) + 1}"
        self.rows[table].append({"id": ref, **cells})
        return ref

    def _once(self, key: str, table: str, **cells: Any) -> str:
        if key not in self.made:
            self._add(table, **cells)
            self.made[key] = self.rows[table][-1]
        return str(self.made[key]["id"])

    def _spot(self, row: ReadRow) -> dict[str, str]:
        spot: Spot = row.said["place"]
        if not spot.place.startswith(TO_MAKE):
            return {"place": spot.place, "part": spot.part}
        name, number = named_and_numbered(spot.label)
        kind = row.said.get("place_kind") or place_kind(spot.label).word or "bed"
        ref = self._once(spot.place, "places", kind=kind, name=name, number=number)
        return {"place": ref, "part": ""}

    def line(self, row: ReadRow) -> None:
        said = row.said
        of, when = said["planting"], said["day"]
        mass = said.get("mass")
        self._add(
            "weigh_ins",
            planting=of.ref if isinstance(of, KnownPlanting) else self._planting_of(row, of),
            **_day(when, "weighed_on", "precision"),
            grade=said["grade"],
            size=said.get("size", ""),
            count=said.get("count"),
            mass=grams(mass.mass_mg) if mass else "",
            plants=said.get("plants") or "",
            note=said.get("note", ""),
        )

    def _planting_of(self, row: ReadRow, key: str) -> str:
        """A planting that lines tell of: what it is and where, no day."""
        said, day = row.said, row.said["day"].day
        ref = self._once(
            key,
            "plantings",
            **self._spot(row),
            crop=said["crop"],
            variety=said.get("variety", ""),
            season=said.get("season") or day.year,
            planted_on="",
            finished_on="",
        )
        cells = self.made[key]
        cells["last"] = max(cells.get("last", day), day)
        return ref

    def end_seasons(self) -> None:
        """What only lines tell of is finished with the last of them, where its season is over."""
        for cells in self.rows.get("plantings", ()):
            last = cells.pop("last", None)
            if last is not None and int(cells["season"]) < self.today.year:
                cells["finished_on"] = last.isoformat()

    def planting(self, row: ReadRow) -> None:
        said = row.said
        end: VagueDate | None = said.get("finished")
        self._add(
            "plantings",
            **self._spot(row),
            crop=said["crop"],
            variety=said.get("variety", ""),
            season=said["season"],
            **_day(said.get("day"), "planted_on", "planted_precision"),
            units=said.get("units") or "",
            unit_kind=_unit_kind(said.get("unit_kind", "")),
            finished_on=end.day.isoformat() if end else "",
            lot=said.get("lot", "")[:80],
            notes=said.get("note", ""),
            in_row_m=said.get("in_row", ""),
            row_gap_m=said.get("row_gap", ""),
        )

    def place(self, row: ReadRow) -> None:
        said = row.said
        name, number = named_and_numbered(said["place"])
        site = said.get("site")
        if site and site[0].startswith(TO_MAKE):
            site = (self._once(site[0], "sites", name=site[1][:80]), "")
        sizes = ("length_m", "width_m", "diameter_m", "depth_m", "volume_l")
        self._add(
            "places",
            site=site[0] if site else "",
            kind=said["kind"],
            name=name,
            number=number,
            **{size: said.get(size, "") for size in sizes},
            notes=said.get("note", ""),
        )

    def price(self, row: ReadRow) -> None:
        said = row.said
        self._add(
            "prices",
            crop=said["crop"],
            price=f"{said['price_minor'] // 100}.{said['price_minor'] % 100:02}",
            per=said["per"],
            from_day=said["day"].day.isoformat(),
        )

    def stored(self, row: ReadRow) -> None:
        said = row.said
        store, name = said["store"]
        if store.startswith(TO_MAKE):
            store = self._once(store, "stores", name=name[:60], kind=kind_of_store(name))
        day = _day(said["day"], "day", "precision")
        crate = self._add(
            "crates",
            **day,
            store=store,
            crop=said["crop"],
            variety=said.get("variety", ""),
            season=said["season"],
            state="fresh",
            note=said.get("note", ""),
        )
        for portion in said["portions"]:
            whole = portion.mass_mg >= portion.of_mg
            self._add(
                "put_by",
                **day,
                line=self.line_refs[portion.line],
                crate=crate,
                share_part=1 if whole else portion.mass_mg,
                share_whole=1 if whole else portion.of_mg,
            )


def _day(when: VagueDate | None, day: str, precision: str) -> dict[str, str]:
    if when is None:
        return {day: "", precision: ""}
    return {day: when.day.isoformat(), precision: "" if when.is_exact else when.precision}


def _unit_kind(said: str) -> str:
    """A kind of unit by its word, one or many."""
    word = " ".join(said.casefold().split())
    for key, kind in UNIT_KINDS.items():
        if word in (key, kind.plural or f"{key}s"):
            return key
    return word[:40]


def _zipped(tables: Mapping[str, list[Cells]]) -> bytes:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, rows in tables.items():
            out = io.StringIO()
            heads = list(rows[0])
            writer = csv.writer(out)
            writer.writerow(heads)
            writer.writerows([_cell(row.get(head)) for head in heads] for row in rows)
            archive.writestr(f"{name}.csv", out.getvalue())
    return packed.getvalue()


def _cell(value: Any) -> str:
    return "" if value is None else guarded(value) if isinstance(value, str) else str(value)
