"""Makes the two plain fonts of downloaded pictures from the shipped ones; needs fonttools and brotli."""

from pathlib import Path

from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

ROOT = Path(__file__).resolve().parents[1] / "kilter"
SOURCE = ROOT / "site/static/kilter/fonts/atkinson-hyperlegible-next-latin-wght-normal.woff2"
BOLD = 700

for name, weight in (("regular", 400), ("bold", BOLD)):
    font = instantiateVariableFont(TTFont(SOURCE), {"wght": weight})
    if weight == BOLD:  # so that whoever asks for bold finds it
        font["OS/2"].usWeightClass = BOLD
        font["OS/2"].fsSelection = (font["OS/2"].fsSelection & ~0x40) | 0x20
        font["head"].macStyle |= 1
    font.flavor = None
    font.save(ROOT / f"weigh_up/answer/fonts/hyperlegible-{name}.ttf")
