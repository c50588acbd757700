"""Every write of a page as a change with what stood before, so that it can be undone,
and the undoing too.
"""

from __future__ import annotations

import logging
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

log = logging.getLogger("kilter.people")
#: Up to so many records are looked up by their keys; more by going through all that came later.
FEW = 500
UNDONE, AGAIN = "Undone: ", "Done again: "


@dataclass(frozen=True)
class Actor:
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
            before = (
                None
                if record.pk is None
                else _values(type(record)._default_manager.filter(pk=record.pk))
            )
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
        """Set the same on many records, in one go."""
        keys = []
        for record in records:
            self._keep(record, fields_of(record))
            keys.append(record.pk)
        records.model._default_manager.filter(pk__in=keys).update(**values)

    def rewrite(self, records: list[Any], befores: list[dict[str, Any]]) -> None:
        """Write many changed records of one kind,
        of which it is known what they were; only what differs.
        """
        differing: set[str] = set()
        for record, before in zip(records, befores, strict=True):
            self._keep(record, before)
            differing |= {
                name for name, value in fields_of(record).items() if value != before[name]
            }
        if not differing:
            return
        rows = type(records[0])._default_manager
        values = {name: {fields_of(record)[name] for record in records} for name in differing}
        if all(len(found) == 1 for found in values.values()):
            same = {name: found.pop() for name, found in values.items()}
            rows.filter(pk__in=[record.pk for record in records]).update(**same)
        else:
            fields = {field.attname: field.name for field in records[0]._meta.concrete_fields}
            rows.bulk_update(records, [fields[name] for name in differing], batch_size=100)

    def strike(self, *records: Owned) -> None:
        """Take records out of use."""
        for record in records:
            record.struck_at = timezone.now()
        self.save(*records)

    def delete(self, records: QuerySet[Any]) -> None:
        """Delete rows that belong to a record, such as its tags; undoing makes them again."""
        for record in records:
            self._keep(record, fields_of(record))
        records.delete()

    def _keep(self, record: models.Model, before: dict[str, Any] | None) -> None:
        kept = ChangedRecord(
            change=self.change, model=record._meta.label_lower, record_id=record.pk, before=before
        )
        self.touched.append(kept)


@contextmanager
def changing(actor: Actor, says: str) -> Iterator[Recorder]:
    """Hold the write lock and a transaction,
    and keep what is written through the recorder as one change.
    """
    with writing():
        recorder = Recorder(Change(household=actor.household, by=actor.user, says=says[:200]))
        yield recorder
        if recorder.touched:
            recorder.change.save()
            ChangedRecord.objects.bulk_create(recorder.touched, batch_size=500)


def note(household: Household, by: User | None, says: str) -> None:
    """Tell in What was written of something that is no record: who came in,
    by which link, in which role.
    """
    with writing():
        Change.objects.create(household=household, by=by, says=says[:200], is_note=True)
    log.info("household %s, by %s: %s", household.pk, by.pk if by else None, says)


def undo(actor: Actor, change: Change) -> Change:
    """Put back what a change wrote; the undoing is a change of its own."""
    says = change.says.removeprefix(UNDONE).removeprefix(AGAIN)
    with changing(actor, (AGAIN if change.is_undoing else UNDONE) + says) as recorder:
        change.refresh_from_db()  # under the lock: pressed twice, it is undone once
        if change.undone_at is not None:
            raise ValidationError(f"“{change.says}” was undone already.")
        touched = list(change.records.order_by("-pk"))
        if later := _later(change, touched):
            raise ValidationError(f"Since then there was “{later.says}”; undo that first.")
        recorder.change.is_undoing = not change.is_undoing
        by_model: dict[str, dict[int, ChangedRecord]] = {}
        for kept in (
            touched
        ):  # newest first: of a record touched twice, what it was at the very first stays
            by_model.setdefault(kept.model, {})[kept.record_id] = kept
        for name, entries in by_model.items():
            _put_back(recorder, apps.get_model(name), entries)
        change.undone_at = timezone.now()
        change.save(update_fields=["undone_at"])
    return recorder.change


def _put_back(
    recorder: Recorder, model: type[models.Model], entries: dict[int, ChangedRecord]
) -> None:
    """Strike or delete what was made, write back what was changed, make again what was deleted."""
    there: dict[int, Any] = model._default_manager.in_bulk(list(entries))
    made = [pk for pk, kept in entries.items() if kept.before is None and pk in there]
    if issubclass(model, Owned):
        free = [pk for pk in made if _is_free(there[pk])]
        recorder.update(model._default_manager.filter(pk__in=free), struck_at=timezone.now())
    else:
        recorder.delete(model._default_manager.filter(pk__in=made))
    changed = [pk for pk, kept in entries.items() if kept.before is not None and pk in there]
    befores = [fields_of(there[pk]) for pk in changed]
    recorder.rewrite([_restored(there[pk], entries[pk].before) for pk in changed], befores)
    gone = [
        kept.before for pk, kept in entries.items() if kept.before is not None and pk not in there
    ]
    recorder.make(model, [_restored(model(), before) for before in gone])


def _is_free(record: Owned) -> bool:
    """Whether nothing else needs a record; what was made in passing then simply stays."""
    try:
        record.check_can_be_struck()
    except ValidationError:
        if not record.is_made_in_passing:
            raise
        return False
    return True


def _restored(record: Any, before: dict[str, Any] | None) -> Any:
    assert before is not None
    for field in _undone(type(record)):
        if field.attname in before:  # a change may be older than a field
            setattr(record, field.attname, field.to_python(before[field.attname]))
    return record


def fields_of(record: models.Model) -> dict[str, Any]:
    """Every column of a record as the database keeps it, but those that no undoing touches."""
    return {
        field.attname: field.get_prep_value(field.value_from_object(record))
        for field in _undone(type(record))
    }


def _later(change: Change, touched: list[ChangedRecord]) -> Change | None:
    """The newest change that still stands and touched one of the same records afterwards."""
    pairs = {(kept.model, kept.record_id) for kept in touched}
    later = ChangedRecord.objects.filter(
        change__household=change.household, change_id__gt=change.pk
    )
    if len(pairs) <= FEW:
        later = later.filter(record_id__in={record_id for _, record_id in pairs})
    # An undoing and what it undid cancel out, so neither stands.
    standing = later.filter(change__undone_at=None, change__is_undoing=False)
    standing = standing.select_related("change").order_by("-change_id")
    return next((kept.change for kept in standing if (kept.model, kept.record_id) in pairs), None)


def _values(found: QuerySet[Any]) -> dict[str, Any] | None:
    return found.values(*(field.attname for field in _undone(found.model))).first()


def _undone(model: type[models.Model]) -> list[models.Field[Any, Any]]:
    """The fields that a change keeps and undoing puts back."""
    apart: frozenset[str] = getattr(model, "kept_apart", frozenset())
    return [field for field in model._meta.concrete_fields if field.name not in apart]
