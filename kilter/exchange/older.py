"""Packages of earlier versions brought up to this one, before their cells are read."""

from __future__ import annotations

from collections.abc import Callable

#: Of one table: the first line, and the cells of a row by their columns.
Head = list[str]
Cells = dict[str, str]
Converter = Callable[[str, Head], Head]


def _from_1(table: str, head: Head) -> Head:
    """Version 1 called a blinded trial hidden."""
    if table == "trials" and "blinded" not in head:
        return ["blinded" if name == "hidden" else name for name in head]
    return head


def _from_2(_: str, head: Head) -> Head:
    """Version 2 had no larder; all that it had is called the same."""
    return head


def _from_3(table: str, head: Head) -> Head:
    """Version 3 said of a planned crop only whether it was kept."""
    if table == "planned_crops" and "goal" not in head:
        return ["goal" if name == "kept" else name for name in head]
    return head


def _from_4(_: str, head: Head) -> Head:
    """Version 4 had no visits, sizes and hands; all that it had is called the same."""
    return head


#: What brings a package from a version to the next one.
CONVERTERS: dict[int, Converter] = {1: _from_1, 2: _from_2, 3: _from_3, 4: _from_4}


def brought_up(version: int, table: str, head: Head) -> Head:
    """The first line of a table as this version would write it."""
    for step in range(version, max(CONVERTERS) + 1):
        head = CONVERTERS[step](table, head)
    return head


def renamed(files: dict[str, bytes], delimiters: dict[str, str]) -> None:
    """Up to version 3 there was one plan, and its crops were called plans."""
    raw = files.get("plans.csv", b"")
    if b"servings_per_week" in raw.partition(b"\n")[0]:
        files["planned_crops.csv"] = files.pop("plans.csv")
        delimiters["planned_crops"] = delimiters.pop("plans", ",")


def cells_brought_up(version: int, table: str, cells: Cells) -> Cells:
    """The cells of a row as this version would write them."""
    if version <= 3 and table == "planned_crops" and cells.get("goal") in {"", "yes", "no"}:
        return cells | {"goal": "winter" if cells["goal"] == "yes" else "fresh"}
    return cells
