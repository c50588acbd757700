"""Every write of a page as a change with what stood before, so that it can be undone, and the undoing too."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from django.apps import apps
from django.core.exceptions import ValidationError
from django.db import models
from django.db.models import QuerySet
from django.utils import timezone

from kilter.people.models import Change, ChangedRecord, Household, Owned, User
from kilter.people.writing import writing

UNDONE, AGAIN = "Undone: ", "Done again: "


@dataclass(frozen=True)
class Hand:
    """Whose records are written, and by whom; nobody in the headless commands."""

    household: Household
    user: User | None = None


class Recorder:
    """Writes records and keeps what each was before."""

    def __init__(self, change: Change) -> None:
        self.change = change
        self.touched: list[ChangedRecord] = []

    def save(self, *records: models.Model) -> None:
        """Save records, new or changed."""
        for record in records:
            before = None if record.pk is None else _values(type(record)._default_manager.filter(pk=record.pk))
            record.save()
            self._keep(record, before)
        self.change.saved += records

    def make(self, model: type[models.Model], records: Iterable[Any]) -> list[Any]:
        """Make many records of one kind at once."""
        made = list(model._default_manager.bulk_create(records, batch_size=500))
        for record in made:
            self._keep(record, None)
        self.change.saved += tuple(made)
        return made

    def update(self, records: QuerySet[Any], **values: Any) -> None:
        """Set the same on many records."""
        for record in records:
            before = {field.attname: field.value_from_object(record) for field in record._meta.concrete_fields}
            for name, value in values.items():
                setattr(record, name, value)
            record.save(update_fields=list(values))
            self._keep(record, before)

    def strike(self, *records: Owned) -> None:
        """Take records out of use."""
        for record in records:
            record.struck_at = timezone.now()
        self.save(*records)

    def delete(self, records: QuerySet[Any]) -> None:
        """Delete rows that belong to a record, such as its tags; undoing makes them again."""
        for record in records:
            before = {field.attname: field.value_from_object(record) for field in record._meta.concrete_fields}
            self._keep(record, before)
        records.delete()

    def _keep(self, record: models.Model, before: dict[str, Any] | None) -> None:
        kept = ChangedRecord(change=self.change, model=record._meta.label_lower, record_id=record.pk, before=before)
        self.touched.append(kept)


@contextmanager
def changing(hand: Hand, says: str) -> Iterator[Recorder]:
    """Hold the write lock and a transaction, and keep what is written through the recorder as one change."""
    with writing():
        recorder = Recorder(Change(household=hand.household, by=hand.user, says=says[:200]))
        yield recorder
        if recorder.touched:
            recorder.change.save()
            ChangedRecord.objects.bulk_create(recorder.touched, batch_size=500)


def undo(hand: Hand, change: Change) -> Change:
    """Put back what a change wrote; the undoing is a change of its own."""
    if change.undone_at is not None:
        raise ValidationError(f"“{change.says}” was undone already.")
    touched = list(change.records.order_by("-pk"))
    if later := _later(change, touched):
        raise ValidationError(f"Since then there was “{later.says}”; undo that first.")
    says = change.says.removeprefix(UNDONE).removeprefix(AGAIN)
    with changing(hand, (AGAIN if change.is_undoing else UNDONE) + says) as recorder:
        recorder.change.is_undoing = not change.is_undoing
        for kept in touched:
            _put_back(recorder, kept)
        change.undone_at = timezone.now()
        change.save(update_fields=["undone_at"])
    return recorder.change


def _put_back(recorder: Recorder, kept: ChangedRecord) -> None:
    model = apps.get_model(kept.model)
    record: Any = model._default_manager.filter(pk=kept.record_id).first()
    if kept.before is None and record is not None:
        if isinstance(record, Owned):
            try:
                record.check_can_be_struck()
                recorder.strike(record)
            except ValidationError:
                if not record.is_made_in_passing:
                    raise
        else:
            recorder.delete(model._default_manager.filter(pk=kept.record_id))
    elif kept.before is not None:
        is_gone = record is None
        record = record or model()
        for field in model._meta.concrete_fields:
            setattr(record, field.attname, field.to_python(kept.before[field.attname]))
        if is_gone:
            record.save(force_insert=True)
            recorder.touched.append(
                ChangedRecord(change=recorder.change, model=kept.model, record_id=record.pk, before=None)
            )
        else:
            recorder.save(record)


def _later(change: Change, touched: list[ChangedRecord]) -> Change | None:
    """The newest change that still stands and touched one of the same records afterwards."""
    pairs = {(kept.model, kept.record_id) for kept in touched}
    later = ChangedRecord.objects.filter(change__household=change.household, change_id__gt=change.pk)
    # An undoing and what it undid cancel out, so neither stands.
    standing = later.filter(change__undone_at=None, change__is_undoing=False)
    standing = standing.select_related("change").order_by("-change_id")
    return next((kept.change for kept in standing if (kept.model, kept.record_id) in pairs), None)


def _values(found: QuerySet[Any]) -> dict[str, Any] | None:
    return found.values(*(field.attname for field in found.model._meta.concrete_fields)).first()
