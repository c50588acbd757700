"""The glossary against the code: each word is defined where the page says,
once, in order of use.
"""

from __future__ import annotations

import ast
import re
from pathlib import Path

HOUSE = Path(__file__).parents[2]
ROW = re.compile(
    r"^\| (?P<word>[a-z ]+) \| `(?P<name>\w+)` in `(?P<module>[\w/.]+)` \| (?P<meaning>.+\.) \|$",
    re.MULTILINE,
)


def rows() -> list[re.Match[str]]:
    return list(ROW.finditer((HOUSE / "docs/glossary.md").read_text()))


def defined_in(module: Path) -> set[str]:
    """Classes, functions, constants and fields of a module."""
    tree = ast.parse(module.read_text())
    names = {
        node.name for node in ast.walk(tree) if isinstance(node, ast.ClassDef | ast.FunctionDef)
    }
    return names | {
        node.id
        for node in ast.walk(tree)
        if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store)
    }


def test_every_word_is_defined_where_the_glossary_says():
    missing = [
        row["word"] for row in rows() if row["name"] not in defined_in(HOUSE / row["module"])
    ]
    assert missing == []


def test_there_are_forty_words_at_least_each_once():
    words = [row["word"] for row in rows()]
    lines = (HOUSE / "docs/glossary.md").read_text().count("\n| ") - 1  # the head is no word
    assert len(words) == len(set(words)) == lines >= 40
