"""What a page does to hands and eyes, measured in the browser: overflow, hidden focus,
small targets, small text.
"""

from __future__ import annotations

from pathlib import Path

#: Pixels: the least a target and a text may be; 11 px in pictures, as they are drawn; 44 px for
#: what the main jobs are done by.
TARGET_PX, TEXT_PX, PICTURE_TEXT_PX, JOB_PX = 24, 12, 11, 44
SCRIPT = (Path(__file__).parent / "measure.js").read_text()


def faults_of(driver) -> dict[str, list[str]]:
    """Every fault of the page that is open, by kind."""
    return driver.execute_script(SCRIPT, TARGET_PX, TEXT_PX, PICTURE_TEXT_PX, JOB_PX)
