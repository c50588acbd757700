"""Settings of the demo only: a marked database, this machine only, signed in on arrival."""

from __future__ import annotations

import os
import secrets

from kilter.site.settings import *  # noqa: F403
from kilter.site.settings import BASE_DIR, DATABASES, MIDDLEWARE

IS_DEMO = True
# The garden's own autumn, so that the demo does not rot; KILTER_TODAY= (empty) runs it on the real
# date.
KILTER_TODAY = os.environ.get("KILTER_TODAY", "2026-11-23")
ALLOWED_HOSTS = ["127.0.0.1", "localhost"]
DATABASES["default"]["NAME"] = str(BASE_DIR / ".demo" / "demo.sqlite3")
PHOTOS_DIR = BASE_DIR / ".demo" / "photos"
MIDDLEWARE = [*MIDDLEWARE, "kilter.site.demo.DemoSignInMiddleware"]


def _own_secret() -> str:
    """Keep one random key beside the demo database, so that a second start keeps the session."""
    path = BASE_DIR / ".demo" / "secret"
    if not path.exists():
        path.parent.mkdir(exist_ok=True)
        path.touch(mode=0o600)
        path.write_text(secrets.token_urlsafe(50))
    return path.read_text()


SECRET_KEY = _own_secret()
