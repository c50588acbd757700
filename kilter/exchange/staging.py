"""A load in slices: what is new is written beside the garden, out of sight,
and put in its place in one moment.
"""

from __future__ import annotations

import gc
import logging
import shutil
import sys
import threading
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.apps import apps
from django.conf import settings
from django.db import IntegrityError, models
from django.db.models import QuerySet
from django.utils import timezone

from kilter.core.amounts.units import half_up
from kilter.core.errors import KilterError
from kilter.people.history import Recorder, fields_of
from kilter.people.leaving import delete_household
from kilter.people.models import Change, ChangedRecord, Household, User
from kilter.people.writing import writing

log = logging.getLogger("kilter.people")
#: Rows written at a time; then the load rests for as long as that took, while whoever waits at the
#: bench is served.
SLICE = 40
#: A load leaves so much of the disk free, and needs about so many times what it holds.
LEFT_FREE, TIMES_ITS_SIZE = 100 * 2**20, 6
#: How soon another thread gets the processor while a load runs; a request asks for it many times.
YIELDS_AFTER_S = 0.0002
#: A load that has not ended after so long was cut off.
CUT_OFF = timedelta(hours=1)
STAGE_NAME = "being loaded"


#: How many loads run beside others who write; a command runs by itself and need not rest.
_beside, _usual_s = 0, sys.getswitchinterval()
_changing = threading.Lock()


@contextmanager
def beside_others() -> Iterator[None]:
    """Let others have the processor and the lock soon while a load runs here."""
    global _beside, _usual_s
    with _changing:
        if not _beside:
            _usual_s = sys.getswitchinterval()
        _beside += 1
        sys.setswitchinterval(YIELDS_AFTER_S)
        # a package is a million small things, none of them rubbish: looking through them holds all
        # up
        gc.disable()
    try:
        yield
    finally:
        with _changing:
            _beside -= 1
            if not _beside:
                gc.enable()
                sys.setswitchinterval(_usual_s)


@contextmanager
def _a_slice() -> Iterator[None]:
    began = time.perf_counter()
    with writing():
        yield
    if _beside:
        time.sleep(time.perf_counter() - began)


class LoadBusyError(KilterError):
    """Another package is being loaded into the household."""


def check_room(size: int) -> None:
    """Refuse a package that the disk has no room for.

    Raises
    ------
    KilterError
        With how much is free and how much it would take.
    """
    free = shutil.disk_usage(Path(str(settings.DATABASES["default"]["NAME"])).parent).free
    if free < LEFT_FREE + TIMES_ITS_SIZE * size:
        raise KilterError(
            "There is no room for it: it may take "
            f"{half_up(TIMES_ITS_SIZE * size / 2**20, 0)} MB, and "
            f"{half_up(free / 2**20, 0)} MB are free on the disk."
        )


