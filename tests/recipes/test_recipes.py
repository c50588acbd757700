"""The recipes of CONTRIBUTING, carried out on a copy of the house,
which is then walked with the new words in use.
"""

from __future__ import annotations

import csv
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

HOUSE = Path(__file__).parents[2]
BOX = re.compile(r"```python\n# (?P<file>\S+): (?P<table>[^\n]+)\n(?P<entry>.*?)```", re.DOTALL)
END = "the end"
#: What a copy needs to be walked.
COPIED = ("kilter", "tests", "manage.py", "pyproject.toml")
LEFT_OUT = shutil.ignore_patterns(
    "__pycache__", "vendor", "packages", "upgrade", "bench", "browser", "static"
)


def recipes() -> list[tuple[str, str, str]]:
    """File, table and entry of each box."""
    text = (HOUSE / "CONTRIBUTING.md").read_text()
    return [(box["file"], box["table"], box["entry"]) for box in BOX.finditer(text)]


def carry_out(house: Path, file: str, table: str, entry: str) -> None:
    """Write an entry at the end of its table or its file, and what it imports at the top."""
    path = house / file
    said = entry.strip().splitlines()
    imports = [line for line in said if line.startswith("from ")]
    body = [line for line in said if line not in imports]
    lines = path.read_text().splitlines()
    if table == END:
        lines += ["", "", *body]
    else:
        head = next(i for i, line in enumerate(lines) if line.lstrip().startswith(table))
        indent = len(lines[head]) - len(lines[head].lstrip())
        ends = {" " * more + end for more in (indent, indent + 4) for end in (")", "},")}
        foot = next(i for i in range(head + 1, len(lines)) if lines[i] in ends)
        lines[foot:foot] = [" " * (indent + 8) + line for line in body]
    top = lines.index("from __future__ import annotations") + 1
    lines[top:top] = imports
    path.write_text("\n".join(lines) + "\n")


def add_column(house: Path, name: str) -> None:
    """Write an empty column at the end of the handbook's crops."""
    path = house / "kilter/core/handbook/crops.csv"
    with path.open(newline="") as file:
        head, *rows = csv.reader(file)
    with path.open("w", newline="") as file:
        csv.writer(file, lineterminator="\n").writerows(
            [[*head, name], *([*row, ""] for row in rows)]
        )


def run(house: Path, *command: str) -> subprocess.CompletedProcess[str]:
    """Run Python in the copy, with nothing of this house in its way."""
    environment = {
        **os.environ,
        "PYTHONPATH": str(house),
        "DJANGO_SETTINGS_MODULE": "kilter.site.settings_test",
    }
    environment.pop("PYTEST_ADDOPTS", None)
    environment.pop("PYTEST_XDIST_WORKER", None)
    return subprocess.run(
        [sys.executable, *command], cwd=house, env=environment, capture_output=True, text=True
    )


@pytest.fixture(scope="module")
def copy(tmp_path_factory) -> Path:
    """A copy of the house in which every recipe was carried out."""
    house = tmp_path_factory.mktemp("house")
    for name in COPIED:
        source = HOUSE / name
        if source.is_dir():
            shutil.copytree(source, house / name, ignore=LEFT_OUT)
        else:
            shutil.copy(source, house / name)
    (house / "kilter/site/static").symlink_to(HOUSE / "kilter/site/static")
    for file, table, entry in recipes():
        carry_out(house, file, table, entry)
    add_column(house, "height_cm")
    made = run(house, "manage.py", "makemigrations", "weigh_in", "larder")
    assert made.returncode == 0, made.stderr
    return house


def test_there_is_a_box_for_each_recipe():
    assert [file.rsplit("/")[-1] for file, _, _ in recipes()] == [
        "grades.py",
        "uses.py",
        "places.py",
        "units.py",
        "measures.py",
        "rows.py",
        "models.py",
        "forms.py",
        "record_views.py",
        "format.py",
    ]


def test_a_column_of_the_handbook_is_checked_and_read(copy):
    checked = run(copy, "-m", "kilter.core.handbook.rows")
    assert checked.returncode == 0, checked.stdout + checked.stderr
    path = copy / "kilter/core/handbook/crops.csv"
    text = path.read_text()
    path.write_text(text.replace(",\n", ",tall\n", 2).replace(",tall\n", ",\n", 1))
    refused = run(copy, "-m", "kilter.core.handbook.rows")
    path.write_text(text)
    assert refused.returncode != 0
    assert "height_cm" in refused.stdout + refused.stderr


def test_a_house_with_the_new_words_is_walked(copy):
    # Its tables are made from the models: that migrations can be made is shown above, and all of
    # them take a minute.
    walked = run(
        copy, "-m", "pytest", "--nomigrations", "-p", "no:cacheprovider", "tests/recipes/walk.py"
    )
    assert walked.returncode == 0, walked.stdout[-6000:] + walked.stderr[-2000:]
    assert " 8 passed" in f" {walked.stdout.strip().splitlines()[-1]}"
