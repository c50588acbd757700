"""Every check of the format over cells that are empty, wrong or not there: named by line,
never an error of ours.
"""

from __future__ import annotations

import csv
import io
from itertools import combinations
from pathlib import Path

import pytest

from kilter.exchange.formats import TABLES
from kilter.exchange.reading import Package, _read_table
from kilter.tables.table import Table

DEMO = Path(__file__).resolve().parents[2] / "demo" / "ropewalk-yard"
#: Cells that no column takes as they are, or that only some do.
ODD = ("?", "-1", "0", "1e999", "2026-02-30", "2026-01-01", "5 kg", "\ud800")


def good_row(table: Table) -> dict[str, str]:
    """A row of the demo with as many cells filled as there are."""
    with (DEMO / f"{table.name}.csv").open(newline="") as stream:
        rows = list(csv.DictReader(stream))
    return max(rows, key=lambda row: sum(map(bool, row.values()))) if rows else {"id": "x1"}


def read(table: Table, head: list[str], rows: list[dict[str, str]]) -> Package:
    stream = io.StringIO(newline="")
    csv.writer(stream).writerows([head, *([row[name] for name in head] for row in rows)])
    package = Package(version=4)
    _read_table(table, stream.getvalue().encode("utf-8", "replace"), ",", package, lambda *_: None)
    assert len(package.rows[table.name]) == len(
        [row for row in rows if any(row[name].strip() for name in head)]
    )
    assert all(problem.line >= 1 and problem.reason for problem in package.problems)
    return package


@pytest.mark.parametrize("table", TABLES, ids=lambda table: table.name)
def test_a_row_with_any_two_cells_empty_or_one_of_them_odd_is_read_or_named(table):
    good = dict.fromkeys(table.column_names, "") | good_row(table)
    names = list(table.column_names)
    emptied = [good | {one: "", two: ""} for one, two in combinations(names, 2)]
    odd = [good | {name: cell} for name in names for cell in ODD]
    # What is wrong in one cell is not known to the check, which must do with the other.
    half = [good | {one: "?", two: ""} for one in names for two in names if one != two]
    read(table, names, [good, *(good | {name: ""} for name in names), *emptied, *odd, *half])


@pytest.mark.parametrize("table", TABLES, ids=lambda table: table.name)
def test_a_file_without_any_of_its_columns_is_read_or_named(table):
    good = dict.fromkeys(table.column_names, "") | good_row(table)
    for left_out in table.column_names:
        read(table, [name for name in table.column_names if name != left_out], [good])
    read(table, ["id"], [good | {"id": "x1"}])


def test_a_planned_planting_without_its_half_months_names_both():
    table = next(one for one in TABLES if one.name == "planned_plantings")
    package = read(
        table, list(table.column_names), [dict.fromkeys(table.column_names, "") | {"id": "x1"}]
    )
    assert {(p.line, p.column, p.reason) for p in package.problems} >= {
        (2, "start", "must not be empty"),
        (2, "end", "must not be empty"),
    }
