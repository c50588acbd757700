"""Patterns: addresses are anchored and bounded, and no text makes a pattern look for long."""

from __future__ import annotations

import ast
import importlib
import pkgutil
import re
import time
from pathlib import Path

import pytest
from django.test import Client
from django.urls import get_resolver
from django.urls.resolvers import RegexPattern

import kilter
from kilter.site.logs import NoTraceback
from tests.conftest import html_of
from tests.web.routes import ROUTES, _patterns, complete

ROOT = Path(kilter.__file__).parent
#: Figures that have no end: a number of five thousand digits is no key of a record.
UNBOUNDED = re.compile(r"(?:\\d|\[0-9\])[+*]")


def test_every_address_written_as_a_pattern_is_anchored_and_bounded():
    found = 0
    for name, pattern in _patterns(get_resolver().url_patterns):
        if isinstance(pattern.pattern, RegexPattern):
            text = pattern.pattern._regex
            assert text.startswith("^"), name
            assert text.endswith("$"), name
            assert not UNBOUNDED.search(text), name
            found += 1
    assert found > 5


def test_an_address_with_a_number_of_five_thousand_digits_is_not_there(client, garden):
    complete(garden)
    client.raise_request_exception = False
    long = "9" * 5000
    for route in ROUTES:
        if route.has_record:
            own = route.of(garden)
            address = re.sub(r"/\d+(?=/|$)", f"/{long}", own, count=1)
            assert address != own, route.label
            for method in (client.get, client.post):
                assert method(address).status_code == 404, route.label


def _all_patterns() -> dict[str, re.Pattern[str]]:
    """Every pattern that stands in a module, and every one written where it is used."""
    found: dict[str, re.Pattern[str]] = {}
    for module in pkgutil.walk_packages([str(ROOT)], "kilter."):
        if ".migrations." in module.name or module.name.endswith(
            ("wsgi", "settings_demo", "settings_dev")
        ):
            continue
        for name, value in vars(importlib.import_module(module.name)).items():
            for one in value if isinstance(value, (list, tuple)) else [value]:
                if isinstance(one, re.Pattern):
                    found[f"{module.name}.{name} {one.pattern[:20]}"] = one
    for path in ROOT.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            is_call = isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute)
            if (
                is_call
                and isinstance(node.func.value, ast.Name)
                and node.func.value.id == "re"
                and node.args
            ):
                text = node.args[0]
                if isinstance(text, ast.Constant) and isinstance(text.value, str):
                    found[f"{path.name}:{node.lineno}"] = re.compile(text.value)
    return found


PATTERNS = _all_patterns()
#: What makes a pattern that can share out the same letters in many ways look through all of them.
PIECES = (
    " ",
    "a",
    "0",
    "a ",
    "0 ",
    "0.",
    "1,",
    "=",
    " =",
    "a=",
    "\\",
    "\\a",
    "±",
    "-",
    ";",
    "1/",
    "c1",
    "lb",
    "\t ",
    "é",
)
ENDS = ("!", "", "=", ":", " x!")


def seconds(pattern: re.Pattern[str], text: str) -> float:
    """The least of a few tries, by every way of asking."""
    best = float("inf")
    for _ in range(3):
        began = time.perf_counter()
        pattern.fullmatch(text)
        pattern.match(text)
        best = min(best, time.perf_counter() - began)
    return best


@pytest.mark.parametrize("pattern", PATTERNS.values(), ids=PATTERNS)
def test_no_pattern_takes_longer_than_its_text_is_long(pattern):
    """Four times the text takes four times as long where the work grows with it,
    and sixteen where with its square.
    """
    for piece in PIECES:
        for end in ENDS:
            short, long = (piece * (size // len(piece)) + end for size in (1_000, 4_000))
            if seconds(pattern, long) > 0.002:  # of less the clock tells nothing
                grows = min(seconds(pattern, long) / seconds(pattern, short) for _ in range(5))
                assert grows < 9, (piece, end, grows)


def test_a_pattern_that_grows_with_the_square_is_seen_by_that_test():
    with pytest.raises(AssertionError):
        test_no_pattern_takes_longer_than_its_text_is_long(re.compile(r"\s*=?\s*x"))


def test_a_stranger_by_another_name_costs_one_line_of_the_log_and_no_traceback(db, caplog):
    answer = Client(raise_request_exception=False).get("/sign-in", HTTP_HOST="elsewhere.example")
    assert answer.status_code == 400
    assert "cannot be read" in html_of(answer)
    (record,) = caplog.records
    assert "elsewhere.example" in record.getMessage()
    assert NoTraceback().filter(record)
    assert record.exc_info is None
