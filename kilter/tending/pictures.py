"""Photographs taken in: checked, turned upright, made smaller,
and rid of all that a camera adds.
"""

from __future__ import annotations

import io
import threading
from typing import BinaryIO

from django.core.exceptions import ValidationError
from PIL import Image, ImageOps, UnidentifiedImageError

MAX_SIDE_PX = 1600
MAX_PIXELS = 40_000_000
MAX_FILE_BYTES = 15 * 1024 * 1024
QUALITY = 82
#: A picture is large while it is unpacked: one at a time, the others wait.
_one_at_a_time = threading.Lock()


def plain_jpeg(source: BinaryIO) -> tuple[bytes, int, int]:
    """Give a photograph as a JPEG of at most 1600 pixels a side with nothing but its pixels."""
    with _one_at_a_time:
        return _plain_jpeg(source)


def _plain_jpeg(source: BinaryIO) -> tuple[bytes, int, int]:
    try:
        with Image.open(source, formats=("JPEG", "PNG", "WEBP")) as opened:
            if opened.width * opened.height > MAX_PIXELS:
                raise ValidationError(
                    "This picture has more than 40 million pixels; send a smaller one."
                )
            opened.draft(
                "RGB", (2 * MAX_SIDE_PX, 2 * MAX_SIDE_PX)
            )  # a JPEG need not be unpacked in full to be made smaller
            upright = ImageOps.exif_transpose(opened).convert("RGB")
    except (
        UnidentifiedImageError,
        OSError,
        SyntaxError,
        ValueError,
        Image.DecompressionBombError,
    ) as error:
        raise ValidationError(
            "This file is no picture that can be read; send a JPEG, PNG or WebP."
        ) from error
    upright.thumbnail((MAX_SIDE_PX, MAX_SIDE_PX))
    # A fresh image: what the camera wrote beside the pixels, its location above all, is not carried
    # over.
    bare = Image.new("RGB", upright.size)
    bare.paste(upright)
    stream = io.BytesIO()
    bare.save(stream, "JPEG", quality=QUALITY, optimize=True)
    return stream.getvalue(), bare.width, bare.height


def is_plain_jpeg(raw: bytes) -> bool:
    """Whether a file is a picture as `plain_jpeg` makes them, with nothing beside its pixels."""
    try:
        with _one_at_a_time, Image.open(io.BytesIO(raw), formats=("JPEG",)) as opened:
            is_small = max(opened.size) <= MAX_SIDE_PX
            if not is_small:
                return False
            is_bare = not opened.getexif() and not {"comment", "icc_profile", "xmp"} & set(
                opened.info
            )
            opened.load()
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        return False
    return is_bare
