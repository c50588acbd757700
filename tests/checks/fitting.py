"""``python -m tests.checks fit FILE`` and ``flow FILE``: a fit, and a store week by week.

Both are held against the core.

A fit's file::

    {"slots": 24,                                    half-months
     "crops": [{"name", "family", "need": kg, "certainty", "weight", "min_block": plants,
                "variety_share", "site_share": 1 is off, "tall", "low"}, ...],
     "places": [{"id", "site", "size": m² or number of pots alike, "pots": true or false,
                 "rest": {family: pots or m² where it stood too recently}, "shades": [ids]}, ...],
     "options": [{"crop": number, "variety", "place": number, "start", "end": slots, inclusive,
                  "use": m² a plant, or pots a plant, "cost", "minutes", "water": a plant}, ...],
     "draws": [[kg a plant, ...], ...],              a row for each option, joint over columns
     "limits": {"cost", "minutes", "water": of the whole},
     "tries": 60, "seed": 1}                         both may be left out

A flow's file::

    {"batches": [{"week", "kg", "keeps_weeks", "loss_a_week", "hurt": true or false}, ...],
     "demand_kg": [by week]}
"""

from __future__ import annotations

from collections.abc import Mapping
from itertools import islice
from typing import Any

import numpy as np

from kilter.core.fit.find import first_fit, improve
from kilter.core.fit.problem import Laid, Limits, Option, Plot, Problem, Wanted, lay_out
from kilter.core.larder.flow import Batch, weekly_flow

TRIES = 60


def laid_of(data: Mapping[str, Any]) -> Laid:
    """The problem of a file."""
    places = [one["id"] for one in data["places"]]
    return lay_out(
        Problem(
            wanted=tuple(_wanted(one) for one in data["crops"]),
            plots=tuple(_plot(one, places) for one in data["places"]),
            options=tuple(_option(one) for one in data["options"]),
            draws=np.array(data["draws"], float),
            limits=Limits(**data.get("limits", {})),
            slots=int(data.get("slots", 24)),
        )
    )


def _wanted(one: Mapping[str, Any]) -> Wanted:
    return Wanted(
        name=one["name"],
        family=one["family"],
        need_kg=one["need"],
        certainty=one["certainty"],
        weight=one.get("weight", 1.0),
        min_block=one.get("min_block", 0),
        variety_share=one.get("variety_share", 1.0),
        site_share=one.get("site_share", 1.0),
        is_tall=one.get("tall", False),
        is_low=one.get("low", False),
    )


def _plot(one: Mapping[str, Any], places: list[str]) -> Plot:
    shades = tuple(
        places.index(other) if isinstance(other, str) else other for other in one.get("shades", ())
    )
    rest = tuple((family, float(amount)) for family, amount in one.get("rest", {}).items())
    return Plot(
        name=str(one["id"]),
        site=str(one["site"]),
        size=one["size"],
        is_pots=one["pots"],
        rest=rest,
        shades=shades,
    )


def _option(one: Mapping[str, Any]) -> Option:
    amounts = {name: one.get(name, 0.0) for name in ("cost", "minutes", "water")}
    return Option(
        crop=one["crop"],
        variety=str(one["variety"]),
        plot=one["place"],
        start=one["start"],
        end=one["end"],
        use=one["use"],
        **amounts,
    )


def fit(data: Mapping[str, Any]) -> dict[str, Any]:
    """Fit what a file holds, for so many tries."""
    laid, seed, tries = laid_of(data), int(data.get("seed", 1)), int(data.get("tries", TRIES))
    found, tangents = first_fit(laid, seed=seed)
    for better in islice(improve(laid, found, tangents, seed=seed, seconds=None), tries):
        found = better
    return {
        "value": found.worth.total,
        "plants": [float(one) for one in found.worth.plants],
        "z": [float(one) for one in found.worth.reached],
        "ceiling": found.ceiling,
        "tries": found.tries,
    }


def flow(data: Mapping[str, Any]) -> dict[str, Any]:
    """Follow the batches of a file through its weeks."""
    batches = [
        Batch(
            one["week"],
            one["kg"],
            one["keeps_weeks"],
            one.get("loss_a_week", 0.0),
            bool(one.get("hurt")),
        )
        for one in data["batches"]
    ]
    weeks = weekly_flow(batches, data["demand_kg"]).weeks
    return {
        name: [getattr(week, name) for week in weeks]
        for name in ("eaten", "stock", "short", "waste")
    }
