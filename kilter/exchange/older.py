"""Packages of earlier versions brought up to this one, before their cells are read."""

from __future__ import annotations

from collections.abc import Callable

#: Of one table: the first line, and the cells of every row.
Head = list[str]
Converter = Callable[[str, Head], Head]


def _from_1(table: str, head: Head) -> Head:
    """Version 1 called a blinded trial hidden."""
    if table == "trials" and "blinded" not in head:
        return ["blinded" if name == "hidden" else name for name in head]
    return head


def _from_2(_: str, head: Head) -> Head:
    """Version 2 had no larder; all that it had is called the same."""
    return head


#: What brings a package from a version to the next one.
CONVERTERS: dict[int, Converter] = {1: _from_1, 2: _from_2}


def brought_up(version: int, table: str, head: Head) -> Head:
    """The first line of a table as this version would write it."""
    for step in range(version, max(CONVERTERS) + 1):
        head = CONVERTERS[step](table, head)
    return head
