"""Writes of a table on its way in: keeping it, how it is read, and the end of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any, Final

from kilter.core.errors import KilterError
from kilter.core.sheets.guess import is_head
from kilter.core.sheets.kinds import head_words
from kilter.core.sheets.layout import laid_out
from kilter.exchange.bring.reading import Manner
from kilter.exchange.models import BroughtTable
from kilter.people.history import Actor
from kilter.people.writing import writing
from kilter.tables.brought import Rows

#: Tables kept on their way in, of a household; the oldest go first.
KEPT_AT_MOST: Final = 5
#: Ways of reading kept under their heads.
MANNERS_AT_MOST: Final = 200


def keep(actor: Actor, name: str, sheets: dict[str, Rows], kind: str) -> BroughtTable:
    """Keep a table until it is written; it begins as the last one with such heads was read."""
    heads = _heads(sheets)
    mine = BroughtTable.objects.filter(household=actor.household)
    before = mine.filter(heads=heads, packed=None).first() if heads else None
    manner = dict(before.manner) if before else {}
    if kind and manner.get("kind") != kind:
        manner = {"kind": kind}
    table = BroughtTable(
        household=actor.household, by=actor.user, name=name[:120], heads=heads, manner=manner
    )
    table.sheets = sheets
    with writing():
        table.save()
        for stale in (
            mine.exclude(packed=None)[KEPT_AT_MOST:],
            mine.filter(packed=None)[MANNERS_AT_MOST:],
        ):
            mine.filter(pk__in=[one.pk for one in stale.only("pk")]).delete()
    return table


def read_so(table: BroughtTable, manner: Manner) -> None:
    """Keep how a table is to be read."""
    table.manner = _plain(manner)
    with writing():
        table.save(update_fields=["manner", "at"])


def written(table: BroughtTable, manner: Manner) -> None:
    """Its rows go; how it was read stays, but for what was answered of its own rows."""
    table.manner = {**_plain(manner), "answers": {}}
    table.packed = None
    with writing():
        BroughtTable.objects.filter(
            household=table.household, heads=table.heads, packed=None
        ).delete()
        table.save()


def drop(table: BroughtTable) -> None:
    """Forget a table that is not to be written."""
    with writing():
        table.delete()


def manner_of(table: BroughtTable) -> Manner:
    """How a table is to be read; what is not understood any more is guessed."""
    said: Mapping[str, Any] = table.manner
    columns = said.get("columns")
    return Manner(
        **{
            key: str(said.get(key) or "")
            for key in ("sheet", "kind", "order", "decimal", "unit", "shape")
        },
        columns=tuple(map(str, columns)) if isinstance(columns, list) else None,
        carries=bool(said.get("carries")),
        answers=dict(said.get("answers") or {}),
    )


def _plain(manner: Manner) -> dict[str, Any]:
    return asdict(manner)


def _heads(sheets: dict[str, Rows]) -> str:
    """The heads of the first sheet as one text; empty where it has none."""
    try:
        heads = laid_out(next(iter(sheets.values())), is_head).heads
    except KilterError:
        return ""
    return "|".join(map(head_words, heads))[:2000] if any(heads) else ""
