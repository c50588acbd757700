"""The demo's reviews: two are written, one is being written; decisions that were met,
not met, put aside and open.
"""

from __future__ import annotations

from datetime import date
from typing import Any

NOTES = {
    2024: (
        "The first full year in the yard. Everything fitted, nothing lasted; the corn paid for "
        "our impatience."
    ),
    2025: (
        "Dry and warm, the best year for tomatoes yet. The new water butt cost us the shady end "
        "of bed four."
    ),
}
WRITTEN = {2024: date(2024, 12, 29), 2025: date(2026, 1, 31)}
#: Season, what it was drafted from, crop, side, state, words, why.
REMARKS = (
    (
        2024,
        "hit:frost-24",
        "sweet corn",
        "badly",
        "kept",
        (
            "Frost: late frost in Corn block (15 in 100 lost), 21 May 2024. Resown the gaps: it "
            "helped."
        ),
        "planted out a week too early",
    ),
    (
        2024,
        "thrown:potato",
        "potato",
        "badly",
        "kept",
        "Potato: 703 g spoiled, 9 in 100 of what was lifted.",
        "",
    ),
    (
        2024,
        "",
        "pea",
        "well",
        "own",
        "The peas never reached the kitchen; the children ate them off the row.",
        "",
    ),
    (
        2025,
        "failed:courgette:Bollard",
        "courgette",
        "badly",
        "kept",
        "Courgette ‘Bollard’ gave nothing in Bed 4.",
        "shaded by a neighbour: the new water butt",
    ),
    (
        2025,
        "said:beet-2025",
        "beetroot",
        "badly",
        "reworded",
        "The beetroot was gone by the end of January, a month before we stop wanting it.",
        "too many small ones from the crates",
    ),
    (
        2025,
        "thrown:garlic",
        "garlic",
        "badly",
        "struck out",
        "Garlic: 202 g spoiled, 7 in 100 of what was lifted.",
        "",
    ),
    (
        2025,
        "place:crock-2",
        "",
        "badly",
        "kept",
        "Crock 2 gave 40 in 100 of what the same crops gave elsewhere; 137 in 100 in 2024.",
        "not known",
    ),
    (
        2025,
        "",
        "",
        "well",
        "own",
        "Watering the strip from the canal twice a week was worth the walk.",
        "",
    ),
    (
        2026,
        "thrown:courgette",
        "courgette",
        "badly",
        "kept",
        "Courgette: 18.9 kg went to the compost, 81 in 100 of what was lifted.",
        "five plants for one table",
    ),
    (
        2026,
        "said:pea-2026",
        "pea",
        "badly",
        "reworded",
        "We would have eaten twice the peas.",
        "",
    ),
)
DECISIONS: tuple[dict[str, Any], ...] = (
    {
        "season": 2024,
        "aim": "more",
        "crop": "beetroot",
        "percent": 50,
        "reason": "it was gone in February",
    },
    {"season": 2024, "aim": "later", "crop": "sweet corn", "reason": "the late frost"},
    {
        "season": 2024,
        "aim": "method",
        "crop": "broad bean",
        "detail": "cover=netted",
        "reason": "jays took the seed",
    },
    {
        "season": 2025,
        "aim": "more",
        "crop": "tomato",
        "number": 10,
        "reason": "none left to bottle",
    },
    {
        "season": 2025,
        "aim": "less",
        "crop": "potato",
        "percent": 30,
        "reason": "they cost more than at the shop",
    },
    {
        "season": 2025,
        "aim": "elsewhere",
        "crop": "courgette",
        "variety": "Bollard",
        "reason": "it had no light behind the butt",
    },
    {
        "season": 2025,
        "aim": "drop",
        "crop": "sweet corn",
        "reason": "much room for little",
        "aside": "the children asked for it",
    },
    {
        "season": 2025,
        "aim": "more",
        "crop": "beetroot",
        "percent": 20,
        "reason": "it ran out in January",
    },
    {
        "season": 2026,
        "aim": "less",
        "crop": "courgette",
        "number": 2,
        "reason": "most of it went to the compost",
    },
    {
        "season": 2026,
        "aim": "method",
        "crop": "shallot",
        "detail": "setting=autumn",
        "reason": "a third more each",
    },
    {
        "season": 2026,
        "aim": "more",
        "crop": "pea",
        "percent": 100,
        "reason": "we wanted twice as many",
    },
    {
        "season": 2026,
        "aim": "move",
        "place": "crock-3",
        "detail": "to the sunny wall",
        "reason": "the worst of the crocks again",
    },
)


def look_back(g: Any) -> None:
    """Write the rows."""
    for season, note in NOTES.items():
        g.add(
            "reviews", id=f"review-{season}", season=season, note=note, written_on=WRITTEN[season]
        )
    for n, (season, key, crop, side, state, words, cause) in enumerate(REMARKS, start=1):
        drafted = words if state in {"kept", "struck out"} else ""
        g.add(
            "remarks",
            id=f"remark-{n:02d}",
            season=season,
            key=key,
            crop=crop,
            side=side,
            state=state,
            words=words,
            drafted=drafted,
            cause=cause,
        )
    for n, row in enumerate(DECISIONS, start=1):
        g.add("decisions", id=f"decision-{n:02d}", **row)
