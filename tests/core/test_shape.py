"""The house rules of the core, checked on its source: frozen records, whole docstrings, no clock, no I/O."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

CORE = Path(__file__).resolve().parents[2] / "kilter" / "core"
PACKAGE = CORE.parent
MODULES = sorted(CORE.rglob("*.py"))
HEADINGS = ("Parameters", "Returns", "Raises", "Notes", "Examples")
MAX_BODY = 60


def functions(path: Path):
    return [node for node in ast.walk(ast.parse(path.read_text())) if isinstance(node, ast.FunctionDef)]


@pytest.mark.parametrize("path", MODULES, ids=lambda p: p.stem)
def test_public_functions_state_all_parts(path):
    for node in ast.parse(path.read_text()).body:
        if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
            text = ast.get_docstring(node) or ""
            missing = [heading for heading in HEADINGS if f"{heading}\n---" not in text]
            assert not missing, f"{node.name} lacks {missing}"


@pytest.mark.parametrize("path", MODULES, ids=lambda p: p.stem)
def test_dataclasses_are_frozen(path):
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ClassDef):
            for decorator in node.decorator_list:
                if "dataclass" in ast.unparse(decorator):
                    assert "frozen=True" in ast.unparse(decorator), node.name


@pytest.mark.parametrize("path", MODULES, ids=lambda p: p.stem)
def test_no_clock_no_global_randomness_no_bare_value_error(path):
    source = path.read_text()
    for word in ("datetime.now", "date.today", "time.time", "np.random.seed", "random.random", "raise ValueError("):
        assert word not in source


def test_functions_fit_on_a_screen():
    too_long = [
        f"{path.name}:{node.name}"
        for path in PACKAGE.rglob("*.py")
        if "migrations" not in path.parts
        for node in functions(path)
        if node.end_lineno - node.body[0].lineno - (len((ast.get_docstring(node) or "").splitlines())) > MAX_BODY
    ]
    assert too_long == []


def test_views_write_only_through_actions():
    for path in PACKAGE.rglob("views.py"):
        for word in ("objects.create(", ".delete(", "request.GET[", "bulk_create("):
            assert word not in path.read_text(), f"{path}: {word}"
