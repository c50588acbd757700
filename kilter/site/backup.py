"""One file that holds the whole of a Kilter: its database and photographs, checksummed;
made while it serves.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import json
import logging
import os
import secrets
import shutil
import sqlite3
import struct
import tempfile
import threading
import zipfile
import zlib
from collections.abc import Callable, Iterator
from datetime import date, datetime
from pathlib import Path
from typing import Final

from django.apps import apps
from django.db import DatabaseError, connection
from django.db.migrations.loader import MigrationLoader
from django.utils import timezone

from kilter.people.server import backup_ended, is_day_sure
from kilter.site.upkeep import (
    LOOKS_EVERY_SECONDS,
    OWNER_FILE,
    files_of,
    keep_to_owner,
    now_and_then,
    stamp,
    unsound,
)

DATABASE, MANIFEST, PHOTOS = "kilter.sqlite3", "manifest.json", "photos/"
VERSION = 1
_HALF = ".kilter-backup-"
CHUNK = 1024 * 1024
#: Kept by a server that was given a folder: the last days, and of the weeks before them the last of
#: each.
KEPT_DAYS, KEPT_WEEKS = 7, 8


#: What a torn archive can raise, wherever it is torn.
TORN: Final = (
    OSError,
    zipfile.BadZipFile,
    zlib.error,
    EOFError,
    struct.error,
    RuntimeError,
    NotImplementedError,
)
log = logging.getLogger("kilter.site")


class BackupError(Exception):
    """What is wrong with a backup, or why it cannot be put back now; a sentence."""


def _sha256(path: Path) -> str:
    with path.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def copy_database(source: Path, target: Path) -> None:
    """Copy a database as it stands at one moment, while others write to it."""
    with (
        contextlib.closing(sqlite3.connect(source)) as live,
        contextlib.closing(sqlite3.connect(target)) as copy,
    ):
        live.backup(copy)
        # What lies in the package is one file, with no log beside it.
        copy.execute("PRAGMA journal_mode=DELETE")
    keep_to_owner(target)


def backup(database: Path, photos: Path, target: Path) -> Path:
    """Write database and photographs into one file; it is whole, or not there."""
    if not database.exists():
        raise BackupError(f"There is no database at {database}.")
    target.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=target.parent, prefix=_HALF) as folder:
        copy = Path(folder) / DATABASE
        copy_database(database, copy)
        files = {
            DATABASE: copy,
            **{PHOTOS + str(p.relative_to(photos)): p for p in sorted(_pictures(photos))},
        }
        half, sums, missing = Path(folder) / "half", {}, []
        # A file may bear any time, also one before 1980, which a zip cannot tell.
        with zipfile.ZipFile(half, "w", zipfile.ZIP_DEFLATED, strict_timestamps=False) as packed:
            for name, path in files.items():
                try:
                    sums[name] = _packed(packed, path, name)
                except FileNotFoundError:
                    missing.append(name)  # taken out meanwhile
            made_at = datetime.now().astimezone().isoformat()
            manifest = {
                "kilter_backup": VERSION,
                "made_at": made_at,
                "sha256": sums,
                "missing": missing,
            }
            packed.writestr(MANIFEST, json.dumps(manifest, indent=1))
        if missing:
            log.warning("not in the backup, as they went while it was made: %s", ", ".join(missing))
        half.chmod(OWNER_FILE)
        with half.open("rb") as stream:
            os.fsync(stream.fileno())
        half.replace(target)
    return target


def _packed(packed: zipfile.ZipFile, path: Path, name: str) -> str:
    """Pack one file and sum up the very bytes that were packed; read before it is named,
    so that none is half there.
    """
    with path.open("rb") as stream:
        info = zipfile.ZipInfo.from_file(path, name, strict_timestamps=False)
        info.compress_type = zipfile.ZIP_DEFLATED
        digest = hashlib.sha256()
        with packed.open(info, "w") as out:
            while piece := stream.read(CHUNK):
                digest.update(piece)
                out.write(piece)
    return digest.hexdigest()


def _pictures(photos: Path) -> Iterator[Path]:
    return (path for path in photos.rglob("*") if path.is_file()) if photos.is_dir() else iter(())


def verified(source: Path, folder: Path) -> Path:
    """Unpack a backup into a folder and check every file of it; gives the database."""
    try:
        with zipfile.ZipFile(source) as packed:
            manifest = json.loads(packed.read(MANIFEST))
            sums: dict[str, str] = manifest["sha256"]
            if manifest["kilter_backup"] > VERSION:
                raise BackupError(
                    f"{source.name} was made by a later Kilter; bring this one up to date first."
                )
            for name, wanted in sums.items():
                path = (folder / name).resolve()
                if not path.is_relative_to(folder.resolve()):
                    raise BackupError(
                        f"{source.name} holds a file that lies outside of it: {name}."
                    )
                path.parent.mkdir(parents=True, exist_ok=True)
                with packed.open(name) as packed_file, path.open("wb") as out:
                    shutil.copyfileobj(packed_file, out, CHUNK)
                if _sha256(path) != wanted:
                    raise BackupError(
                        f"{name} in {source.name} is not what it was when it was kept."
                    )
    except (*TORN, KeyError, ValueError, TypeError, AttributeError) as error:
        raise BackupError(f"{source} is no backup of Kilter, or is damaged: {error}.") from error
    if problem := unsound(folder / DATABASE) or _foreign(folder / DATABASE):
        raise BackupError(f"The database in {source.name} cannot be used: {problem}.")
    return folder / DATABASE


def _foreign(database: Path) -> str:
    """Why a sound database is no garden that this Kilter can serve; empty where it is one."""
    if not database.exists():
        return "there is none"
    with contextlib.closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as opened:
        try:
            had = set(opened.execute("SELECT app, name FROM django_migrations"))
        except sqlite3.DatabaseError:
            had = set()
    if not any(app == "people" for app, _ in had):
        return "it holds no garden of Kilter's"
    ours = {one.label for one in apps.get_app_configs() if one.name.startswith("kilter.")}
    newest: dict[str, str] = {}
    for app, name in MigrationLoader(None).disk_migrations:
        newest[app] = max(newest.get(app, ""), name)
    # Names begin with a number. One that is gone from here, and not above the newest, is of the
    # first days.
    later = sorted(
        f"{app} {name}" for app, name in had if app in ours and name[:4] > newest.get(app, "")[:4]
    )
    return f"it was made by a later Kilter ({', '.join(later[:3])})" if later else ""


def restore(source: Path, database: Path, photos: Path) -> Path:
    """Put a backup in place of what is there, which is kept beside it; gives where.

    Whatever fails on the way, a whole database stands in its place: the old one until the new one
    takes it in one step.
    """
    database.parent.mkdir(parents=True, exist_ok=True)
    with (
        alone(database),
        tempfile.TemporaryDirectory(dir=database.parent, prefix=".kilter-restore-") as folder,
    ):
        fresh = verified(source, Path(folder))
        kept = database.parent / f"before-restore-{stamp()}-{secrets.token_hex(2)}"
        kept.mkdir(mode=0o700)
        for path in files_of(database):
            if path.exists():
                shutil.copy2(path, kept / path.name)
        _swap_photos(Path(folder) / "photos", photos, kept / "photos")
        try:
            # The log of the old database must be gone before another takes its place: it would be
            # read into it.
            _into_one_file(database)
            for path in files_of(database)[1:]:
                path.unlink(missing_ok=True)
            keep_to_owner(fresh)
            fresh.replace(database)
        except OSError:
            _swap_photos(kept / "photos", photos, Path(folder) / "photos")
            raise
    return kept


def _swap_photos(fresh: Path, photos: Path, old: Path) -> None:
    """Put one folder of photographs in place of another, on whatever disks they lie."""
    if photos.exists():
        shutil.move(str(photos), old)
    if fresh.exists():
        shutil.move(str(fresh), photos)


def _into_one_file(database: Path) -> None:
    """Take a database's log into it, where it can still be read."""
    if database.exists():
        with (
            contextlib.suppress(sqlite3.DatabaseError),
            contextlib.closing(sqlite3.connect(database)) as opened,
        ):
            opened.execute("PRAGMA wal_checkpoint(TRUNCATE)")


