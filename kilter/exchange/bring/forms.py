"""The forms of a table that is brought: the table itself, and how it is read."""

from __future__ import annotations

import hashlib
from typing import Any

from django import forms

from kilter.core.amounts.units import DEFAULT_UNITS
from kilter.core.errors import KilterError
from kilter.core.sheets.kinds import TABLE_KINDS
from kilter.exchange.bring.asked import Question
from kilter.exchange.bring.reading import Manner, Reading
from kilter.tables.brought import Rows, sheets_in

MAX_BYTES = 10 * 1024 * 1024
KINDS = [("", "see for yourself"), *((kind.key, kind.words) for kind in TABLE_KINDS.values())]
ORDERS = [("dmy", "day first"), ("mdy", "month first")]
DECIMALS = [(".", "after a point"), (",", "after a comma")]
SHAPES = [("long", "a row for each amount"), ("wide", "a column for each crop, place or day")]
UNITS = {"scale": "grams, or kilograms where they have decimals"}


class TableForm(forms.Form):
    """A table: pasted, or as a file."""

    text = forms.CharField(
        label="Paste it here",
        required=False,
        strip=False,
        max_length=MAX_BYTES,
        widget=forms.Textarea(attrs={"rows": 8, "class": "cells", "spellcheck": "false"}),
        help_text="From a spreadsheet: mark the cells with their heads, copy, paste.",
    )
    file = forms.FileField(
        label="Or choose a file: CSV, TSV, ODS or XLSX", required=False, allow_empty_file=True
    )
    kind = forms.ChoiceField(label="What is in it", choices=KINDS, required=False)
    sheets: dict[str, Rows]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        file, text = cleaned.get("file"), cleaned.get("text") or ""
        if file and (file.size or 0) > MAX_BYTES:
            raise forms.ValidationError(f"The file is larger than {MAX_BYTES // 2**20} MB.")
        if not file and not text.strip():
            raise forms.ValidationError("Paste a table, or choose a file.")
        try:
            self.sheets = sheets_in(file.read() if file else text.encode())
        except KilterError as error:
            name = f"{file.name}: " if file else ""
            raise forms.ValidationError(f"{name}{error}") from error
        if not any(cell.strip() for rows in self.sheets.values() for row in rows for cell in row):
            raise forms.ValidationError("There is nothing in it. Copy the table with its heads.")
        return cleaned

    @property
    def name(self) -> str:
        """What the table is called: its file, or that it was pasted."""
        file = self.cleaned_data.get("file")
        return str(file.name) if file else "pasted table"


def answer_field(key: str) -> str:
    """The name of the field that a question is answered in."""
    return f"a-{hashlib.sha256(key.encode()).hexdigest()[:16]}"


class MannerForm(forms.Form):
    """How a table is read; its fields follow from the table."""

    def __init__(self, *args: Any, reading: Reading, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.reading, manner = reading, reading.manner
        add = self._add
        if len(reading.sheets) > 1:
            add("sheet", "Sheet", [(name, name) for name in reading.sheets], manner.sheet)
        add("kind", "What is in it", KINDS[1:], manner.kind)
        add(
            "order",
            "Dates such as 3/4",
            [("dmy", "day first"), ("mdy", "month first")],
            manner.order,
        )
        add("decimal", "Decimals", DECIMALS, manner.decimal)
        units = [(unit, UNITS.get(unit, unit)) for unit in DEFAULT_UNITS]
        add("unit", "Weights without a unit", units, manner.unit)
        add("shape", "Its shape", SHAPES, manner.shape)
        self.fields["carries"] = forms.BooleanField(
            label="An empty day, crop or place is as in the row above",
            required=False,
            initial=manner.carries,
        )
        fields = [("", "left out"), *((one.key, one.words) for one in reading.kind.fields)]
        for at, key in enumerate(manner.columns or ()):
            add(f"c-{at}", self.column_label(at), fields, key, required=False)
        for question in reading.questions:
            offers = [(offer.key, offer.words) for offer in question.offers]
            name = answer_field(question.key)
            add(name, question.says, [("", "…"), *offers], question.taken, required=False)

    def _add(
        self,
        name: str,
        label: str,
        choices: list[tuple[str, str]],
        initial: str,
        *,
        required: bool = True,
    ) -> None:
        self.fields[name] = forms.ChoiceField(
            label=label, choices=choices, initial=initial, required=required
        )

    def column_label(self, at: int) -> str:
        """What the choice over a column is called: its head, else its letter."""
        return self.reading.table.heads[at] or f"Column {self.reading.table.letters[at]}"

    @property
    def columns(self) -> list[forms.BoundField]:
        """The choice over each column."""
        return [self[f"c-{at}"] for at in range(len(self.reading.table.heads))]

    @property
    def asked(self) -> list[tuple[forms.BoundField, Question]]:
        """What somebody must answer, and what somebody answered."""
        return [pair for pair in self._questions() if pair[1].answer or pair[1].is_open]

    @property
    def can_all(self) -> int:
        """How many open questions one press can answer by adding what is not known."""
        some = [one for one in self.reading.open_questions if one.made]
        return len(some) if len(some) > 1 else 0

    @property
    def decided(self) -> list[tuple[forms.BoundField, Question]]:
        """What is taken as is usual."""
        return [pair for pair in self._questions() if not (pair[1].answer or pair[1].is_open)]

    def _questions(self) -> list[tuple[forms.BoundField, Question]]:
        return [(self[answer_field(one.key)], one) for one in self.reading.questions]

    @property
    def said(self) -> str:
        """How it is read, in a few words."""
        manner = self.reading.manner
        words = [dict(ORDERS)[manner.order], f"decimals {dict(DECIMALS)[manner.decimal]}"]
        return ", ".join(words)

    @property
    def ways(self) -> list[forms.BoundField]:
        """What holds for the whole table."""
        names = ("sheet", "kind", "order", "decimal", "unit", "shape", "carries")
        return [self[name] for name in names if name in self.fields]

    @property
    def manner(self) -> Manner:
        """As it is to be read from now on. Columns stay only while the kind and the shape do."""
        said, before = self.cleaned_data, self.reading.manner
        same = (said["kind"], said["shape"], said.get("sheet", before.sheet)) == (
            before.kind,
            before.shape,
            before.sheet,
        )
        columns = tuple(said[f"c-{at}"] for at in range(len(self.reading.table.heads)))
        answers = {
            question.key: said[answer_field(question.key)]
            for question in self.reading.questions
            if said[answer_field(question.key)]
            and said[answer_field(question.key)] != question.usual
        }
        if "all_new" in self.data:
            answers |= {
                question.key: made
                for question in self.reading.questions
                if question.is_open and (made := question.made)
            }
        return Manner(
            sheet=said.get("sheet", before.sheet),
            kind=said["kind"],
            columns=columns if same else None,
            order=said["order"],
            decimal=said["decimal"],
            unit=said["unit"],
            shape=said["shape"],
            carries=said["carries"],
            answers={**before.answers, **answers},
        )
