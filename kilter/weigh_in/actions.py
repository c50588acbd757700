"""Writes beside the events of the bench."""

from __future__ import annotations

from typing import Any

from kilter.people.history import Hand
from kilter.people.models import Change
from kilter.people.writing import writing
from kilter.tending.actions import add_photo
from kilter.weigh_in.models import WeighIn


def add_photo_to(hand: Hand, line: WeighIn, cleaned: dict[str, Any]) -> Change:
    """Keep a photograph with a line; taken out again, it is out of the line too."""
    with writing():
        change = add_photo(hand, cleaned["photo"], cleaned, planting=line.planting)
        line.photos.add(change.saved[0])
    return change
