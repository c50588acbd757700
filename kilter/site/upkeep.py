"""What is looked at before serving: the schema, the secret, the files' modes,
and whether the database is sound.
"""

from __future__ import annotations

import os
import sqlite3
import stat
import threading
from collections import Counter
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from django.apps import apps
from django.conf import settings
from django.db import connection
from django.db.migrations.executor import MigrationExecutor

MIN_SECRET = 32
#: So many different letters a secret has at least: "aaaa…" is long and no secret.
MIN_LETTERS = 12
LOOKS_EVERY_SECONDS = 1800
OWNER_FILE, OWNER_FOLDER = 0o600, 0o700


def require_secret() -> None:
    """Refuse to serve with a secret that is missing or can be guessed."""
    secret = os.environ.get("KILTER_SECRET_KEY", "")
    if settings.IS_DEMO or (len(secret) >= MIN_SECRET and len(Counter(secret)) >= MIN_LETTERS):
        return
    raise SystemExit(
        f"KILTER_SECRET_KEY is not set, shorter than {MIN_SECRET} characters, or always the same "
        "few. Give it a long random text that only this machine knows, such as: python3 -c 'import "
        "secrets; print(secrets.token_urlsafe(50))'"
    )


def places() -> tuple[Path, Path]:
    """Where the database and the photographs lie."""
    return Path(str(settings.DATABASES["default"]["NAME"])), Path(settings.PHOTOS_DIR)


def stamp() -> str:
    """The time as it stands in a file's name."""
    return f"{datetime.now().astimezone():%Y%m%d-%H%M%S}"


def now_and_then(work: Callable[[], object], name: str, every_s: float) -> threading.Thread:
    """Do something at once and again and again while this process lives."""

    def run() -> None:
        wait = threading.Event()
        while True:
            work()
            wait.wait(every_s)

    thread = threading.Thread(target=run, name=name, daemon=True)
    thread.start()
    return thread


def is_root() -> bool:
    """Whether this runs as the system's administrator, which it has no need to."""
    return hasattr(os, "geteuid") and os.geteuid() == 0


def keep_to_owner(*paths: Path) -> None:
    """Let nobody but the owner read the garden: files 0600, folders 0700."""
    for path in paths:
        if path.exists():
            wanted = OWNER_FOLDER if path.is_dir() else OWNER_FILE
            if stat.S_IMODE(path.stat().st_mode) != wanted:
                path.chmod(wanted)


def files_of(database: Path) -> list[Path]:
    """The database with what SQLite keeps beside it."""
    return [database, *(Path(f"{database}{end}") for end in ("-wal", "-shm", "-journal"))]


def unsound(database: Path) -> str:
    """What SQLite's quick check says of a database; empty where it is sound or not there yet."""
    if not database.exists():
        return ""
    try:
        with sqlite3.connect(f"file:{database}?mode=ro", uri=True) as opened:
            said = [row[0] for row in opened.execute("PRAGMA quick_check(5)")]
    except sqlite3.DatabaseError as error:
        return str(error)
    return "" if said == ["ok"] else "; ".join(said)


def pending_migrations() -> list[str]:
    """Migrations of this version that the database has not had."""
    executor = MigrationExecutor(connection)
    plan = executor.migration_plan(executor.loader.graph.leaf_nodes())
    return [f"{migration.app_label} {migration.name}" for migration, _ in plan]


def schema_gaps() -> list[str]:
    """Tables and columns that the models have and the database has not."""
    gaps = []
    with connection.cursor() as cursor:
        tables = set(connection.introspection.table_names(cursor))
        for model in apps.get_models():
            table = model._meta.db_table
            if not model._meta.managed or model._meta.proxy:
                continue
            if table not in tables:
                gaps.append(f"the table {table}")
                continue
            there = {
                column.name
                for column in connection.introspection.get_table_description(cursor, table)
            }
            gaps += [
                f"{table}.{f.column}"
                for f in model._meta.local_concrete_fields
                if f.column not in there
            ]
    return gaps


def check_schema(say: Callable[[str], object]) -> None:
    """Refuse to serve with a database that this version cannot use; says what to do."""
    if pending := pending_migrations():
        raise SystemExit(
            f"The database is older than this version ({', '.join(pending[:3])} …): run manage.py "
            "migrate."
        )
    if gaps := schema_gaps():
        raise SystemExit(
            f"The database lacks {', '.join(gaps[:5])}. It was changed by hand or by a version "
            "that was never landed: restore a backup (manage.py restore), or load a package into a "
            "new database."
        )
    if is_root():
        say("Kilter runs as root, which it has no need to: give it a user of its own.")
