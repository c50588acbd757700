"""What a line of the bench says: one definition, which its form,
its event and the record made of it share.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, fields
from typing import Any

from django import forms
from django.core.exceptions import ValidationError

from kilter.core.trade.grades import CHOICES
from kilter.people.events import EventError
from kilter.weigh_in.models import MAX_COUNT, Cleaned, Fullness, SplitBy, Topped

MAX_KEY = 2**53
MAX_SPLIT = 60
TYPED = "weight and count"
SAME, OTHERS = "same", "others"
VISITS = ((SAME, "the visit of this day"), (OTHERS, "other plants, a visit of their own"))


class KeysField(forms.CharField):
    """Whole numbers with commas between them, or a list of them."""

    def clean(self, value: Any) -> tuple[int, ...]:
        listed = ",".join(map(str, value)) if isinstance(value, (list, tuple)) else value
        pieces = [piece.strip() for piece in super().clean(listed).split(",") if piece.strip()]
        if not all(piece.isascii() and piece.isdigit() and len(piece) < 16 for piece in pieces):
            raise forms.ValidationError("Write whole numbers with commas between them: 12, 8.")
        if len(pieces) > MAX_SPLIT:
            raise forms.ValidationError(f"One weight is split over {MAX_SPLIT} plantings at most.")
        return tuple(int(piece) for piece in pieces)


def _said(said: forms.Field, *, is_column: bool = False) -> Any:
    """One thing a line says; as a column it stands in the record under the same name."""
    return field(metadata={"field": said, "is_column": is_column})


def _number(most: int, too_large: str) -> forms.IntegerField:
    says = dict.fromkeys(
        ("invalid", "min_value"), "Plantings, plants lifted, bowl and scale are given by number."
    )
    return forms.IntegerField(
        min_value=1, max_value=most, required=False, error_messages={**says, "max_value": too_large}
    )


def _key() -> forms.IntegerField:
    return _number(MAX_KEY, "There is none of that number.")


def _one_of(choices: Iterable[tuple[Any, Any]], *, required: bool = False) -> forms.ChoiceField:
    """One of some words; empty says nothing, where it may be."""
    listed = list(choices)
    words = ", ".join(str(word) for word, _ in listed)
    says = f"“%(value)s” cannot be said of a line; use one of {words}."
    messages = {"invalid_choice": says, "required": f"A line has a grade: one of {words}."}
    return forms.ChoiceField(
        choices=listed if required else [("", ""), *listed],
        required=required,
        error_messages=messages,
    )


@dataclass(frozen=True, kw_only=True)
class LineSaid:
    """What a line of the bench says, checked but not yet weighed."""

    planting: int | None = _said(_key())
    plantings: tuple[int, ...] = _said(
        KeysField(max_length=1000, required=False)
    )  #: of a mixed basket, instead
    split_by: str = _said(_one_of(SplitBy.choices))
    counts: tuple[int, ...] = _said(
        KeysField(max_length=400, required=False)
    )  #: of a basket split by count
    grade: str = _said(_one_of(CHOICES, required=True), is_column=True)
    typed: str = _said(
        forms.CharField(
            max_length=60,
            label=TYPED,
            error_messages={"required": "Type a weight, a count, or both: 940 12."},
        ),
        is_column=True,
    )
    tare: str = _said(forms.CharField(max_length=20, required=False))  #: typed, of each load
    bowl: int | None = _said(_key())  #: a tare kept by name
    scale: int | None = _said(_key())
    #: lifted with this line
    plants: int | None = _said(
        _number(MAX_COUNT, "That is too many plants for one line; check it."), is_column=True
    )
    #: the going there that it belongs to; empty of what devices kept before there were visits
    visit: str = _said(_one_of(VISITS))
    hand: str = _said(forms.CharField(max_length=40, required=False), is_column=True)
    size: int | None = _said(_key())  #: of the crop's own sizes
    cause: str = _said(forms.CharField(max_length=40, required=False), is_column=True)
    cleaned: str = _said(_one_of(Cleaned.choices), is_column=True)
    topped: str = _said(_one_of(Topped.choices), is_column=True)
    fullness: str = _said(_one_of(Fullness.choices), is_column=True)
    is_thinning: bool = _said(forms.BooleanField(required=False), is_column=True)
    is_never_weighed: bool = _said(
        forms.BooleanField(required=False)
    )  #: its count is all there will be
    is_sure: bool = _said(forms.BooleanField(required=False))  #: far from the usual, and meant so

    @property
    def columns(self) -> dict[str, Any]:
        """What stands in the record as it was said."""
        return {name: getattr(self, name) for name in COLUMNS}


COLUMNS = tuple(one.name for one in fields(LineSaid) if one.metadata["is_column"])
FIELDS: dict[str, forms.Field] = {one.name: one.metadata["field"] for one in fields(LineSaid)}
#: What stands where nothing was said, of the fields that may stay empty; most lines leave most of
#: them so.
UNSAID = {name: one.clean(None) for name, one in FIELDS.items() if not one.required}


def read_said(raw: Mapping[str, Any]) -> LineSaid:
    """Read what a line says from JSON or a form; what cannot be said is refused with a sentence."""
    said = dict(UNSAID)
    for name, one in FIELDS.items():
        if name not in raw and not one.required:
            continue
        try:
            said[name] = one.clean(raw.get(name))
        except ValidationError as error:
            raise EventError(error.messages[0]) from error
    line = LineSaid(**said)
    if not line.plantings and line.planting is None:
        raise EventError("A line names its planting by number.")
    return line
