"""A message that something was taken out, with the way to put it back."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest


def say_struck(request: HttpRequest, text: str, restore_url: str) -> None:
    """Tell what was taken out; the page shows an Undo button that posts to ``restore_url``."""
    messages.info(request, text, extra_tags=restore_url)
