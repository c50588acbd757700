"""Settings of the tests: as real use, with a cheap password hasher and unhashed static names."""

from __future__ import annotations

import atexit
import shutil
import tempfile
from pathlib import Path

from kilter.site.settings import *  # noqa: F403
from kilter.site.settings import CONTENT_SECURITY_POLICY, DATABASES, PACKAGE_DIR

SECRET_KEY = "for tests only"
ALLOWED_HOSTS = ["testserver", "localhost", "127.0.0.1"]
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.InMemoryStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
WHITENOISE_AUTOREFRESH = True
STATICFILES_DIRS = [PACKAGE_DIR.parent / "tests" / "browser" / "vendor"]
CONTENT_SECURITY_POLICY["DIRECTIVES"]["report-uri"] = ["/csp-report"]
KILTER_TODAY = "2026-11-23"
KILTER_SIGNUP = "open"
AXES_ENABLED = RATELIMIT_ENABLE = False  # switched on where it is tested
# Each process has a folder of its own, so that two runs in one checkout do not meet.
_FOLDER = Path(tempfile.mkdtemp(prefix="kilter-tests-"))
atexit.register(shutil.rmtree, _FOLDER, ignore_errors=True)
DATABASES["default"]["TEST"] = {"NAME": str(_FOLDER / "kilter.sqlite3")}
PHOTOS_DIR = _FOLDER / "photos"
