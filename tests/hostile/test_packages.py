"""Five hundred broken packages: each is refused in words or loaded whole,
and nothing of a refused one is written.
"""

from __future__ import annotations

import io
import random
import zipfile
from pathlib import Path

import pytest
from django.apps import apps

from kilter.core.errors import KilterError
from kilter.exchange.loading import load
from kilter.people.models import Household

SMALL = Path(__file__).resolve().parents[1] / "packages" / "version-1"
SEED, EACH = 20261126, 125
CELLS = (
    *(
        "",
        "0",
        "-1",
        "1e400",
        "nan",
        "9" * 40,
        "\x00",
        "½",
        "<script>",
        "2026-02-30",
        "0001-01-01",
        "9999-12-31",
        "true",
    ),
    *(
        "=1+1",
        "a" * 5000,
        "😀",
        "null",
        "{}",
        "[[]]",
        "s1",
        "\ud7ff",
        "1;2",
        "x=y;x=z",
        "12 ± x",
        "\u202egnp.exe",
    ),
)


def files() -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in SMALL.iterdir()}


def zipped(parts: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in parts.items():
            archive.writestr(name, content)
    return out.getvalue()


def a_wrong_cell(rng: random.Random, rows: list[list[str]]) -> None:
    row = rng.choice(rows[1:] or rows)
    row[rng.randrange(len(row))] = rng.choice(CELLS).replace(",", ";")


def a_wrong_head(rng: random.Random, rows: list[list[str]]) -> None:
    rows[0][rng.randrange(len(rows[0]))] = rng.choice(("", "id", "unknown", "household"))


def the_same_ids_again(rng: random.Random, rows: list[list[str]]) -> None:
    rows += [list(row) for row in rows[1:]] * rng.randint(1, 3)


def a_short_row(rng: random.Random, rows: list[list[str]]) -> None:
    rows[rng.randrange(len(rows))] = rows[0][: rng.randrange(1, len(rows[0]) + 1)]


IN_A_TABLE = (a_wrong_cell,) * 4 + (a_wrong_head, the_same_ids_again, a_short_row)
DESCRIPTORS = (
    b"",
    b"{",
    b"[]",
    b"null",
    b'{"resources": 7}',
    b'{"kilter_format": 99, "resources": []}',
    b"\xff\xfe",
)
OUTSIDE = ("../outside.csv", "/etc/x.csv", "weigh_ins.csv/", "a\\b.csv", "photos/x.jpg")


def spoil(rng: random.Random, parts: dict[str, bytes]) -> None:
    """Put one thing wrong with a package's files."""
    name = rng.choice([name for name in parts if name.endswith(".csv")])
    kind = rng.randrange(11)
    if kind <= 6 and parts[name].count(b"\n") > 1:
        rows = [line.split(",") for line in parts[name].decode(errors="replace").splitlines()]
        IN_A_TABLE[kind](rng, rows)
        parts[name] = "\n".join(",".join(row) for row in rows).encode("utf-8", "surrogatepass")
    elif kind == 7:
        parts.pop(name)
    elif kind == 8:
        parts["datapackage.json"] = rng.choice(DESCRIPTORS)
    elif kind == 9:
        parts[rng.choice(OUTSIDE)] = b"id\n1\n"
    else:
        parts[name] = bytes(rng.randrange(256) for _ in range(200))


def broken(rng: random.Random) -> bytes:
    """A package with one to three things wrong with it, and sometimes a damaged file."""
    parts = files()
    for _ in range(rng.randint(1, 3)):
        spoil(rng, parts)
    raw = bytearray(zipped(parts))
    if rng.random() < 0.2:
        for _ in range(rng.randint(1, 20)):
            raw[rng.randrange(len(raw))] ^= 1 << rng.randrange(8)
    if rng.random() < 0.1:
        del raw[rng.randrange(len(raw)) :]
    return bytes(raw)


def rows_of() -> int:
    return sum(
        model._default_manager.count() for model in apps.get_models(include_auto_created=True)
    )


@pytest.mark.parametrize(
    "quarter", [0, *(pytest.param(n, marks=pytest.mark.sweep) for n in (1, 2, 3))]
)
def test_a_broken_package_is_refused_in_words_or_loaded_whole(db, tmp_path, quarter):
    rng = random.Random(SEED + quarter)
    refused = loaded = 0
    for number in range(EACH):
        source = tmp_path / f"{number}.zip"
        source.write_bytes(broken(rng))
        before = rows_of()
        try:
            found = load(source, Household(name=f"garden {number}"))
        except KilterError as error:
            assert str(error).strip()
            assert rows_of() == before
            refused += 1
            continue
        if found.is_done:
            loaded += 1
            assert rows_of() > before
        else:
            assert rows_of() == before, "all or nothing"
            assert all(problem.reason for problem in found.problems)
            refused += 1
    assert refused > EACH // 3
    assert loaded > 0


def test_the_small_package_itself_is_whole(db, tmp_path):
    source = tmp_path / "whole.zip"
    source.write_bytes(zipped(files()))
    assert load(source, Household(name="whole")).is_done
