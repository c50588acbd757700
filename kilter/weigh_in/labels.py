"""The code on a label that is tied to what waits for the scale."""

from __future__ import annotations

import io

import segno
from django.utils.safestring import SafeString, mark_safe


def code_of(address: str) -> SafeString:
    """A QR code as SVG, drawn by attributes only."""
    stream = io.BytesIO()
    code = segno.make(address, error="m", micro=False)
    title = "Code that opens this entry"
    code.save(stream, kind="svg", xmldecl=False, scale=3, border=2, title=title, omitsize=True)
    return mark_safe(stream.getvalue().decode())  # noqa: S308 - drawn by us from an address
