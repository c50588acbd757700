"""Makes the icons of the home screen from ``icon.svg``: plain ones, and one whose edge may be cut off."""

from __future__ import annotations

from pathlib import Path

import resvg_py

FOLDER = Path(__file__).resolve().parents[1] / "kilter/site/static/kilter"
SIZES = (180, 192, 512)
#: What is cut to a circle shows the middle four fifths for certain.
SAFE = 0.8

svg = (FOLDER / "icon.svg").read_text()
inside = svg[svg.index(">") + 1 : svg.rindex("</svg>")]
edge = 32 * (1 / SAFE - 1) / 2
maskable = (
    f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="{-edge} {-edge} {32 / SAFE} {32 / SAFE}">'
    f'<rect x="{-edge}" y="{-edge}" width="{32 / SAFE}" height="{32 / SAFE}" fill="#8E1F4B"/>{inside}</svg>'
)
for size in SIZES:
    (FOLDER / f"icon-{size}.png").write_bytes(bytes(resvg_py.svg_to_bytes(svg_string=svg, width=size, height=size)))
(FOLDER / "icon-maskable-512.png").write_bytes(
    bytes(resvg_py.svg_to_bytes(svg_string=maskable, width=512, height=512))
)
