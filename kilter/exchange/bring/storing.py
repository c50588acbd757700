"""What is in store by a table: taken from what was lifted and lies nowhere yet."""

from __future__ import annotations

from typing import Final

from kilter.core.amounts.units import format_mass
from kilter.core.amounts.vague import VagueDate
from kilter.core.handbook.storing import STORES
from kilter.core.larder.pieces import PARTS
from kilter.exchange.bring.asked import Asking
from kilter.exchange.bring.known import Known
from kilter.exchange.bring.rows import ReadRow, is_ahead, season_of_row
from kilter.larder.actions import portions_of

#: The kind of a store that is called so, where the word is not its own kind.
_CALLED: Final = {
    "freezer": "freezer",
    "fridge": "fridge",
    "refrigerator": "fridge",
    "jars": "jars",
    "jar": "jars",
    "pantry": "jars",
    "sand": "sand",
    "shelf": "airy shelf",
    "rack": "airy shelf",
    "cellar": "cellar",
    "basement": "cellar",
}


def store(rows: list[ReadRow], known: Known, _asking: Asking) -> None:
    """What lies in store: of which lines it is, and that there is so much."""
    taken: dict[int, int] = {}
    for row in rows:
        said = row.said
        if row.is_out or is_ahead(row, known.today):
            continue
        mass, count = said.get("mass"), said.get("count")
        if "crop" not in said:
            row.problem = "It has no crop."
        elif "store" not in said:
            row.problem = "It says no store."
        elif not (mass and mass.mass_mg) and not count:
            row.problem = "It has neither a weight nor a count."
        if row.problem or any(question.is_open for question in row.asks):
            continue
        said.setdefault("day", VagueDate(known.today))
        season = season_of_row(row) or known.today.year
        said["season"] = season
        by_mass, by_pieces = known.waiting(said["crop"], said.get("variety", ""), season)
        rests = [
            (pk, left - taken.get(pk, 0), whole)
            for pk, left, whole in (by_mass if mass else by_pieces)
            if left > taken.get(pk, 0)
        ]
        amount = mass.mass_mg if mass else (count or 0) * PARTS
        there = sum(left for _, left, _ in rests)
        if amount > there:
            words = format_mass(there) if mass else f"{there // PARTS} pieces"
            row.problem = (
                f"Of {said['crop']} of {season} {words} wait to be put by. Bring its harvest first."
            )
            continue
        said["portions"] = portions_of(rests, amount)
        for portion in said["portions"]:
            taken[portion.line] = taken.get(portion.line, 0) + portion.mass_mg


def kind_of_store(name: str) -> str:
    """The kind of a store by what it is called; its own where no word tells."""
    words = name.casefold().split()
    return next((_CALLED[word] for word in words if word in _CALLED), STORES[-1])
