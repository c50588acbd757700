"""A backup made beside a large load, and beside a migration: put back in another folder,
its figures are the same.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import threading
from pathlib import Path

from django.conf import settings

from kilter.people.models import Household
from kilter.site.backup import backup, restore
from tests.bench.crowds import LOADED, Browser, package
from tests.bench.writers import Server, sign_in
from tests.upgrade.keep import GARDEN, SCHEMAS, manage, undump

ROOT = Path(__file__).resolve().parents[2]


def figures(database: Path, household: str) -> str:
    """What each planting of a household gave, by every measure, as the command tells it."""
    own = {"DJANGO_SETTINGS_MODULE": "kilter.site.settings", "KILTER_DATABASE": str(database)}
    words = [sys.executable, "manage.py", "figures", "--household", household, "--json"]
    done = subprocess.run(
        words, cwd=ROOT, env={**os.environ, **own}, capture_output=True, text=True, check=True
    )
    return done.stdout


def put_back(made: Path, folder: Path) -> Path:
    """Restore a backup in a folder of its own."""
    restore(made, folder / "kilter.sqlite3", folder / "photos")
    return folder / "kilter.sqlite3"


def beside_a_load(household: Household, loading: Household) -> None:
    """While a package comes into one household,
    the figures of another are those of before in every backup.
    """
    database = Path(str(settings.DATABASES["default"]["NAME"]))
    before = figures(database, household.name)
    server, (loader,) = Server(), sign_in(loading, 1)
    browser, raw = Browser(server.port, loader.cookie), package(LOADED)
    thread = threading.Thread(target=browser.load, args=(raw,))
    thread.start()
    same = made = 0
    with tempfile.TemporaryDirectory() as folder:
        while thread.is_alive() and made < 4:
            one = backup(database, Path(folder) / "none", Path(folder) / f"{made}.zip")
            same += figures(put_back(one, Path(folder) / str(made)), household.name) == before
            made += 1
    thread.join()
    server.kill()
    print(
        f"backups beside a load of {LOADED} lines: {same} of {made} put back with the figures of "
        "before"
    )
    if not made or same < made:
        sys.exit("A backup beside a load is not what it was.")


def beside_a_migration() -> None:
    """While an old database is brought up to date,
    every backup of it comes to the same figures once it is too.
    """
    same = made = 0
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder)
        old = home / "old.sqlite3"
        undump(min(SCHEMAS.glob("*.sql.gz")), old)
        copies: list[Path] = []
        thread = threading.Thread(target=manage, args=(old, "migrate", "-v0"))
        thread.start()
        while thread.is_alive() and len(copies) < 40:
            copies.append(backup(old, home / "none", home / f"{len(copies)}.zip"))
            thread.join(0.4)
        thread.join()
        wanted = figures(old, "Old")
        for n, copy in enumerate(copies[:: max(len(copies) // 4, 1)]):
            (home / f"back{n}").mkdir()
            back = put_back(copy, home / f"back{n}")
            manage(back, "migrate", "-v0")
            same += figures(back, "Old") == wanted
            made += 1
    print(
        f"backups beside a migration of {GARDEN.name}: {same} of {made} put back with the same "
        "figures"
    )
    if not made or same < made:
        sys.exit("A backup beside a migration is not what it was.")


def backups_beside(household: Household, loading: Household) -> None:
    """Both of them."""
    beside_a_load(household, loading)
    beside_a_migration()
