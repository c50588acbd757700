"""Loads that run while their page shows how far they are, and that can be stopped."""

from __future__ import annotations

import contextvars
import logging
import secrets
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from django.db import connection

from kilter.core.errors import KilterError
from kilter.exchange.formats import TABLES
from kilter.exchange.loading import IN_PLACE, Loaded, load
from kilter.exchange.staging import beside_others
from kilter.people.history import Actor
from kilter.people.models import Household

logger = logging.getLogger(__name__)
MAX_JOBS_KEPT = 50
#: What a table that is brought may add, in words.
ADDED = {
    "weigh_ins": "lines of harvest",
    "plantings": "plantings",
    "places": "places",
    "sites": "sites",
    "prices": "prices",
    "stores": "stores",
    "crates": "crates",
    "crops": "crops",
    "varieties": "varieties",
}


class StoppedError(KilterError):
    """The gardener stopped the load; nothing was written."""


@dataclass(kw_only=True)
class LoadJob:
    """One load; lives in this process, which is the only one that serves."""

    household_id: int
    key: str = field(default_factory=lambda: secrets.token_urlsafe(16))
    stage: str = "waiting to start"
    rows: int = 0
    result: Loaded | None = None
    problem: str = ""
    is_stopped: bool = False
    says: str = ""  #: what its change is called, where it is of a table that was brought
    then: Callable[[], None] = lambda: None

    @property
    def steps(self) -> int:
        return 2 * len(TABLES) + 1

    @property
    def step(self) -> int:
        """Tables read and tables written so far, and the last step."""
        names = [table.name for table in TABLES]
        stages = [*names, *(f"writing {name}" for name in names), IN_PLACE]
        return stages.index(self.stage) if self.stage in stages else 0

    @property
    def can_stop(self) -> bool:
        """Until all of it is put in its place, which is one piece: in whole or not at all."""
        return self.stage != IN_PLACE

    @property
    def written(self) -> list[tuple[str, int]]:
        """Of a table that was brought what was added, in words."""
        new = self.result.new if self.result else {}
        return [(words, new[name]) for name, words in ADDED.items() if new.get(name)]

    def report(self, stage: str, rows: int) -> None:
        if self.is_stopped and self.can_stop:
            raise StoppedError("Stopped. Nothing was changed.")
        self.stage, self.rows = stage, rows


_jobs: dict[str, LoadJob] = {}


def start(
    actor: Actor, source: Path, says: str = "", then: Callable[[], None] = lambda: None
) -> LoadJob:
    """Start loading a file in the background; the file is removed at the end, and ``then`` done
    where all of it was written.
    """
    job = LoadJob(household_id=actor.household.pk, says=says, then=then)
    while len(_jobs) >= MAX_JOBS_KEPT:
        _jobs.pop(next(iter(_jobs)))
    _jobs[job.key] = job
    # In a copy of what is known of this request, so that what goes wrong is logged under its id.
    context = contextvars.copy_context()
    threading.Thread(target=context.run, args=(_run, job, actor, source), daemon=True).start()
    return job


def find(household: Household, key: str) -> LoadJob | None:
    """Find a job of this household."""
    job = _jobs.get(key)
    return job if job is not None and job.household_id == household.pk else None


def _run(job: LoadJob, actor: Actor, source: Path) -> None:
    try:
        with beside_others():
            found = load(source, actor.household, job.report, actor.user, job.says)
        if found.is_done:
            job.then()
        job.result = found
    except KilterError as error:
        job.problem = str(error)
    except Exception:
        logger.exception("a load failed")
        job.problem = "Something went wrong here, and nothing was changed. Please try once more."
    finally:
        source.unlink(missing_ok=True)
        connection.close()
