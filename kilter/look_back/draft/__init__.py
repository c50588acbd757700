"""What Kilter says of a season before the gardener says anything:
each line with what it rests on.
"""

from __future__ import annotations

from kilter.look_back.draft import answers, happened, harvests, promised, supply
from kilter.look_back.draft.line import DraftLine
from kilter.look_back.season import Season


def draft(season: Season) -> list[DraftLine]:
    """All lines of a season, the most telling first."""
    parts = (answers.lines, harvests.lines, supply.lines, promised.lines, happened.lines)
    return sorted(
        (line for part in parts for line in part(season)),
        key=lambda line: (-line.telling, line.key),
    )
