"""Questions saved by their address."""

from __future__ import annotations

from django.db import models

from kilter.people.models import Owned

ADDRESS_LENGTH = 2000


class SavedQuestion(Owned):
    """A question with a name, saved by its address; pinned, it stands on Weigh up's front."""

    name = models.CharField(max_length=80)
    address = models.CharField(max_length=ADDRESS_LENGTH)
    is_pinned = models.BooleanField("stands on the front of Weigh up", default=False)

    class Meta(Owned.Meta):
        ordering = ("-is_pinned", "name", "pk")

    def __str__(self) -> str:
        return self.name
