"""An answer as plain values, for the command line."""

from __future__ import annotations

from typing import Any

from kilter.weigh_up.queries import Answer
from kilter.weigh_up.wording import sentence


def as_values(answer: Answer) -> dict[str, Any]:
    """Everything that the JSON of ``manage.py weigh_up`` holds."""
    question = answer.question
    values: dict[str, Any] = {
        "crop": question.crop.name,
        "compare": question.compare,
        "by": question.by,
        "within": list(question.within),
        "seasons": list(question.seasons),
        "left_out": [{"planting": out.ref, "reason": out.reason} for out in answer.left_out],
    }
    found = answer.comparison
    if found is None:
        return values | {"problem": answer.problem, "aliased_with": list(answer.aliased_with)}
    return values | {
        "levels": [
            {"level": level.level, "n": level.n, "mean": level.mean, "low": level.low, "high": level.high}
            for level in found.levels
        ],
        "pairs": [
            {
                "a": pair.a,
                "b": pair.b,
                "ratio": pair.ratio,
                "low": pair.low,
                "high": pair.high,
                "chance": pair.chance,
                "verdict": pair.verdict,
            }
            for pair in found.pairs
        ],
        "phi": found.phi,
        "df": found.df,
        "prior": {"source": found.prior.source, "weight": found.prior.weight, "kappa": found.prior.kappa},
        "blocks": [
            {
                "block": dict(zip(question.within, block.labels, strict=True)),
                "means": dict(block.means),
                "agrees": block.is_agreeing,
            }
            for block in found.blocks
        ],
        "fairness": [
            {
                "attribute": one.attribute,
                "score": one.score,
                "a": one.a,
                "a_value": one.a_value,
                "b": one.b,
                "b_value": one.b_value,
                "plantings": list(one.refs),
            }
            for one in answer.fairness
        ],
        "settle": [{"ratio": one.ratio, "units_of_each": one.units} for one in found.settling],
        "agree": found.agree,
        "agree_of": found.agree_of,
        "verdict": found.verdict,
        "in_general": found.is_general,
        "sentence": sentence(found).answer,
    }
