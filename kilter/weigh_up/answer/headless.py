"""An answer as plain values, for the command line."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from kilter.core.compare import METHOD_VERSION, Comparison
from kilter.core.compare.fairness import Imbalance
from kilter.weigh_up.answer.ask import Answer
from kilter.weigh_up.answer.gap_words import manner_of
from kilter.weigh_up.answer.wording import sentence
from kilter.weigh_up.question.gaps import GAPS


def as_values(answer: Answer) -> dict[str, Any]:
    """Everything that the JSON of ``manage.py weigh_up`` holds."""
    question = answer.question
    values: dict[str, Any] = {
        **{gap.field: getattr(question, gap.field) for gap in GAPS},
        "crops": [crop.name for crop in question.crops],
        "blinded": None if answer.blinded is None else answer.blinded.name,
        "plants_known": dict(answer.plants_known),
        "left_out": [{"planting": out.ref, "reason": out.reason} for out in answer.left_out],
    }
    found = answer.comparison
    if found is None:
        return values | {"problem": answer.problem, "aliased_with": list(answer.aliased_with)}
    # the second thing is the last block
    blocks = (*question.within, *([question.second_factor] if question.second_factor else []))
    return values | {
        **_estimates(found),
        "phi": found.phi,
        "df": found.df,
        "prior": {
            "source": found.prior.source,
            "weight": found.prior.weight,
            "kappa": found.prior.kappa,
            "units": found.prior.units,
            "voices": [asdict(component) for component in found.prior.components],
        },
        "usual_sd": found.usual_sd,
        "blocks": [
            {
                "block": dict(zip(blocks, block.labels, strict=True)),
                "means": dict(block.means),
                "agrees": block.is_agreeing,
            }
            for block in found.blocks
        ],
        "fairness": [_imbalance(one) for one in answer.fairness.unfair],
        "goes_with": [_imbalance(one) for one in answer.fairness.goes_with],
        "settle": [{"size": one.said, "units_of_each": one.units} for one in found.settling],
        "interaction": _interaction(answer),
        "anova": _anova(answer),
        "agree": found.agree,
        "agree_of": found.agree_of,
        "verdict": found.verdict,
        "in_general": found.is_general,
        "sentence": sentence(found, manner_of(answer.measure), answer.seasons).answer,
        "scope": sentence(found, manner_of(answer.measure), answer.seasons).scope,
    }


def _estimates(found: Comparison) -> dict[str, Any]:
    """Levels and pairs with their figures, and what they hang on."""
    return {
        "levels": [
            {name: getattr(level, name) for name in ("level", "n", "mean", "low", "high", "plain")}
            | {"unseen": list(level.unseen)}
            for level in found.levels
        ],
        "pairs": [
            {
                name: getattr(pair, name)
                for name in ("a", "b", "size", "low", "high", "chance", "verdict")
            }
            | {"ratio": pair.size if found.kind.answered == "ratio" else None}
            | {"gap": pair.gap, "se": pair.doubt.sd, "df": pair.doubt.df}
            for pair in found.pairs
        ],
        "pairs_in": found.kind.answered,
        "method": METHOD_VERSION,
        "hangs_on": None if found.suspect is None else asdict(found.suspect),
        "one_of_each": found.is_one_of_each,
    }


def _imbalance(one: Imbalance) -> dict[str, Any]:
    said = {
        name: getattr(one, name) for name in ("attribute", "score", "a", "a_value", "b", "b_value")
    }
    return said | {"plantings": list(one.refs)}


def _interaction(answer: Answer) -> dict[str, Any] | None:
    """Whether the first thing depends on the second, where two were asked about."""
    two = answer.two
    if two is None:
        return None
    return {
        "names": list(two.names),
        "second": [
            {"level": level.level, "n": level.n, "mean": level.mean} for level in two.second.levels
        ],
        "test": None if two.interaction is None else asdict(two.interaction),
        "combinations": [
            dict(zip(("first", "second", "mean", "low", "high"), combination, strict=True))
            for combination in two.combinations
        ],
        "within": [asdict(one) for one in two.within],
        "missing": [list(pair) for pair in two.missing],
    }


def _anova(answer: Answer) -> dict[str, Any] | str:
    """The analysis of variance table, or why there is none."""
    table = answer.difference_scale
    if isinstance(table, str):
        return table
    return {
        "rows": [asdict(row) for row in (*table.rows, table.residual)],
        "dropped": list(table.dropped),
        "differences": [asdict(difference) for difference in table.differences],
    }
