"""What of happenings, jobs and photographs travels in the open format."""

from __future__ import annotations

import hashlib
import io
from typing import Any, Protocol

from django.core.files.base import ContentFile
from PIL import Image

from kilter.tables import cells
from kilter.tables.cells import CellError
from kilter.tables.table import Column, Names, Table, Told, Values
from kilter.tending.models import Happening, Job, Photo, Repeat
from kilter.tending.pictures import is_plain_jpeg

FOLDER = "photos/"


def _scaled(name: str, attr: str, scale: int, about: str) -> Column:
    """Kept as whole small units, written as larger ones."""
    return Column(
        name=name,
        parse=cells.number(0, 100_000_000 / scale),
        field_type="number",
        about=about,
        attr=attr,
        kept=lambda value: None if value is None else round(value * scale),
        shown=lambda value: None if value is None else value / scale,
    )


def photo_name(photo: Photo) -> str:
    """What a photograph is called in a package: by its id, so that two never meet."""
    return f"{FOLDER}{photo.ref}.jpg"


def photo_bytes(photo: Photo) -> bytes | None:
    """The picture itself; None where its file is gone."""
    try:
        with photo.file.open("rb") as stream:
            return bytes(stream.read())
    except OSError:
        return None


def _photo_cells(photo: Photo) -> dict[str, Any]:
    raw = photo_bytes(photo)
    return {
        "file": photo_name(photo) if raw else None,
        "sha256": hashlib.sha256(raw).hexdigest() if raw else None,
    }


def _photo_fields(values: Values, names: Names) -> dict[str, Any]:
    raw = picture(values, names)
    known = names.record("photos", values["id"])
    if known is not None and photo_bytes(known) == raw:
        return {}
    with Image.open(io.BytesIO(raw)) as opened:
        width, height = opened.size
    return {"file": ContentFile(raw, name="photo.jpg"), "width": width, "height": height}


class Files(Protocol):
    """The files that came with a package."""

    def file(self, name: str) -> bytes:
        """One of them; a `CellError` where it is not there."""


def picture(values: Values, names: Files) -> bytes:
    """The file of a row, which must be what its hash says and a plain picture."""
    raw = names.file(values["file"] or "")
    if hashlib.sha256(raw).hexdigest() != (values["sha256"] or "").lower():
        raise CellError("is not the file that its sha256 tells of")
    if not is_plain_jpeg(raw):
        raise CellError("is not a plain JPEG of at most 1600 pixels a side, as Kilter keeps them")
    return raw


FORMAT = (
    Table.of(
        Happening, "happenings", quiet=("precision",), one_of=("site", "place", "part", "planting")
    ),
    Table.of(
        Job,
        "jobs",
        quiet=("precision",),
        one_of=("site", "place", "planting"),
        instead=(
            _scaled("minutes", "seconds", 60, "Minutes."),
            _scaled("litres", "water_ml", 1000, "Litres of water."),
        ),
    ),
    Table.of(Repeat, "repeats", one_of=("planting", "place")),
    Table.of(
        Photo,
        "photos",
        told=(
            Told(
                (
                    Column(
                        name="file",
                        parse=cells.text(90),
                        is_required=True,
                        about="In the package: photos/….jpg",
                    ),
                    Column(
                        name="sha256",
                        parse=cells.text(64),
                        is_required=True,
                        about="Of that file, in hexadecimal.",
                    ),
                ),
                _photo_fields,
                _photo_cells,
                instead_of=("file", "width", "height"),
            ),
        ),
    ),
)
