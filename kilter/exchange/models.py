"""A table that is being brought, and how tables with such heads were read before."""

from __future__ import annotations

import json
import zlib
from typing import Any

from django.conf import settings
from django.core.serializers.json import DjangoJSONEncoder
from django.db import models

from kilter.people.models import Household
from kilter.tables.brought import Rows


class BroughtTable(models.Model):
    """A table on its way in. When it is written its rows go; how it was read stays under its heads
    for the next one.
    """

    household = models.ForeignKey(Household, on_delete=models.CASCADE, related_name="brought")
    by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+"
    )
    name = models.CharField(max_length=120)
    heads = models.CharField(max_length=2000, blank=True)
    manner = models.JSONField(default=dict, encoder=DjangoJSONEncoder)
    packed = models.BinaryField(null=True)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ("-at", "-pk")
        indexes = (models.Index(fields=("household", "heads"), name="brought_by_heads"),)

    def __str__(self) -> str:
        return self.name

    @property
    def sheets(self) -> dict[str, Rows]:
        """Its rows, by the name of the sheet."""
        found: dict[str, Rows] = json.loads(zlib.decompress(self.packed or b""))
        return found

    @sheets.setter
    def sheets(self, sheets: dict[str, Rows]) -> None:
        said: Any = json.dumps(sheets, ensure_ascii=False, separators=(",", ":"))
        self.packed = zlib.compress(said.encode(), 3)
