"""A message that says what was written, with the way to take it back."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest
from django.urls import reverse

from kilter.people.models import Change


def flash_change(request: HttpRequest, change: Change) -> None:
    """Tell what a change was; the page shows an Undo button with it."""
    address = reverse("people:undo", args=[change.pk]) if change.pk else ""
    messages.success(request, change.says, extra_tags=address)
