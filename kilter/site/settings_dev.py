"""The demo's settings for whoever changes Kilter: scripts,
styles and pages are read anew from the source.
"""

from __future__ import annotations

from kilter.site.settings_demo import *  # noqa: F403
from kilter.site.settings_demo import STORAGES

STORAGES["staticfiles"]["BACKEND"] = "django.contrib.staticfiles.storage.StaticFilesStorage"
WHITENOISE_AUTOREFRESH = True
WHITENOISE_USE_FINDERS = True
