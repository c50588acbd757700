"""From a folder or zip to checked rows; everything wrong is named with file,
line, column and value.
"""

from __future__ import annotations

import csv
import io
import json
import zipfile
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath
from typing import Any, Final

from kilter.core.amounts.texts import is_text
from kilter.core.errors import KilterError
from kilter.exchange.formats import TABLES, VERSION, VERSION_KEY
from kilter.exchange.older import brought_up, cells_brought_up, renamed
from kilter.tables.cells import CellError, unguarded
from kilter.tables.table import Table
from kilter.tending.format import FOLDER

MAX_FILE_BYTES: Final = 50 * 1024 * 1024
#: Of everything in a package, unpacked: a small zip may hold very much.
MAX_BYTES: Final = 200 * 1024 * 1024
#: Of all its tables together.
MAX_ROWS: Final = 200_000
DESCRIPTOR: Final = "datapackage.json"
MAX_PROBLEMS: Final = 200
PROGRESS_EVERY: Final = 200


class PackageError(KilterError):
    """A package that cannot be opened at all."""


@dataclass(frozen=True)
class PackageFault:
    """One thing wrong with a package."""

    file: str
    line: int
    column: str
    value: str
    reason: str

    def __str__(self) -> str:
        return f"{self.file}, line {self.line}, {self.column}: “{self.value[:80]}” {self.reason}"


@dataclass(frozen=True)
class Row:
    """One checked row and where it stood."""

    line: int
    values: dict[str, Any]  #: None where a cell was empty


@dataclass(kw_only=True)
class Package:
    """Everything read so far, and everything wrong with it."""

    rows: dict[str, list[Row]] = field(default_factory=dict)
    columns: dict[str, frozenset[str]] = field(default_factory=dict)  #: of each file that was there
    problems: list[PackageFault] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    more_problems: int = 0
    row_count: int = 0  #: of all tables together
    version: int = (
        1  #: of the format; bare tables may be of any, so that they are brought up from the first
    )
    is_guarded: bool = True  #: its texts are written so that no spreadsheet runs them
    pictures: dict[str, bytes] = field(default_factory=dict)  #: by their name in the package
    size: int = 0  #: in bytes, unpacked

    def add(self, problem: PackageFault) -> None:
        if len(self.problems) < MAX_PROBLEMS:
            self.problems.append(problem)
        else:
            self.more_problems += 1


Report = Callable[[str, int], None]  #: what is being read, and how many rows so far


def say_nothing(_stage: str, _rows: int) -> None:
    """A report that nobody listens to."""


def read_package(source: Path, report: Report = say_nothing) -> Package:
    """Read a package: a zip, a folder, or a bare folder of the CSV files."""
    package = Package()
    files = _files(source)
    package.size = sum(map(len, files.values()))
    package.pictures = {name: raw for name, raw in files.items() if name.startswith(FOLDER)}
    delimiters = _described(files, package)
    renamed(files, delimiters)
    for table in TABLES:
        if (raw := files.get(f"{table.name}.csv")) is not None:
            _read_table(table, raw, delimiters.get(table.name, ","), package, report)
    if not package.columns:
        raise PackageError(
            f"No table was found; a package holds {', '.join(f'{t.name}.csv' for t in TABLES)} or "
            "some of them."
        )
    _check_ids(package)
    return package


def _files(source: Path) -> dict[str, bytes]:
    """Every table and picture of a package by its name;
    whatever else lies there is not looked at.
    """
    if source.is_dir():
        found = {
            _name_of(str(path.relative_to(source))): path
            for path in source.glob("*")
            if path.is_file()
        }
        found |= {
            _name_of(f"{FOLDER}{path.name}"): path
            for path in source.glob(f"{FOLDER}*")
            if path.is_file()
        }
        for name, path in found.items():
            if name and path.stat().st_size > MAX_FILE_BYTES:
                raise PackageError(f"{name} is larger than {MAX_FILE_BYTES // 2**20} MB.")
        return {name: path.read_bytes() for name, path in found.items() if name}
    if not source.is_file():
        raise PackageError(f"“{source}” is neither a folder nor a zip file.")
    try:
        with zipfile.ZipFile(source) as archive:
            return _from_zip(archive)
    except (
        zipfile.BadZipFile,
        zlib.error,
        RuntimeError,
        NotImplementedError,
        OSError,
        EOFError,
    ) as error:
        raise PackageError(f"“{source.name}” cannot be opened as a zip file: {error}.") from error


