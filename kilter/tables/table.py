"""A table of the open format: its columns are read from a model,
and what differs is said beside it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from datetime import date
from decimal import Decimal
from typing import Any, Protocol

from django.core.exceptions import ValidationError
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q

from kilter.tables import cells
from kilter.tables.cells import CellError, Parse

MAX_REF = 64
MOST_WHOLE = 2**63 - 1
#: What every owned record has and no table tells of by a column of its own.
OWN = frozenset({"id", "ref", "household", "struck_at"})
Values = Mapping[str, Any]
Faults = Iterator[tuple[str, str]]  #: column and reason


@dataclass(frozen=True, kw_only=True)
class Column:
    """One column: how its cells are read, how the descriptor tells of it,
    and where its value is kept.
    """

    name: str
    parse: Parse
    field_type: str = "string"
    is_required: bool = False
    about: str = ""
    attr: str = ""  #: the record's attribute, where it is called otherwise
    empty: Any = None  #: what an empty cell stands for
    kept: Callable[[Any], Any] | None = None  #: from the cell's value to the attribute's
    shown: Callable[[Any], Any] | None = None  #: and back

    @property
    def kept_as(self) -> str:
        return self.attr or self.name


class Names(Protocol):
    """What a row being loaded may ask for by name or id."""

    household: Any

    def crop(self, name: str) -> Any:
        """A crop by its name; made if not known yet."""

    def variety(self, crop: Any, name: str | None) -> Any:
        """A variety of a crop by its name; made if not known yet."""

    def lot(self, crop: Any, variety: Any, name: str | None) -> Any:
        """A seed lot by its id or name; made if not known yet."""

    def site(self) -> Any:
        """The site of what names none."""

    def plan(self, ref: str | None) -> Any:
        """A plan by its id, else the one for the coming season; made if there is none yet."""

    def record(self, table: str, ref: str | None) -> Any:
        """A record of another table by its id; None where it is not there."""

    def file(self, name: str) -> bytes:
        """A file that came with the package."""


@dataclass(frozen=True)
class Told:
    """Columns that are told otherwise than by one field each."""

    columns: tuple[Column, ...]
    fields: Callable[
        [Values, Names], dict[str, Any]
    ]  #: from the cells of a row to the record's fields
    cells: Callable[[Any], dict[str, Any]]  #: from a record to the cells
    instead_of: tuple[str, ...] = ()  #: the model's fields that they stand for
    related: tuple[str, ...] = ()  #: what is read along with the records


@dataclass(frozen=True, kw_only=True)
class Table:
    """One CSV file."""

    name: str
    model: type[models.Model]
    columns: tuple[Column, ...]
    keys: tuple[
        tuple[str, type[models.Model]], ...
    ] = ()  #: columns that hold the id of a row of another table
    late: tuple[str, ...] = ()  #: of these, those to rows that are written after these
    one_of: tuple[str, ...] = ()  #: columns of which exactly one is filled
    goes_with: tuple[
        str, ...
    ] = ()  #: columns whose record, once it was taken out, takes the row with it
    told: tuple[Told, ...] = ()
    twin: Callable[[Any], tuple[Any, ...]] | None = (
        None  #: what may stand once only, besides the id
    )
    only: Q = field(default_factory=Q)  #: which of the records travel
    check: Callable[[Values, Mapping[str, str]], Faults] | None = (
        None  #: what only several cells can get wrong
    )
    kept_where_same: tuple[
        str, ...
    ] = ()  #: fields that a row which does not say them leaves as they are

    @property
    def column_names(self) -> tuple[str, ...]:
        return tuple(column.name for column in self.columns)

    @property
    def plain(self) -> tuple[Column, ...]:
        """Columns kept as they are: neither the id, nor a key, nor told otherwise."""
        passed = {
            "id",
            *(name for name, _ in self.keys),
            *(c.name for one in self.told for c in one.columns),
        }
        return tuple(column for column in self.columns if column.name not in passed)

    @property
    def related(self) -> tuple[str, ...]:
        return (
            *(name for name, _ in self.keys),
            *(name for one in self.told for name in one.related),
        )

    @classmethod
    def of(
        cls,
        model: type[models.Model],
        name: str,
        *,
        names: Mapping[str, str] | None = None,
        about: Mapping[str, str] | None = None,
        quiet: Iterable[str] = (),
        instead: Iterable[Column] = (),
        also: Iterable[str] = (),
        skip: Mapping[str, str] | None = None,
        told: tuple[Told, ...] = (),
        late: tuple[str, ...] = (),
        optional: Iterable[str] = (),
        **more: Any,
    ) -> Table:
        """Read a table from its model, and say only what differs.

        ``names`` gives columns another name than their field's; ``quiet`` are fields whose default
        is written as an empty cell; ``instead`` are columns told by hand in place of their field's;
        ``also`` are fields that no form shows and that travel all the same; ``skip`` are fields
        that do not travel, each with its reason; ``told`` are columns that stand for several
        fields; ``optional`` are columns that may be left out though the field may not.
        """
        by_hand = {column.kept_as: column for column in instead}
        passed, first = (
            OWN | set(skip or {}),
            {one.instead_of[0]: one for one in told if one.instead_of},
        )
        stood_for = {field for one in told for field in one.instead_of}
        columns, keys = [_ID], []
        for one in model._meta.concrete_fields:
            if one.name in first:
                columns += first[one.name].columns
            if one.name in passed | stood_for or not (one.editable or one.name in also):
                continue
            if one.name in by_hand:
                columns.append(by_hand[one.name])
                continue
            column = column_of(one, (names or {}).get(one.name, ""), is_quiet=one.name in quiet)
            said = (about or {}).get(one.name)
            column = replace(column, is_required=column.is_required and one.name not in optional)
            columns.append(replace(column, about=said) if said else column)
            if isinstance(one, models.ForeignKey):
                keys.append((column.name, one.related_model))
        columns += [column for one in told if not one.instead_of for column in one.columns]
        return cls(
            name=name,
            model=model,
            columns=tuple(columns),
            keys=tuple(keys),
            late=late,
            told=told,
            **more,
        )


_ID = Column(name="id", parse=cells.text(MAX_REF), is_required=True, about="Unique in its table.")


def column_of(field: models.Field[Any, Any], name: str = "", *, is_quiet: bool = False) -> Column:
    """A column as its field tells of it: name, type, range, choices,
    and what an empty cell stands for.
    """
    default = field.get_default() if field.has_default() else None
    found = _kind_of(field)
    is_required = (
        not field.null
        and default is None
        and not field.blank
        and not isinstance(field, models.BooleanField)
    )
    empty = default if default is not None else found.empty if not field.null else None
    shown = _unless(default, found.shown) if is_quiet else found.shown
    about = _about(
        field, empty if default is not None and not isinstance(field, models.BooleanField) else None
    )
    return replace(
        found,
        name=name or found.name,
        is_required=is_required,
        empty=empty,
        shown=shown,
        about=about,
    )


def _unless(default: Any, shown: Callable[[Any], Any] | None) -> Callable[[Any], Any]:
    return lambda value: None if value == default else shown(value) if shown else value


def _about(field: models.Field[Any, Any], empty: Any) -> str:
    """What the field's own words, choices and default say."""
    if isinstance(field, models.ForeignKey):
        return f"id of a {field.related_model._meta.verbose_name}."
    plain = field.name.replace("_", " ")
    words = "" if field.verbose_name == plain else f"{str(field.verbose_name).capitalize()}."
    choices = ", ".join(str(value) for value, _ in field.flatchoices)
    said = [words, f"One of: {choices}." if choices else "", str(field.help_text)]
    said.append(f"Empty for {cells.written(empty)}." if empty not in (None, "", [], {}) else "")
    return " ".join(filter(None, said))


