"""Static files under names that change with what is in them."""

from __future__ import annotations

from whitenoise.storage import CompressedManifestStaticFilesStorage


class HashedStorage(CompressedManifestStaticFilesStorage):
    """Whitenoise's own; what a script imports is named by its content too, so that an upgrade mixes no two versions."""

    support_js_module_import_aggregation = True
