"""The real server in a process of its own, with a garden of its own on disk."""

from __future__ import annotations

import contextlib
import fcntl
import os
import secrets
import shutil
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]
STARTS_WITHIN_S = 120


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
    return port


@contextlib.contextmanager
def starting() -> Iterator[None]:
    """One at a time: every start gathers styles and scripts into the same folder."""
    with (ROOT / ".static.lock").open("w") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        yield


class Kilter:
    """One installation: a database, photographs, a secret."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.database, self.port = folder, folder / "kilter.sqlite3", free_port()
        self.photos, self.said = folder / "photos", folder / "said"
        self.environment = {
            **{k: v for k, v in os.environ.items() if not k.startswith("KILTER_")},
            "DJANGO_SETTINGS_MODULE": "kilter.site.settings",
            "KILTER_SECRET_KEY": secrets.token_urlsafe(50),
            "KILTER_DATABASE": str(self.database),
            "KILTER_PHOTOS": str(self.photos),
            "KILTER_HOSTS": "127.0.0.1,localhost,garden.example",
            "PORT": str(self.port),
        }
        self.process: subprocess.Popen[bytes] | None = None

    def manage(self, *words: str, **more: str) -> subprocess.CompletedProcess[str]:
        """Run a command to its end."""
        with starting():
            return subprocess.run(
                [sys.executable, "manage.py", *words],
                cwd=ROOT,
                env={**self.environment, **more},
                capture_output=True,
                text=True,
                timeout=120,
                check=False,
            )

    def serve(self, **more: str) -> None:
        """Start serving, and wait until it answers."""
        with starting():
            self._start(more)

    def _start(self, more: dict[str, str]) -> None:
        with self.said.open("w") as out:
            self.process = subprocess.Popen(
                [sys.executable, "manage.py", "serve"],
                cwd=ROOT,
                env={**self.environment, **more},
                stdout=out,
                stderr=subprocess.STDOUT,
            )
        until = time.monotonic() + STARTS_WITHIN_S
        while time.monotonic() < until:
            if self.process.poll() is not None:
                raise AssertionError(self.said.read_text())
            try:
                socket.create_connection(("127.0.0.1", self.port), 0.2).close()
                return
            except OSError:
                time.sleep(0.05)
        raise AssertionError("It did not start.")

    def stop(self) -> None:
        if self.process is not None:
            self.process.terminate()
            self.process.wait(20)
            self.process = None


@pytest.fixture
def ready(kilter: Kilter, migrated: Path) -> Kilter:
    """An installation that was served before, so that its tables are there."""
    shutil.copy(migrated, kilter.database)
    kilter.database.chmod(0o600)
    return kilter


@pytest.fixture
def kilter(tmp_path: Path) -> Iterator[Kilter]:
    one = Kilter(tmp_path)
    yield one
    one.stop()
