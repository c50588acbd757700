"""What can be taken away as a file, named so that it is found again: by garden,
by what it answers, and by day.
"""

from __future__ import annotations

from typing import Final

from django.http import HttpRequest, HttpResponse
from django.utils.text import slugify

from kilter.people import clock
from kilter.people.models import Household
from kilter.tables.workbook import book_of_csv

XLSX: Final = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


def as_download(
    household: Household, content: str | bytes, content_type: str, *words: str, kind: str
) -> HttpResponse:
    """A file, named such as ``ropewalk-yard-setting-by-kg-per-plant-2026-11-23.csv``."""
    parts = [
        slugify(household.name) or "garden",
        *map(slugify, words),
        clock.today(household).isoformat(),
    ]
    response = HttpResponse(content, content_type=content_type)
    response["Content-Disposition"] = (
        f'attachment; filename="{"-".join(filter(None, parts))}.{kind}"'
    )
    return response


def as_table(
    request: HttpRequest, household: Household, text: str, *words: str, name: str
) -> HttpResponse:
    """A table as CSV; as a workbook where the address says ``?as=xlsx``."""
    if request.GET.get("as") == "xlsx":
        return as_download(household, book_of_csv(name, text), XLSX, *words, kind="xlsx")
    return as_download(household, text, "text/csv; charset=utf-8", *words, kind="csv")