def _kind_of(field: models.Field[Any, Any]) -> Column:
    """The column of a field by its type."""
    name = field.name
    if isinstance(field, models.ForeignKey):
        return Column(name=name, parse=cells.text(MAX_REF))
    if isinstance(field, models.BooleanField):
        flag = name.removeprefix("is_")
        shown = None if field.null else (lambda value: True if value else None)
        return Column(name=flag, parse=cells.yes_no, attr=name, empty=False, shown=shown)
    if name.endswith("_mg"):
        return Column(
            name=name.removesuffix("_mg"),
            parse=cells.mass,
            attr=name,
            kept=lambda m: m if isinstance(m, int) else m and m.mg,
            shown=cells.grams,
        )
    if name.endswith("_minor"):
        return _price(field)
    if field.flatchoices:
        return _choice(field)
    if isinstance(field, models.JSONField):
        return Column(
            name=name, parse=cells.listed(80), empty=[], shown=lambda value: value or None
        )
    return _plain(field)


def _plain(field: models.Field[Any, Any]) -> Column:
    """Dates, numbers and texts."""
    name = field.name
    if isinstance(field, models.DateField):
        first, last = _limits(field, date.min, date.max)
        return Column(name=name, parse=cells.day(first, last), field_type="date")
    if isinstance(field, models.IntegerField):
        return Column(
            name=name, parse=cells.whole(*_limits(field, 0, MOST_WHOLE)), field_type="integer"
        )
    if isinstance(field, models.DecimalField):
        return Column(
            name=name, parse=cells.decimal(*_limits(field, -1e15, 1e15)), field_type="number"
        )
    if isinstance(field, models.FloatField):
        return Column(
            name=name,
            parse=cells.number(*_limits(field, float("-inf"), float("inf"))),
            field_type="number",
        )
    return Column(name=name, parse=_checked(cells.text(field.max_length), field), empty="")


