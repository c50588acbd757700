"""``python -m tests.checks forecast FILE`` and ``need FILE``: cases of a plan held against the
core.

A forecast's file::

    {"crop": "beetroot", "handbook_kg": 0.0896,      median kilograms a plant; null where there is
    none
     "records": [{"variety", "method", "place", "site", "season", "plants", "kg", "loss"}, ...],
     "planned": [{"variety", "method", "place", "site", "plants"}, ...],
     "need_kg": 17, "certainties": [0.5, 0.8],
     "draws": 4096, "seed": 1,                       and "points": 256, which is the core's own
     "fail": false, "failed": 0}                     with "fail" plantings may fail; so many did

A need's file::

    {"plate_kg": 1.0,                                a week, by servings
     "weeks": [{"eaten_kg": 0.7, "gone": true, "year": 2025}, ...],
     "appetites_then": 3, "appetites_now": 3, "weeks_wanted": 20,
     "prior_weeks": 8, "shape": null}                both may be left out
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

import numpy as np

from kilter.core.plan.appetite import PRIOR_WEEKS, WeekEaten, own_appetite
from kilter.core.plan.effects import Grown, Planned, believe
from kilter.core.plan.scenarios import draw_years, enough_for

#: What a certainty that cannot be had is written as.
NEVER = None


def forecast(data: Mapping[str, Any]) -> dict[str, Any]:
    """Foretell what a file holds: kilograms of the whole plan, and plants for each certainty."""
    came = [one for one in data["records"] if one["kg"] > 0]
    failed = int(data.get("failed", len(data["records"]) - len(came)))
    grown = [
        Grown(
            variety=one["variety"],
            method=one["method"],
            place=one["place"],
            season=one["season"],
            plants=one["plants"],
            mass_kg=one["kg"],
            loss=one.get("loss", 0.0),
        )
        for one in came
    ]
    planned = [
        Planned(one["variety"], one["method"], one["place"], one["plants"], one["site"])
        for one in data["planned"]
    ]
    believed = believe(grown, planned, data["handbook_kg"], seed=data.get("seed", 1))
    years = draw_years(
        believed,
        planned,
        failed=failed if data.get("fail") else 0,
        came=len(grown) if data.get("fail") else None,
        seed=data.get("seed", 1),
        years=data.get("draws", 4096),
    )
    totals = years.totals()
    tenth, fifth, half, ninetieth = (
        float(one) for one in np.quantile(totals, (0.1, 0.2, 0.5, 0.9))
    )
    counts = {str(sure): enough_for(years, data["need_kg"], sure) for sure in data["certainties"]}
    return {
        "crop": data.get("crop", ""),
        "median_kg": half,
        "mean_kg": float(totals.mean()),
        "q10_kg": tenth,
        "q20_kg": fifth,
        "q90_kg": ninetieth,
        "own_share": believed.own_share,
        "used": believed.used,
        "failed": failed,
        "ess": believed.effective,
        "sd": asdict(believed.spreads),
        "plants": {sure: found.plants if found else NEVER for sure, found in counts.items()},
    }


def need(data: Mapping[str, Any]) -> dict[str, Any]:
    """Learn an appetite from the weeks of a file, and say what is needed."""
    weeks = [
        WeekEaten(one["eaten_kg"], bool(one.get("gone")), int(one.get("year", 0)))
        for one in data["weeks"]
    ]
    found = own_appetite(
        weeks,
        data["plate_kg"],
        prior_weeks=data.get("prior_weeks", PRIOR_WEEKS),
        shape=data.get("shape"),
    )
    return {
        "r_kg": found.a_week_kg,
        "sd_log": found.sd_log,
        "own_share": found.own_share,
        "need_kg": found.need_kg(
            data["weeks_wanted"], data["appetites_now"], data["appetites_then"]
        ),
    }
