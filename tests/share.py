"""Prints the share of tests: lines of tests / lines of tests and code, without built files,
migrations and data.
"""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

CODE = (".py", ".html", ".js", ".mjs", ".css")
BUILT = "kilter/site/static/kilter/kilter.css"
LOW, HIGH = 0.25, 1 / 3


def lines(path: str) -> int:
    return sum(1 for line in Path(path).read_text(errors="replace").splitlines() if line.strip())


def main() -> None:
    command = ["git", "ls-files", "--cached", "--others", "--exclude-standard"]
    files = subprocess.run(command, capture_output=True, text=True, check=True).stdout.split()
    kept = [
        f
        for f in files
        if f.endswith(CODE) and ".min." not in f and f != BUILT and "/migrations/" not in f
    ]
    kept = [f for f in kept if Path(f).exists()]
    tests = sum(lines(f) for f in kept if f.startswith("tests/"))
    code = sum(lines(f) for f in kept if not f.startswith("tests/"))
    share = tests / (tests + code)
    print(
        f"{code} lines of code, {tests} of tests: tests are {share:.1%} of both (wanted {LOW:.0%} "
        f"to {HIGH:.0%})"
    )
    sys.exit(not LOW <= share <= HIGH)


if __name__ == "__main__":
    main()
