"""Static files under names that change with what is in them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from whitenoise.storage import CompressedManifestStaticFilesStorage


class HashedStorage(CompressedManifestStaticFilesStorage):
    """Whitenoise's own; what a script imports is named by its content too,
    so that an upgrade mixes no two versions.
    """

    support_js_module_import_aggregation = True

    def post_process(self, paths: dict[str, Any], *args: Any, **options: Any) -> Iterator[Any]:
        """All but what comes along with the htmx middleware: no page asks for it,
        and it imports what it lacks.
        """
        own = {name: path for name, path in paths.items() if not name.startswith("django_htmx/")}
        return super().post_process(own, *args, **options)