class Stage(Recorder):
    """What a load has written so far. New rows belong to a household that nobody is in; what the
    garden has already is changed only at the end. Broken off at any moment, the garden is as it
    was.
    """

    def __init__(self, household: Household, by: User | None, says: str) -> None:
        self.target = household
        with writing():
            self._take_turn()
            self.home = Household.objects.create(name=STAGE_NAME, is_staging=True)
            super().__init__(Change.objects.create(household=self.home, by=by, says=says[:200]))
        self._changes: dict[tuple[type[models.Model], int], tuple[Any, dict[str, Any]]] = {}
        self._stale: list[QuerySet[Any]] = []
        self._later: list[tuple[type[models.Model], list[Any]]] = []

    def _take_turn(self) -> None:
        if self.target.pk is None:
            return
        now = timezone.now()
        free = models.Q(loading_since=None) | models.Q(loading_since__lt=now - CUT_OFF)
        if not Household.objects.filter(free, pk=self.target.pk).update(loading_since=now):
            raise LoadBusyError(
                "Another package is being loaded into this household; wait until it is done."
            )

    def is_new(self, record: Any) -> bool:
        """Whether a record was made by this load."""
        return getattr(record, "household_id", None) == self.home.pk

    def save(self, *records: models.Model) -> None:
        """Save what is new at once, out of sight;
        keep for the end what changes a record of the garden.
        """
        for record in records:
            if record.pk is None and not isinstance(record, Household):
                with writing():
                    super().save(record)
                    self._flush()
            elif self.is_new(record):
                with writing():
                    record.save()
            elif record.pk is not None:
                self.change_later(record)

    def change_later(self, record: Any) -> None:
        """Note what a record is before the load changes it; only the first time counts."""
        key = (type(record), record.pk)
        if key not in self._changes:
            before = fields_of(type(record)._default_manager.get(pk=record.pk))
            self._changes[key] = (record, before)

    def make(self, model: type[models.Model], records: Iterable[Any]) -> list[Any]:
        """Make many records of one kind, a slice at a time."""
        made, waiting = [], list(records)
        for start in range(0, len(waiting), SLICE):
            with _a_slice():
                made += super().make(model, waiting[start : start + SLICE])
                self._flush()
        self.change.saved = ()
        return made

    def make_later(self, model: type[models.Model], records: Iterable[Any]) -> None:
        """Make records that belong to what the garden has already, at the end."""
        if kept := list(records):
            self._later.append((model, kept))

    def tie(self, records: list[Any], column: str) -> None:
        """Set a key of new records to what was written after them."""
        for start in range(0, len(records), SLICE):
            with _a_slice():
                type(records[0])._default_manager.bulk_update(
                    records[start : start + SLICE], [column]
                )

    def delete(self, records: QuerySet[Any]) -> None:
        """Delete rows of the garden, at the end."""
        self._stale.append(records)

    def put_in_place(self) -> None:
        """Give everything to the garden, in one transaction."""
        try:
            with writing():
                if not Household.objects.filter(pk=self.home.pk).exists():
                    raise KilterError(
                        "Kilter was started anew while the package was being loaded; load it once "
                        "more."
                    )
                if self.target.pk is None:
                    self.target.save()
                for model in _with_household():
                    model._default_manager.filter(household=self.home).update(household=self.target)
                by_model: dict[type[models.Model], list[tuple[Any, dict[str, Any]]]] = {}
                for (model, _), pair in self._changes.items():
                    by_model.setdefault(model, []).append(pair)
                for pairs in by_model.values():
                    self.rewrite([record for record, _ in pairs], [before for _, before in pairs])
                for stale in self._stale:
                    super().delete(stale)
                for model, records in self._later:
                    super().make(model, records)
                self._flush()
                self._end()
                Household.objects.filter(pk=self.home.pk).delete()
            log.info("household %s: %s", self.target.pk, self.change.says)
        except IntegrityError as error:
            raise KilterError(
                "The garden was changed while the package was being loaded, so that the two do not "
                "fit. Nothing of it was written; load it once more."
            ) from error

    def drop(self) -> None:
        """Take back all that was written so far."""
        with writing():
            self._end()
            delete_household(self.home)

    def _end(self) -> None:
        if self.target.pk is not None:
            self.target.loading_since = None
            Household.objects.filter(pk=self.target.pk).update(loading_since=None)

    def _flush(self) -> None:
        ChangedRecord.objects.bulk_create(self.touched, batch_size=500)
        self.touched.clear()


def clear_stages() -> None:
    """Take back what a load left that was cut off; called where no load can be running."""
    Household.objects.exclude(loading_since=None).update(loading_since=None)
    for left in Household.objects.filter(is_staging=True):
        delete_household(left)


def _with_household() -> list[type[models.Model]]:
    """Every table whose rows say whose they are."""
    return [
        model
        for model in apps.get_models()
        if any(field.name == "household" for field in model._meta.concrete_fields)
    ]
