"""``python -m tests.checks compare FILE``: the units of a JSON file compared by the core, as JSON.

``forecast FILE`` and ``need FILE`` are described in `tests.checks.planning`, ``fit FILE`` and
``flow FILE`` in `tests.checks.fitting`.

The file holds lists of one length n, all but ``y`` and ``level`` optional::

    {"y": [0.9, 1.1, 0.5, 0.7],             amounts (kg, pieces, days; of a share the spoilt part)
     "exposure": [1, 1, 1, 1],              what they are divided by
     "level": ["a", "a", "b", "b"],
     "blocks": {"season": ["1", "1", ...]}, or lists: one label or a list of them for each unit, or
                                            n labels for each block; then maybe "block_names"
     "plants": [1, 1, 1, 1], "vague_sd": [0, ...], "pieces": [...],
     "kind": "yield",                       or size, days, share
     "is_count": false,
     "c": 0.12,                             instead of the rule for the relative variance of a unit
     "own_pool": {"y": [...], "exposure": [...], "group": [...], "plants": [...]},
     "prior_weight": 4,                     one component alone, without rule and pool; 0 for none
     "switches": "on"}                      or off: no place is off, no other season is thought of
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Mapping
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from kilter.core.compare import METHOD_VERSION, Prior, Unit, compare
from kilter.core.compare.kinds import Kind, kind_named
from kilter.core.compare.replicates import own_prior
from kilter.core.errors import KilterError
from tests.checks import fitting, planning


def units_of(data: Mapping[str, Any], level: str = "level") -> tuple[list[Unit], tuple[str, ...]]:
    """The units of a file, and the names of their blocks."""
    n = len(data["y"])
    rows, names = rows_of(data.get("blocks") or {}, n)
    names = tuple(data.get("block_names", ())) or names
    columns = {"exposure": 1.0, "plants": None, "vague_sd": 0.0, "pieces": None}
    of = {name: data.get(name) or [usual] * n for name, usual in columns.items()}
    if any(len(column) != n for column in (*of.values(), data[level], rows)):
        raise ValueError("Every list holds as many values as there are units.")
    return [
        Unit(
            ref=str(i + 1),
            amount=float(data["y"][i]),
            exposure=float(of["exposure"][i]),
            level=str(data[level][i]),
            blocks=tuple(map(str, rows[i])),
            plants=of["plants"][i],
            vague_sd=float(of["vague_sd"][i] or 0.0),
            pieces=of["pieces"][i],
        )
        for i in range(n)
    ], names


def rows_of(blocks: Any, n: int) -> tuple[list[tuple[Any, ...]], tuple[str, ...]]:
    """The block labels of each unit, and what the blocks are called."""
    if isinstance(blocks, Mapping):
        return list(zip(*blocks.values(), strict=True)) or [()] * n, tuple(blocks)
    if not all(isinstance(one, list) for one in blocks):
        rows = [(one,) for one in blocks]
    elif len(blocks) == n:
        rows = [tuple(one) for one in blocks]
    else:
        rows = list(zip(*blocks, strict=True))
    return rows, tuple(f"block {i + 1}" for i in range(len(rows[0]) if rows else 0))


def kind_of(data: Mapping[str, Any]) -> Kind:
    """The kind of measure, with another relative variance where the file gives one."""
    kind = kind_named(data.get("kind", "yield"))
    return replace(kind, place=data["c"], plant=0.0, unknown=data["c"]) if "c" in data else kind


def prior_of(data: Mapping[str, Any], kind: Kind, *, is_plain: bool) -> Prior | None:
    """The belief on the spread: one component, the pool with the rule, or the rule;
    switched off one component alone.
    """
    if "prior_weight" in data or is_plain:
        return Prior.plain(float(data.get("prior_weight", 4.0)))
    if pool := data.get("own_pool"):
        units, _ = units_of(pool, "group")
        return own_prior(units, units, kind=kind, is_count=bool(data.get("is_count")))
    return None


def answer(data: Mapping[str, Any]) -> dict[str, Any]:
    """Compare what a file holds."""
    units, names = units_of(data)
    kind, is_plain = kind_of(data), data.get("switches", "on") in ("off", False)
    prior = prior_of(data, kind, is_plain=is_plain)
    is_count = bool(data.get("is_count"))
    found = compare(
        units, block_names=names, kind=kind, is_count=is_count, prior=prior, is_plain=is_plain
    )
    return {
        "method": METHOD_VERSION,
        "pairs": [
            {
                "a": pair.a,
                "b": pair.b,
                "difference": pair.gap,
                "low": pair.gap_low,
                "high": pair.gap_high,
                "se": pair.doubt.sd,
                "df": pair.doubt.df,
                "parts": {
                    "own": pair.doubt.own,
                    "off": pair.doubt.off,
                    "elsewhere": pair.doubt.elsewhere,
                },
                "chance": pair.chance,
                "verdict": pair.verdict,
                "answered": {
                    "in": kind.answered,
                    "size": pair.size,
                    "low": pair.low,
                    "high": pair.high,
                },
            }
            for pair in found.pairs
        ],
        "levels": [asdict(level) for level in found.levels],
        "phi": found.phi,
        "df": found.df,
        "prior": asdict(found.prior),
        "flags": {
            "verdict": found.verdict,
            "one_of_each": found.is_one_of_each,
            "hangs_on": None if found.suspect is None else asdict(found.suspect),
            "in_general": found.is_general,
            "left_out": [asdict(out) for out in found.left_out],
        },
    }


#: What can be checked.
CHECKS = {
    "compare": answer,
    "forecast": planning.forecast,
    "need": planning.need,
    "fit": fitting.fit,
    "flow": fitting.flow,
}


def main(words: list[str]) -> int:
    """Run one check; 1 where the file cannot be compared, with the reason."""
    parser = argparse.ArgumentParser(
        prog="python -m tests.checks", description=__doc__.split("\n", 1)[0]
    )
    parser.add_argument("what", choices=list(CHECKS), help=planning.__doc__)
    parser.add_argument("file", type=Path)
    said = parser.parse_args(words)
    try:
        print(json.dumps(CHECKS[said.what](json.loads(said.file.read_text())), indent=2))
    except (KilterError, ValueError, KeyError, TypeError, OSError) as error:
        print(f"{said.file}: {error}", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
