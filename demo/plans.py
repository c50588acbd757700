"""The demo's plans: two seasons' promises as they were frozen, a plan for the coming one,
a modest one beside it.
"""

from __future__ import annotations

from datetime import date
from typing import Any

from kilter.core.handbook import handbook

#: Season, crop, plants; kilograms in one year of ten, in two, in the middle, in nine: what the core
#: says from the record of the seasons before, for plants in the proportions in which they then
#: stood.
PROMISED = (
    (2025, "beetroot", 330, 17.93, 22.44, 34.28, 62.18),
    (2025, "broad bean", 112, 6.19, 8.54, 15.44, 38.64),
    (2025, "carrot", 220, 5.11, 7.31, 14.61, 39.84),
    (2025, "climbing bean", 32, 3.64, 5.06, 8.00, 15.07),
    (2025, "courgette", 5, 5.69, 8.39, 14.79, 32.94),
    (2025, "garlic", 60, 1.16, 1.57, 2.49, 4.69),
    (2025, "lettuce", 48, 4.13, 5.97, 11.98, 32.79),
    (2025, "potato", 14, 5.06, 6.29, 9.09, 16.07),
    (2025, "shallot", 120, 10.63, 14.48, 25.78, 62.14),
    (2025, "tomato", 6, 6.92, 8.70, 13.03, 25.27),
    (2026, "beetroot", 90, 5.70, 7.34, 10.92, 18.76),
    (2026, "broad bean", 112, 11.70, 14.49, 20.63, 34.47),
    (2026, "carrot", 210, 5.21, 6.86, 10.58, 20.54),
    (2026, "climbing bean", 32, 4.76, 6.31, 9.52, 16.32),
    (2026, "courgette", 4, 5.31, 7.78, 14.00, 30.68),
    (2026, "garlic", 60, 1.33, 1.77, 2.63, 4.44),
    (2026, "leek", 48, 3.86, 5.42, 9.98, 25.07),
    (2026, "lettuce", 42, 3.07, 3.97, 6.37, 13.20),
    (2026, "potato", 8, 3.04, 3.70, 5.16, 8.39),
    (2026, "shallot", 216, 15.34, 18.44, 25.34, 46.16),
    (2026, "tomato", 10, 15.42, 18.68, 26.57, 47.04),
)
#: What was to be kept through winter in those seasons; all by the handbook's servings.
KEPT = {"shallot", "garlic", "potato", "beetroot", "carrot", "winter squash"}
FROZEN = {2025: date(2025, 2, 23), 2026: date(2026, 2, 15)}
#: What the household says of 2027.
SAID: tuple[dict[str, Any], ...] = (
    {
        "crop": "tomato",
        "certainty": 80,
        "weight": 5,
        "servings_per_week": 4,
        "serving_g": 120,
        "weeks": 11,
    },
    {"crop": "leek", "certainty": 80, "goal": "winter", "weeks": 16, "weight": 4},
    {
        "crop": "garlic",
        "certainty": 80,
        "goal": "winter",
        "weeks": 30,
        "servings_per_week": 4,
        "serving_g": 5,
    },
    {
        "crop": "shallot",
        "certainty": 70,
        "goal": "until",
        "until": date(2028, 3, 1),
        "serving_g": 40,
    },
    {
        "crop": "courgette",
        "own_plants": 2,
        "weeks": 12,
        "serving_g": 150,
        "servings_per_week": 1,
        "animals_kg": 2,
    },
    {
        "crop": "beetroot",
        "goal": "winter",
        "weeks": 20,
        "sowings": 3,
        "way": "mix",
        "servings_per_week": 1,
    },
    {
        "crop": "carrot",
        "goal": "winter",
        "weeks": 28,
        "serving_g": 80,
        "lifts_per_week": 2,
        "plants_per_lift": 10,
        "pull_from": date(2027, 7, 1),
        "pull_until": date(2027, 10, 1),
    },
    {
        "crop": "potato",
        "way": "rule",
        "weeks": 20,
        "servings_per_week": 3,
        "serving_g": 200,
        "weight": 4,
        "given_kg": 3,
    },
)
#: Who does not eat what: the ducks eat greens and courgettes only.
NOT_EATEN = (
    *(
        ("ducks", crop)
        for crop in ("tomato", "leek", "garlic", "shallot", "beetroot", "carrot", "potato")
    ),
    *(
        ("ducks", crop)
        for crop in (
            "broad bean",
            "climbing bean",
            "sweet corn",
            "winter squash",
            "pea",
            "strawberry",
        )
    ),
    ("tilly", "kale"),
)


def plans(g: Any) -> None:
    """All of it."""
    for season in FROZEN:
        g.add("plans", id=f"plan-{season}", season=season, chosen="yes")
    for season, crop, plants, tenth, fifth, half, ninetieth in PROMISED:
        book = handbook()[crop]
        g.add(
            "planned_crops",
            id=f"planned-{season}-{crop.replace(' ', '-')}",
            plan=f"plan-{season}",
            crop=crop,
            goal="winter" if crop in KEPT else "fresh",
            servings_per_week=book.servings_per_week,
            serving_g=book.serving_g,
            weeks=book.weeks_at_table,
            frozen_on=FROZEN[season],
            promised_plants=plants,
            promised_need_kg=half,
            promised_tenth_kg=tenth,
            promised_fifth_kg=fifth,
            promised_half_kg=half,
            promised_ninetieth_kg=ninetieth,
        )
    g.add(
        "plans",
        id="plan-2027",
        season=2027,
        chosen="yes",
        frost_risk=20,
        minutes_a_week=240,
        litres_a_day=90,
        money=450,
        note="after a good year for tomatoes",
    )
    g.add("spots", id="spot-1", plan="plan-2027", crop="tomato", place="block", says="never")
    g.add(
        "plans",
        id="plan-2027-modest",
        season=2027,
        name="Modest",
        note="half the watering, one trip a week",
    )
    for said in SAID:
        g.add(
            "planned_crops",
            id=f"planned-2027-{said['crop'].replace(' ', '-')}",
            plan="plan-2027",
            **said,
        )
    for said in SAID[:3]:
        modest = said | {"certainty": 50, "weight": None}
        g.add("planned_crops", id=f"modest-{said['crop']}", plan="plan-2027-modest", **modest)
    for crop in ("sweet corn", "lettuce", "carrot", "pea"):
        ref = f"modest-{crop.replace(' ', '-')}"
        g.add("planned_crops", id=ref, plan="plan-2027-modest", crop=crop, out="yes")
    for eater, crop in NOT_EATEN:
        g.add("not_eaten", id=f"{eater}-no-{crop.replace(' ', '-')}", eater=eater, crop=crop)
    g.add(
        "wishes",
        id="wish-1",
        crop_name="physalis",
        said_by="Tilly",
        note="the ones in paper lanterns",
    )
    g.add("wishes", id="wish-2", crop_name="sweet potato", said_by="Bram")
    g.add("shelves", id="shelf-1", name="lean-to bench", cells=168)
    g.add("shelves", id="shelf-2", name="back bedroom sill", cells=48)
