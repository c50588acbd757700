"""Kilter speaks as one gardener to another: what was said less plainly is said nowhere any more."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]
#: Each was found on a page once, and is said otherwise now.
NO_MORE = (
    "like with like within",
    "cannot also be held alike",
    "told from chance already",
    "found four times in five",
    "tell a gap from chance four times in five",
    "spread seen, as a multiple",
    "adjusted to the same mix of",
    "difference scale",
    "on the strip",
    "pile on",
    "of so many plants, if not all",
    "into my hand",
    "leave it out",
    "laid down too long ago",
    "cut back, to wait",
    "beyond the need",
    "by the plate",
    "growing degree days over",
    "row with a known id",
    "a line before it in the pile",
    "crowding shows from",
    "usually differ by",
    "in the middle for",
    "figures use where it stood when",
    "of these a count is a whole line",
    "is in the account of",
    "chance that it is ahead",
    "of a hundred seeds come up",
    "nothing is in the ground this season",
    "years since solanaceae",
    "nominal volume",
    "seed potatos",
    "of other crops tells the spread is bounded",
    "needs no judging, and most is",
    "these sums are all that the units say",
    "is already off, as one plant",
    "untold densities",
)
FILES = [
    path
    for kind in ("*.py", "*.html", "*.js")
    for path in sorted((ROOT / "kilter").rglob(kind))
    if "migrations" not in path.parts and not path.name.endswith(".min.js")
]


@pytest.mark.parametrize("words", NO_MORE)
def test_it_is_said_more_plainly(words):
    pattern = re.compile(r"\b" + r"\s+".join(map(re.escape, words.split())) + r"\b", re.IGNORECASE)
    assert [str(path.relative_to(ROOT)) for path in FILES if pattern.search(path.read_text())] == []


@pytest.mark.parametrize(
    "pattern", [r"\b1 (rows|days|weeks|lines|places|plants|crops)\b", r"potatos\b", r"tomatos\b"]
)
def test_no_page_of_the_application_writes_a_wrong_plural(pattern):
    found = [
        path for path in FILES if path.suffix == ".html" and re.search(pattern, path.read_text())
    ]
    assert found == []
