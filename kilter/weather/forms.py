"""Which year to show, a file to bring in, and what to read off the station."""

from __future__ import annotations

from django import forms
from django.core.files.uploadedfile import UploadedFile

from kilter.people.forms import CommaNumbers

MAX_FILE_BYTES = 2 * 1024 * 1024


class YearForm(CommaNumbers, forms.Form):
    """The year of a record."""

    year = forms.IntegerField(min_value=1900, max_value=2200, required=False)
    base_c = forms.FloatField(
        label="base temperature, °C", min_value=-20, max_value=29, required=False
    )


class RecordForm(forms.Form):
    """A record as CSV: a date and two or three figures a line."""

    record = forms.FileField(
        label="A record, as a CSV file",
        help_text="One line a day: a date (2026-05-01), then minimum, maximum in °C and rain in "
        "mm. A first line that "
        "names the columns (day, min, max, rain) may put them in another order. What is known of a "
        "day is replaced.",
    )

    def clean_record(self) -> UploadedFile:
        record: UploadedFile = self.cleaned_data["record"]
        if (record.size or 0) > MAX_FILE_BYTES:
            raise forms.ValidationError("That is larger than 2 MB; a record of a lifetime is not.")
        return record
