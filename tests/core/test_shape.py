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


WRITES = {"bulk_create", "bulk_update", "create", "delete", "get_or_create", "save", "update", "update_or_create"}


def writes_of(source: str) -> list[str]:
    """Calls that write a record; a form's ``save(commit=False)`` only fills one in."""
    calls = [node for node in ast.walk(ast.parse(source)) if isinstance(node, ast.Call)]
    methods = [call for call in calls if isinstance(call.func, ast.Attribute) and call.func.attr in WRITES]
    only_filled = {
        call for call in methods for key in call.keywords if key.arg == "commit" and ast.unparse(key.value) == "False"
    }
    return [ast.unparse(call) for call in methods if call not in only_filled]


@pytest.mark.parametrize("path", sorted(PACKAGE.rglob("*views.py")), ids=lambda p: f"{p.parent.name}/{p.name}")
def test_views_write_only_through_actions_and_read_input_only_through_forms(path):
    source = path.read_text()
    assert writes_of(source) == []
    assert "request.GET[" not in source
    assert "request.POST[" not in source


def test_a_write_in_a_view_would_be_found():
    source = "form.save(commit=False)\nform.save()\nEater.objects.create(name=name)\nsave_owned(actor, eater)"
    assert writes_of(source) == ["form.save()", "Eater.objects.create(name=name)"]