@contextlib.contextmanager
def alone(database: Path) -> Iterator[None]:
    """Hold a database for oneself: a server does while it serves, a restore while it swaps."""
    database.parent.mkdir(parents=True, exist_ok=True)
    lock = Path(f"{database}.lock")
    with lock.open("w") as held:
        lock.chmod(OWNER_FILE)
        try:
            fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise BackupError(f"Kilter serves {database} at the moment; stop it first.") from error
        yield


def nightly(
    database: Path, photos: Path, folder: Path, today: date, *, may_delete: bool = True
) -> Path | None:
    """Make the day's backup if there is none,
    and let go of those that are no longer kept, where that may be.
    """
    for cut_off in folder.glob(
        f"{_HALF}*"
    ):  # by a stop in the middle; only one server makes them here
        shutil.rmtree(cut_off, ignore_errors=True)
    target = folder / f"kilter-{today.isoformat()}.zip"
    made = None if target.exists() else backup(database, photos, target)
    for path in gone(folder, today) if may_delete else ():
        path.unlink(missing_ok=True)
    return made


def gone(folder: Path, today: date) -> list[Path]:
    """Nightly backups that are kept no longer: older than the days, and not the last one of one of
    the weeks.

    The newest are kept however old they are: a server that stood still for months has no others.
    """
    days: dict[date, Path] = {}
    for path in folder.glob("kilter-????-??-??.zip"):
        with contextlib.suppress(ValueError):
            days[date.fromisoformat(path.stem.removeprefix("kilter-"))] = path
    kept = {day for day in days if (today - day).days < KEPT_DAYS} | set(sorted(days)[-KEPT_DAYS:])
    weeks: dict[tuple[int, int], date] = {}
    for day in days:
        if (today - day).days < KEPT_WEEKS * 7:
            week = day.isocalendar()[:2]
            weeks[week] = max(weeks.get(week, day), day)
    return [path for day, path in sorted(days.items()) if day not in kept | set(weeks.values())]


def keep_nightly(
    database: Path, photos: Path, folder: Path, say: Callable[[str], object]
) -> threading.Thread:
    """Make a backup each night while this process lives; what goes wrong is said,
    shown to owners and tried again.
    """

    def work() -> None:
        today = date.today()  # noqa: DTZ011 - the machine's own night
        try:
            made = nightly(database, photos, folder, today, may_delete=is_day_sure(today))
            if made is not None:
                backup_ended(timezone.now())
        except Exception as error:  # whatever it is: the next night is tried all the same
            log.exception("the nightly backup failed")
            say(f"The nightly backup failed and will be tried again: {error}")
            with contextlib.suppress(DatabaseError):
                backup_ended(timezone.now(), str(error) or type(error).__name__)
        finally:
            connection.close()

    return now_and_then(work, "nightly-backup", LOOKS_EVERY_SECONDS)
