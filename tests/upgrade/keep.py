"""``python -m tests.upgrade.keep``: keep the schema as it is now, with a small garden in it, for
later ones to upgrade.

Run it before landing a migration. It writes ``schemas/NAME.sql.gz`` and the hashes of all
migrations, which must not change from then on.
"""

from __future__ import annotations

import gzip
import hashlib
import json
import os
import sqlite3
import subprocess
import sys
import tempfile
from pathlib import Path

HERE = Path(__file__).parent
ROOT = HERE.parents[1]
SCHEMAS, LANDED, GARDEN = HERE / "schemas", HERE / "landed.json", HERE / "garden"
KEPT = sorted(SCHEMAS.glob("*.sql.gz"))
#: What the migrations themselves write into an empty database.
THEIRS = {"django_migrations", "django_content_type", "auth_permission"}
MAKE = (
    "from kilter.people.models import Household, Membership, User; "
    "h = Household.objects.create(name='Old'); u = User.objects.create_user('old'); "
    "Membership.objects.create(user=u, household=h, role='owner')"
)


def migrations() -> dict[str, str]:
    """Every migration of the project with the hash of its file."""
    files = sorted((ROOT / "kilter").glob("*/migrations/[0-9]*.py"))
    return {f"{f.parts[-3]}/{f.stem}": hashlib.sha256(f.read_bytes()).hexdigest() for f in files}


def manage(database: Path, *words: str, root: Path = ROOT) -> str:
    """Run a command on a database."""
    own = {
        "DJANGO_SETTINGS_MODULE": "kilter.site.settings",
        "KILTER_DATABASE": str(database),
        "KILTER_SECRET_KEY": "for upgrades only, it signs nothing",
    }
    done = subprocess.run(
        [sys.executable, "manage.py", *words],
        cwd=root,
        env={**os.environ, **own},
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        raise RuntimeError(done.stderr)
    return done.stdout


def dump(database: Path, target: Path) -> None:
    """Write a database as text, packed, without what differs from run to run."""
    opened = sqlite3.connect(database)
    text = "\n".join(opened.iterdump())
    opened.close()
    target.parent.mkdir(exist_ok=True)
    target.write_bytes(gzip.compress(text.encode(), mtime=0))


def undump(source: Path, target: Path, *, is_empty: bool = False) -> None:
    """Make the database that a text describes, on wish without what was written in it."""
    opened = sqlite3.connect(target)
    opened.executescript(gzip.decompress(source.read_bytes()).decode())
    if is_empty:
        tables = {
            name
            for (name,) in opened.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
        }
        for table in tables - THEIRS:
            opened.execute(f'DELETE FROM "{table}"')
        opened.commit()
        opened.execute("VACUUM")
    opened.close()


def keep(root: Path, name: str) -> Path:
    """Make a database with the code in a folder, put the small garden in it, and keep it."""
    with tempfile.TemporaryDirectory() as folder:
        database = Path(folder) / "kilter.sqlite3"
        manage(database, "migrate", "-v0", root=root)
        manage(database, "shell", "-c", MAKE, root=root)
        manage(database, "load", str(GARDEN), "--household", "Old", root=root)
        dump(database, SCHEMAS / f"{name}.sql.gz")
    return SCHEMAS / f"{name}.sql.gz"


def main() -> None:
    now = migrations()
    name = hashlib.sha256("".join(sorted(now)).encode()).hexdigest()[:8]
    number = len(list(SCHEMAS.glob("*.sql.gz"))) + 1
    known = next(SCHEMAS.glob(f"*-{name}.sql.gz"), None)  # kept before it landed, it is made anew
    made = keep(ROOT, known.name.removesuffix(".sql.gz") if known else f"{number:02d}-{name}")
    LANDED.write_text(json.dumps(now, indent=1) + "\n")
    print(f"{made.name} is kept with {len(now)} migrations.")


if __name__ == "__main__":
    main()
