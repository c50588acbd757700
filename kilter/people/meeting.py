"""Two people at one record: whoever saves second is told what the first changed,
and loses nothing typed.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

from django import forms
from django.db import models
from django.utils import timezone

from kilter.people.models import Change, ChangedRecord, Household, Owned

#: Columns that are not the gardener's to see.
UNSEEN = frozenset({"id", "household_id", "ref", "struck_at"})
SEEN = "seen"
MAX_KEY = 2**63 - 1


@dataclass(frozen=True)
class Met:
    """What happened to a record while a form of it was open."""

    newest: int  #: the change that is now the last one
    words: str


def last_change(record: models.Model) -> int:
    """The newest change that touched a record; 0 where none did."""
    of_record = ChangedRecord.objects.filter(model=record._meta.label_lower, record_id=record.pk)
    return of_record.order_by("-change_id").values_list("change_id", flat=True).first() or 0


def met(record: models.Model, seen: int) -> Met | None:
    """What was changed in a record since it was seen; None where nothing was."""
    of_record = ChangedRecord.objects.filter(
        model=record._meta.label_lower, record_id=record.pk, change_id__gt=seen
    )
    later = list(of_record.order_by("change_id").select_related("change__by"))
    now = type(record)._default_manager.filter(pk=record.pk).first()
    if not later or now is None:
        return None
    last: Change = later[-1].change
    who = str(last.by) if last.by else "a command"
    what = "; ".join(_differences(later[0].before or {}, now))
    when = timezone.localtime(last.made_at)
    says = (
        f"{who} changed this at {when:%H:%M} on {when.day} {when:%B}: "
        f"{what or 'nothing that differs now'}."
    )
    return Met(
        last.pk,
        f"{says} Yours is below and not saved: save again to have yours, or put it right first.",
    )


def _differences(before: dict[str, Any], now: models.Model) -> list[str]:
    found = []
    for field in now._meta.concrete_fields:
        if field.attname in UNSEEN or field.attname not in before:
            continue
        was, is_now = field.to_python(before[field.attname]), field.value_from_object(now)
        if was != is_now:
            found.append(
                f"{field.verbose_name} was {_shown(field, was)} and is {_shown(field, is_now)}"
            )
    return found


def _shown(field: models.Field[Any, Any], value: Any) -> str:
    if value in (None, ""):
        return "empty"
    if isinstance(field, models.ForeignKey):
        other = field.related_model._default_manager.filter(pk=value).first()
        return str(other) if other else "gone"
    if isinstance(value, float):
        return f"{value:g}"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, date):
        return f"{value.day} {value:%B %Y}"
    return str(dict(field.flatchoices).get(value, value))


class OfRecord(forms.BaseForm):
    """A form of a record that may be open twice: it remembers which change it was opened after.

    Among the bases it stands before ``forms.ModelForm``.
    """

    def __init__(self, *args: Any, seen: int | None = None, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.record = getattr(self, "instance", None)
        if isinstance(self.record, (Owned, Household)) and self.record.pk:
            field = forms.IntegerField(
                required=False, min_value=0, max_value=MAX_KEY, widget=forms.HiddenInput
            )
            self.fields[SEEN] = field
            if not self.is_bound:
                field.initial = last_change(self.record) if seen is None else seen

    def is_valid(self) -> bool:
        """Whether it can be saved; what somebody else saved meanwhile is told once, and then
        overruled.
        """
        if not super().is_valid() or SEEN not in self.fields:
            return super().is_valid()
        seen = self.cleaned_data.pop(SEEN, None)
        if seen is None or self.record is None or (found := met(self.record, seen)) is None:
            return True
        self.add_error(None, found.words)
        data: Any = self.data.copy()  # type: ignore[attr-defined]
        data[self.add_prefix(SEEN)] = str(found.newest)
        self.data = data
        return False
