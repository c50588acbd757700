"""Questions saved by their address."""

from __future__ import annotations

from django.db import models

from kilter.people.models import Owned

ADDRESS_LENGTH = 2000
ANSWER_LENGTH = 400


class SavedQuestion(Owned):
    """A question with a name, saved by its address; pinned, it stands on Weigh up's front."""

    name = models.CharField(max_length=80)
    address = models.CharField(max_length=ADDRESS_LENGTH)
    # What the answer was when it was saved, from which records and by which method: so that a
    # change can be told.
    method = models.PositiveSmallIntegerField("version of the method", default=1)
    answer_then = models.CharField("answer when it was saved", max_length=ANSWER_LENGTH, blank=True)
    records_then = models.CharField("mark of its records", max_length=16, blank=True)
    is_pinned = models.BooleanField("stands on the front of Weigh up", default=False)

    class Meta(Owned.Meta):
        ordering = ("-is_pinned", "name", "pk")

    def __str__(self) -> str:
        return self.name
