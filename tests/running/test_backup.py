"""A backup is whole, is checked before it is put back, and what was there is kept."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import sqlite3
import stat
import threading
import zipfile
from collections.abc import Callable
from datetime import date, timedelta
from pathlib import Path

import pytest

from kilter.people.models import ServerState
from kilter.site.backup import (
    BackupError,
    alone,
    backup,
    gone,
    keep_nightly,
    nightly,
    restore,
    verified,
)
from kilter.site.upkeep import files_of, unsound


def garden(folder: Path, rows: int = 100) -> tuple[Path, Path]:
    """A database with its log beside it, and two photographs."""
    database, photos = folder / "kilter.sqlite3", folder / "photos"
    opened = sqlite3.connect(database)
    opened.execute("PRAGMA journal_mode=WAL")
    opened.execute("CREATE TABLE django_migrations (app TEXT, name TEXT)")
    opened.execute("INSERT INTO django_migrations VALUES ('people', '0001_begin')")
    opened.execute("CREATE TABLE lines (grams INTEGER)")
    opened.executemany("INSERT INTO lines VALUES (?)", [(i,) for i in range(rows)])
    opened.commit()
    opened.close()
    (photos / "3").mkdir(parents=True)
    for name in ("a.jpg", "b.jpg"):
        (photos / "3" / name).write_bytes(name.encode() * 500)
    return database, photos


def lines_in(database: Path) -> int:
    opened = sqlite3.connect(database)
    count: int = opened.execute("SELECT COUNT(*) FROM lines").fetchone()[0]
    opened.close()
    return count


def test_what_is_kept_is_put_back_and_what_was_there_is_kept_too(tmp_path):
    database, photos = garden(tmp_path)
    made = backup(database, photos, tmp_path / "kept" / "one.zip")
    assert stat.S_IMODE(made.stat().st_mode) == 0o600
    opened = sqlite3.connect(database)
    opened.execute("DELETE FROM lines")
    opened.commit()
    assert Path(
        f"{database}-wal"
    ).exists()  # a log that must not be read into the database put back
    (photos / "3" / "a.jpg").unlink()
    kept = restore(made, database, photos)
    opened.close()
    assert lines_in(database) == 100
    assert unsound(database) == ""
    assert (photos / "3" / "a.jpg").read_bytes() == b"a.jpg" * 500
    assert lines_in(kept / "kilter.sqlite3") == 0
    assert [p.name for p in (kept / "photos" / "3").iterdir()] == ["b.jpg"]


def test_a_backup_taken_while_others_write_is_of_one_moment(tmp_path):
    database, photos = garden(tmp_path, 0)
    stop = threading.Event()

    def write() -> None:
        opened = sqlite3.connect(database, timeout=20)
        while not stop.is_set():
            with opened:
                opened.executemany(
                    "INSERT INTO lines VALUES (?)", [(1,)] * 10
                )  # always tens, or the moment was torn
        opened.close()

    writer = threading.Thread(target=write)
    writer.start()
    try:
        for n in range(5):
            made = backup(database, photos, tmp_path / f"{n}.zip")
            folder = tmp_path / f"out{n}"
            folder.mkdir()
            assert lines_in(verified(made, folder)) % 10 == 0
    finally:
        stop.set()
        writer.join()


def changed(source: Path, name: str, content: bytes) -> Path:
    target = source.with_name("changed.zip")
    with zipfile.ZipFile(source) as old, zipfile.ZipFile(target, "w") as new:
        for info in old.infolist():
            new.writestr(info.filename, content if info.filename == name else old.read(info))
    return target


def torn(source: Path, share: float) -> Path:
    """An archive of which only the beginning was copied."""
    target = source.with_name("torn.zip")
    raw = source.read_bytes()
    target.write_bytes(raw[: int(len(raw) * share)])
    return target


def holed(source: Path) -> Path:
    """An archive with a hole in its middle."""
    raw = bytearray(source.read_bytes())
    raw[200:400] = bytes(200)
    target = source.with_name("holed.zip")
    target.write_bytes(raw)
    return target


def foreign(beside: Path, *had: tuple[str, str]) -> bytes:
    """A sound database of something else, or of a Kilter that had these migrations."""
    path = beside.with_name("foreign.sqlite3")
    opened = sqlite3.connect(path)
    opened.execute("CREATE TABLE books (title TEXT)")
    if had:
        opened.execute("CREATE TABLE django_migrations (app TEXT, name TEXT)")
        opened.executemany("INSERT INTO django_migrations VALUES (?, ?)", had)
    opened.commit()
    opened.close()
    return path.read_bytes()


def holding(source: Path, database: bytes) -> Path:
    """An archive whose sums are right, around another database."""
    with zipfile.ZipFile(source) as old:
        manifest = json.loads(old.read("manifest.json"))
    manifest["sha256"] = {"kilter.sqlite3": hashlib.sha256(database).hexdigest()}
    target = source.with_name("holding.zip")
    with zipfile.ZipFile(target, "w") as new:
        new.writestr("kilter.sqlite3", database)
        new.writestr("manifest.json", json.dumps(manifest))
    return target


@pytest.mark.parametrize(
    ("harm", "says"),
    [
        (
            lambda path: changed(path, "kilter.sqlite3", b"x" * 900),
            "is not what it was when it was kept",
        ),
        (
            lambda path: changed(path, "photos/3/a.jpg", b"other"),
            "is not what it was when it was kept",
        ),
        (lambda path: changed(path, "manifest.json", b"{}"), "is no backup of Kilter"),
        (
            lambda path: changed(path, "manifest.json", b'{"kilter_backup": 99, "sha256": {}}'),
            "a later Kilter",
        ),
        (
            lambda path: changed(
                path, "manifest.json", b'{"kilter_backup": 1, "sha256": {"../../x": "0"}}'
            ),
            "outside of it",
        ),
        (lambda path: path.with_name("nothing.zip"), "is no backup of Kilter"),
        (lambda path: torn(path, 0.5), "is no backup of Kilter"),
        (lambda path: torn(path, 0.99), "is no backup of Kilter"),
        (lambda path: holed(path), "is no backup of Kilter|is not what it was"),
        (lambda path: holding(path, b""), "it holds no garden of Kilter's"),
        (lambda path: holding(path, foreign(path)), "it holds no garden of Kilter's"),
        (
            lambda path: holding(path, foreign(path, ("people", "9999_later"))),
            "made by a later Kilter",
        ),
        (
            lambda path: changed(path, "manifest.json", b'{"kilter_backup": 1, "sha256": {}}'),
            "there is none",
        ),
        (
            lambda path: changed(path, "manifest.json", b'{"kilter_backup": 1, "sha256": []}'),
            "is no backup of Kilter",
        ),
    ],
)
def test_a_damaged_backup_changes_nothing(tmp_path, harm, says):
    database, photos = garden(tmp_path)
    damaged = harm(backup(database, photos, tmp_path / "one.zip"))
    with pytest.raises(BackupError, match=says):
        restore(damaged, database, photos)
    assert lines_in(database) == 100
    assert (photos / "3" / "a.jpg").exists()


def test_photographs_of_any_time_are_kept_and_those_that_vanish_are_named(
    tmp_path, monkeypatch, caplog
):
    database, photos = garden(tmp_path)
    os.utime(photos / "3" / "a.jpg", (0, 0))  # 1970: a camera whose battery was out
    open_ = Path.open

    def vanishing(path, *args, **kwargs):
        if path.name == "b.jpg":
            path.unlink(missing_ok=True)
        return open_(path, *args, **kwargs)

    monkeypatch.setattr(Path, "open", vanishing)
    made = backup(database, photos, tmp_path / "one.zip")
    monkeypatch.undo()
    with zipfile.ZipFile(made) as packed:
        assert packed.read("photos/3/a.jpg") == b"a.jpg" * 500
        assert json.loads(packed.read("manifest.json"))["missing"] == ["photos/3/b.jpg"]
    assert "photos/3/b.jpg" in caplog.text
    restore(made, database, photos)
    assert [p.name for p in (photos / "3").iterdir()] == ["a.jpg"]


@pytest.mark.django_db(transaction=True)
def test_the_nightly_task_survives_whatever_goes_wrong_and_owners_see_it(tmp_path, monkeypatch):
    database, photos = garden(tmp_path)
    said: list[str] = []
    works: list[Callable[[], None]] = []
    monkeypatch.setattr("kilter.site.backup.now_and_then", lambda work, *_: works.append(work))
    keep_nightly(database, photos, tmp_path / "nights", said.append)
    (work,) = works
    monkeypatch.setattr("kilter.site.backup.backup", lambda *_: 1 / 0)
    work()
    assert "division by zero" in said[0]
    assert "division by zero" in ServerState.objects.get().backup_problem
    assert ServerState.objects.get().backed_up_at is None
    monkeypatch.undo()
    monkeypatch.setattr("kilter.site.backup.now_and_then", lambda work, *_: works.append(work))
    work()
    known = ServerState.objects.get()
    assert (known.backup_problem, known.backed_up_at is not None) == ("", True)


def test_the_newest_backups_are_kept_however_old_they_are(tmp_path):
    for day in range(1, 20):
        (tmp_path / f"kilter-2026-03-{day:02d}.zip").touch()
    left = {path.name for path in tmp_path.iterdir()} - {
        path.name for path in gone(tmp_path, date(2027, 1, 1))
    }
    assert left == {f"kilter-2026-03-{day:02d}.zip" for day in range(13, 20)}


def test_nothing_is_let_go_of_where_the_day_is_in_doubt(tmp_path):
    database, photos = garden(tmp_path)
    folder = tmp_path / "nights"
    for day in range(1, 20):
        nightly(database, photos, folder, date(2026, 3, day))
    before = set(folder.iterdir())
    nightly(database, photos, folder, date(2027, 3, 1), may_delete=False)
    assert before < set(folder.iterdir())
    nightly(database, photos, folder, date(2027, 3, 1), may_delete=True)
    assert not before <= set(folder.iterdir())


def test_nothing_is_restored_under_a_server_that_serves(tmp_path):
    database, photos = garden(tmp_path)
    made = backup(database, photos, tmp_path / "one.zip")
    with alone(database), pytest.raises(BackupError, match="stop it first"):
        restore(made, database, photos)


def test_a_nightly_backup_is_made_once_and_kept_seven_days_and_eight_weeks(tmp_path):
    database, photos = garden(tmp_path)
    folder, today = tmp_path / "nights", date(2026, 11, 23)
    assert nightly(database, photos, folder, today) is not None
    assert nightly(database, photos, folder, today) is None
    one = next(folder.iterdir())
    for back in range(1, 100):
        shutil.copy(one, folder / f"kilter-{today - timedelta(days=back)}.zip")
    for path in gone(folder, today):
        path.unlink()
    left = sorted(
        date.fromisoformat(path.stem.removeprefix("kilter-")) for path in folder.iterdir()
    )
    assert left[-7:] == [today - timedelta(days=back) for back in range(6, -1, -1)]
    weekly = left[:-7]
    assert all((today - day).days < 56 and day.isoweekday() == 7 for day in weekly)
    assert 6 <= len(weekly) <= 8


def test_commands_keep_restore_and_refuse_in_words(ready):
    kept = ready.folder / "whole.zip"
    assert "Kept in" in ready.manage("backup", str(kept)).stdout
    ready.database.write_bytes(b"not a database at all")
    damaged = ready.manage("serve")
    assert damaged.returncode == 1
    assert "The database is damaged" in damaged.stderr
    assert "Traceback" not in damaged.stderr
    back = ready.manage("restore", str(kept))
    assert "Restored from" in back.stdout
    assert unsound(ready.database) == ""
    assert len(files_of(ready.database)) == 4
    refused = ready.manage("restore", str(ready.folder / "no.zip"))
    assert "is no backup of Kilter" in refused.stderr


def test_a_backup_of_the_first_days_is_put_back(tmp_path):
    """Two migrations of then went into another;
    their names still stand in databases that were made before.
    """
    database, photos = garden(tmp_path)
    made = backup(database, photos, tmp_path / "one.zip")
    old = foreign(made, ("people", "0001_begin"), ("ground", "0002_begin"))
    restore(holding(made, old), tmp_path / "back.sqlite3", tmp_path / "back")
    assert (tmp_path / "back.sqlite3").exists()
