"""What can be taken away as a file, named so that it is found again: by garden,
by what it answers, and by day.
"""

from __future__ import annotations

from django.http import HttpResponse
from django.utils.text import slugify

from kilter.people import clock
from kilter.people.models import Household


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
