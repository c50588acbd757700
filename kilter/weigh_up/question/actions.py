"""Writes of saved questions."""

from __future__ import annotations

from kilter.people.actions import save_owned
from kilter.people.history import Actor
from kilter.people.models import Change
from kilter.weigh_up.question.models import SavedQuestion


def save_question(actor: Actor, question: SavedQuestion) -> Change:
    """Save a question with its name, pinned to the front or not."""
    pinned = ", and pinned to the front" if question.is_pinned else ""
    return save_owned(actor, question, f"“{question}” is saved{pinned}.")