def _from_zip(archive: zipfile.ZipFile) -> dict[str, bytes]:
    """The tables that are named and the pictures; nothing else is unpacked,
    and no more than is allowed.
    """
    listed = {
        name: info
        for info in archive.infolist()
        if not info.is_dir() and (name := _name_of(info.filename))
    }
    files: dict[str, bytes] = {}
    if DESCRIPTOR in listed:
        files[DESCRIPTOR] = _unzipped(archive, listed[DESCRIPTOR])
    wanted = {f"{table.name}.csv" for table in TABLES} | {
        path for path, _ in _resources(files).values()
    }
    total = 0
    for name, info in listed.items():
        if name in wanted or name.startswith(FOLDER):
            files[name] = _unzipped(archive, info)
            total += len(files[name])
            if total > MAX_BYTES:
                raise PackageError(f"Unpacked, the package is larger than {MAX_BYTES // 2**20} MB.")
    return files


def _resources(files: dict[str, bytes]) -> dict[str, tuple[str, Any]]:
    """What the descriptor says of each table: its file and its delimiter;
    nothing where it says nothing.
    """
    raw = files.get(DESCRIPTOR)
    if raw is None:
        return {}
    try:
        said = json.loads(raw.decode("utf-8-sig"))
        if not is_text(said):
            raise ValueError("it holds half of a character")
        resources = said.get("resources", [])
        return {
            str(r["name"]): (
                PurePosixPath(str(r["path"])).name,
                (r.get("dialect") or {}).get("delimiter", ","),
            )
            for r in resources
        }
    except (
        UnicodeDecodeError,
        ValueError,
        AttributeError,
        KeyError,
        TypeError,
        RecursionError,
    ) as error:
        raise PackageError(f"{DESCRIPTOR} cannot be read: {error}.") from error


def _name_of(path: str) -> str:
    """What a file is called within a package, whatever folder it was packed in;
    empty for what is none of it.
    """
    found = PurePosixPath(path)
    if found.suffix in {".csv", ".json"}:
        return found.name
    return (
        f"{FOLDER}{found.name}"
        if found.suffix == ".jpg" and found.parent.name == FOLDER.rstrip("/")
        else ""
    )


