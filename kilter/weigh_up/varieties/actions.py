"""Writes of what people say of varieties."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from kilter.people.actions import save_owned
from kilter.people.history import Actor, changing
from kilter.people.models import Change
from kilter.set_out.models import Variety
from kilter.weigh_up.varieties.models import Criterion, Score, Verdict


def say_scores(
    actor: Actor, variety: Variety, said: Sequence[tuple[Criterion, int]], about: Mapping[str, Any]
) -> Change:
    """Keep one person's scores of a variety."""
    with changing(
        actor, f"‘{variety}’ has {len(said)} score{'s' * (len(said) != 1)} more."
    ) as recorder:
        for criterion, value in said:
            recorder.save(
                Score(
                    household=actor.household,
                    variety=variety,
                    criterion=criterion,
                    value=value,
                    **about,
                )
            )
    return recorder.change


def say_verdict(actor: Actor, verdict: Verdict) -> Change:
    """Keep what is made of a variety after a season;
    said again for the same season, it is changed.
    """
    earlier = (
        Verdict.objects.of(actor.household)
        .filter(variety=verdict.variety, season=verdict.season)
        .first()
    )
    standing: Verdict = earlier or verdict
    standing.kind, standing.reason = verdict.kind, verdict.reason
    return save_owned(actor, standing, f"{standing}.")
