"""The house rules of the core, checked on its source: frozen records,
whole docstrings, no clock, no I/O.
"""

from __future__ import annotations

import ast
import re
from pathlib import Path

import pytest

CORE = Path(__file__).resolve().parents[2] / "kilter" / "core"
PACKAGE = CORE.parent
MODULES = sorted(CORE.rglob("*.py"))
#: A value with more fields than this is made by names, and no call passes more than this by place.
MOST_BY_PLACE = 6
MAX_BODY = 60


def functions(path: Path):
    return [
        node for node in ast.walk(ast.parse(path.read_text())) if isinstance(node, ast.FunctionDef)
    ]


@pytest.mark.parametrize("path", MODULES, ids=lambda p: p.stem)
def test_public_functions_state_all_parts(path):
    for node in ast.parse(path.read_text()).body:
        if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
            text = ast.get_docstring(node) or ""
            needed = {"Returns", "Examples"}
            needed |= {"Parameters"} if node.args.args or node.args.kwonlyargs else set()
            needed |= (
                {"Raises"} if any(isinstance(part, ast.Raise) for part in ast.walk(node)) else set()
            )
            missing = [heading for heading in sorted(needed) if f"{heading}\n---" not in text]
            assert not missing, f"{node.name} lacks {missing}"
            assert "---\nNothing." not in text, f"{node.name} has a part that says nothing"
            assert "---\nNone." not in text, f"{node.name} has a part that says nothing"


@pytest.mark.parametrize("path", MODULES, ids=lambda p: p.stem)
def test_dataclasses_are_frozen(path):
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ClassDef):
            for decorator in node.decorator_list:
                if "dataclass" in ast.unparse(decorator):
                    assert "frozen=True" in ast.unparse(decorator), node.name


def sources():
    return [path for path in PACKAGE.rglob("*.py") if "migrations" not in path.parts]


def made_by_place(tree: ast.AST) -> list[str]:
    """Values of many fields that may be made without their names,
    and calls with many arguments by place.
    """
    found = []
    for node in ast.walk(tree):
        if isinstance(node, ast.Call):
            by_place = [one for one in node.args if not isinstance(one, ast.Starred)]
            if len(by_place) > MOST_BY_PLACE and not ast.unparse(node.func).endswith(
                "select_related"
            ):
                found.append(ast.unparse(node.func))
        if isinstance(node, ast.ClassDef):
            how = " ".join(ast.unparse(one) for one in node.decorator_list)
            fields = [one for one in node.body if isinstance(one, ast.AnnAssign)]
            if "dataclass" in how and "kw_only=True" not in how and len(fields) > MOST_BY_PLACE:
                found.append(node.name)
    return found


def test_values_of_many_fields_are_made_by_names():
    assert {
        path.name: found
        for path in sources()
        if (found := made_by_place(ast.parse(path.read_text())))
    } == {}


def test_a_value_made_by_place_would_be_found():
    fields = "\n".join(f"    f{i}: int" for i in range(7))
    assert made_by_place(ast.parse(f"@dataclass(frozen=True)\nclass Wide:\n{fields}")) == ["Wide"]
    assert made_by_place(ast.parse("wide(1, 2, 3, 4, 5, 6, 7)")) == ["wide"]


def test_a_figure_is_rounded_by_half_up_alone():
    """Python's own rounding takes 2.5 to 2 and 0.285 to 0.28: the same figure would read otherwise
    in a sentence than in a table.
    """
    found = {
        str(path.relative_to(PACKAGE))
        for path in sources()
        if path.parent.name != "drawing" and re.search(r":[,+]?\.\d+f\}", path.read_text())
    }
    assert found == {"core/errors.py"}, "only the errors stand below the amounts"


@pytest.mark.parametrize("path", MODULES, ids=lambda p: p.stem)
def test_no_clock_no_global_randomness_no_bare_value_error(path):
    source = path.read_text()
    for word in (
        "datetime.now",
        "date.today",
        "time.time",
        "np.random.seed",
        "random.random",
        "raise ValueError(",
    ):
        assert word not in source


def test_functions_fit_on_a_screen():
    too_long = [
        f"{path.name}:{node.name}"
        for path in sources()
        for node in functions(path)
        if node.end_lineno
        - node.body[0].lineno
        - (len((ast.get_docstring(node) or "").splitlines()))
        > MAX_BODY
    ]
    assert too_long == []


WRITES = {
    "bulk_create",
    "bulk_update",
    "create",
    "delete",
    "get_or_create",
    "save",
    "update",
    "update_or_create",
}


def writes_of(source: str) -> list[str]:
    """Calls that write a record; a form's ``save(commit=False)`` only fills one in."""
    calls = [node for node in ast.walk(ast.parse(source)) if isinstance(node, ast.Call)]
    methods = [
        call for call in calls if isinstance(call.func, ast.Attribute) and call.func.attr in WRITES
    ]
    only_filled = {
        call
        for call in methods
        for key in call.keywords
        if key.arg == "commit" and ast.unparse(key.value) == "False"
    }
    return [ast.unparse(call) for call in methods if call not in only_filled]


@pytest.mark.parametrize(
    "path", sorted(PACKAGE.rglob("*views.py")), ids=lambda p: f"{p.parent.name}/{p.name}"
)
def test_views_write_only_through_actions_and_read_input_only_through_forms(path):
    source = path.read_text()
    assert writes_of(source) == []
    assert "request.GET[" not in source
    assert "request.POST[" not in source


def test_a_write_in_a_view_would_be_found():
    source = (
        "form.save(commit=False)\nform.save()\n"
        "Eater.objects.create(name=name)\nsave_owned(actor, eater)"
    )
    assert writes_of(source) == ["form.save()", "Eater.objects.create(name=name)"]