def _unzipped(archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> bytes:
    """Read no more than allowed, whatever the archive claims of its sizes."""
    with archive.open(info) as stream:
        raw = stream.read(MAX_FILE_BYTES + 1)
    if len(raw) > MAX_FILE_BYTES:
        raise PackageError(f"{info.filename} is larger than {MAX_FILE_BYTES // 2**20} MB.")
    return raw


def _described(files: dict[str, bytes], package: Package) -> dict[str, str]:
    """Follow ``datapackage.json``, if there is one: other file names, and other delimiters."""
    if (raw := files.get(DESCRIPTOR)) is None:
        return {}
    named = _resources(files)
    try:
        package.version = int(json.loads(raw.decode("utf-8-sig")).get(VERSION_KEY, 1))
    except (ValueError, TypeError, OverflowError) as error:
        raise PackageError(f"{DESCRIPTOR} cannot be read: {error}.") from error
    package.is_guarded = package.version > 1
    if not 1 <= package.version <= VERSION:
        raise PackageError(
            f"This package is of version {package.version} of the format, and this Kilter reads up "
            f"to {VERSION}; load it with a newer one."
        )
    delimiters = {}
    for table in TABLES:
        if table.name in named:
            path, delimiter = named[table.name]
            if path not in files:
                raise PackageError(f"datapackage.json names {path}, which is not in the package.")
            if not isinstance(delimiter, str) or len(delimiter) != 1 or delimiter in '"\r\n':
                raise PackageError(f"The delimiter of {path} must be one character.")
            files[f"{table.name}.csv"], delimiters[table.name] = files[path], delimiter
    known = {table.name for table in TABLES}
    package.notes += [
        f"{name} is not a table of Kilter's; it was left out."
        for name in named
        if name not in known
    ]
    return delimiters


def _read_table(table: Table, raw: bytes, delimiter: str, package: Package, report: Report) -> None:
    file = f"{table.name}.csv"
    package.rows[table.name] = []
    package.columns[table.name] = frozenset()
    try:
        lines = csv.reader(
            io.StringIO(raw.decode("utf-8-sig"), newline=""), delimiter=delimiter, strict=True
        )
        head = brought_up(package.version, table.name, [name.strip() for name in next(lines, [])])
        _check_head(table, head, package)
        package.columns[table.name] = frozenset(head)
        for line, cells in _numbered(lines):
            _read_row(table, head, line, cells, package)
            if package.row_count > MAX_ROWS:
                raise PackageError(
                    f"The package holds more than {MAX_ROWS:,} rows; load it in parts."
                )
            if len(package.rows[table.name]) % PROGRESS_EVERY == 0:
                report(table.name, len(package.rows[table.name]))
    except UnicodeDecodeError as error:
        line = raw[: error.start].count(b"\n") + 1
        package.add(PackageFault(file, line, "", "", "is not UTF-8 text; save it as CSV UTF-8"))
    except csv.Error as error:
        package.add(PackageFault(file, lines.line_num, "", "", f"is not CSV: {error}"))
    report(table.name, len(package.rows[table.name]))


def _numbered(lines: Any) -> Iterator[tuple[int, list[str]]]:
    """Rows with the line each starts on; a quoted cell may span several."""
    start = lines.line_num + 1
    for cells in lines:
        if any(cell.strip() for cell in cells):
            yield start, cells
        start = lines.line_num + 1


def _check_head(table: Table, head: list[str], package: Package) -> None:
    file = f"{table.name}.csv"
    for column in table.columns:
        if column.is_required and column.name not in head:
            package.add(PackageFault(file, 1, column.name, "", "is a column that must be there"))
    for name in sorted({name for name in head if head.count(name) > 1}):
        package.add(PackageFault(file, 1, name, name, "stands twice in the first line"))
    unknown = [name for name in head if name not in table.column_names]
    if unknown:
        package.notes.append(f"{file}: {', '.join(unknown)} not known here and left out.")


def _read_row(table: Table, head: list[str], line: int, cells: list[str], package: Package) -> None:
    file = f"{table.name}.csv"
    if len(cells) > len(head):
        package.add(
            PackageFault(
                file, line, "", cells[len(head)], f"is one cell more than the {len(head)} columns"
            )
        )
        return
    given = dict(zip(head, (cell.strip() for cell in cells), strict=False))
    given = cells_brought_up(package.version, table.name, given)
    values: dict[str, Any] = {}
    for column in table.columns:
        cell = given.get(column.name, "")
        values[column.name] = None
        if cell:
            try:
                is_text = column.field_type == "string" and package.is_guarded
                values[column.name] = column.parse(unguarded(cell) if is_text else cell)
            except CellError as error:
                package.add(PackageFault(file, line, column.name, cell, str(error)))
        elif column.is_required and column.name in head:
            package.add(PackageFault(file, line, column.name, "", "must not be empty"))
    _check_row(table, line, values, given, package)
    package.rows[table.name].append(Row(line, values))
    package.row_count += 1


def _check_row(
    table: Table, line: int, values: dict[str, Any], given: dict[str, str], package: Package
) -> None:
    """What only several cells together can get wrong."""
    if table.one_of and sum(bool(given.get(name)) for name in table.one_of) != 1:
        reason = f"needs exactly one of {', '.join(table.one_of)}"
        package.add(PackageFault(f"{table.name}.csv", line, table.one_of[0], "", reason))
    for column, reason in table.check(values, given) if table.check else ():
        package.add(PackageFault(f"{table.name}.csv", line, column, given.get(column, ""), reason))


def _check_ids(package: Package) -> None:
    days: dict[tuple[str, Any], int] = {}
    for row in package.rows.get("weather", []):
        key = (row.values["site"], row.values["day"])
        if days.setdefault(key, row.line) != row.line:
            package.add(
                PackageFault(
                    "weather.csv",
                    row.line,
                    "day",
                    str(key[1]),
                    f"stands on line {days[key]} already",
                )
            )
    for table in TABLES:
        first: dict[str, int] = {}
        for row in package.rows.get(table.name, []):
            ref = row.values["id"]
            if ref is not None and first.setdefault(ref, row.line) != row.line:
                package.add(
                    PackageFault(
                        f"{table.name}.csv",
                        row.line,
                        "id",
                        ref,
                        f"stands on line {first[ref]} already",
                    )
                )