def _choice(field: models.Field[Any, Any]) -> Column:
    if isinstance(field, models.IntegerField):
        values = [int(value) for value, _ in field.flatchoices]
        return Column(
            name=field.name,
            parse=_among(cells.whole(min(values), max(values)), values),
            field_type="integer",
        )
    return Column(
        name=field.name,
        parse=cells.word(*(str(value) for value, _ in field.flatchoices if value)),
        empty="",
    )


def _among(parse: Parse, values: list[int]) -> Parse:
    def checked(cell: str) -> int:
        if (value := parse(cell)) not in values:
            raise CellError(f"is none of {', '.join(map(str, values))}")
        return int(value)

    return checked


def _price(field: models.Field[Any, Any]) -> Column:
    """Smallest coins, written with two decimals."""
    low, high = _limits(field, 0, MOST_WHOLE)
    return Column(
        name=field.name.removesuffix("_minor"),
        parse=cells.number(low / 100, high / 100),
        field_type="number",
        attr=field.name,
        kept=lambda v: None if v is None else round(v * 100),
        shown=lambda v: None if v is None else Decimal(v) / 100,
    )


def _limits(field: models.Field[Any, Any], low: Any, high: Any) -> tuple[Any, Any]:
    """The least and the most that the field's own validators allow;
    those of the database kind are wider.
    """
    for one in field._validators:  # type: ignore[attr-defined]
        limit = getattr(one, "limit_value", None)
        limit = limit() if callable(limit) else limit
        if isinstance(one, MinValueValidator):
            low = max(low, limit)
        elif isinstance(one, MaxValueValidator):
            high = min(high, limit)
    return low, high


def _checked(parse: Parse, field: models.Field[Any, Any]) -> Parse:
    """A text that the field's validators are asked about too."""
    own = [one for one in field._validators if not hasattr(one, "limit_value")]  # type: ignore[attr-defined]

    def checked(cell: str) -> Any:
        value = parse(cell)
        for validate in own:
            try:
                validate(value)
            except ValidationError as error:
                raise CellError(f"cannot be used: {' '.join(error.messages)}") from error
        return value

    return checked if own else parse
