"""Writes of trials: laid out, planted in one step, shown, taken out."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from typing import Any

from django.core.exceptions import ValidationError

from kilter.core.compare.trial import TrialSpot, random_layout, treatments_of
from kilter.core.errors import ComparisonError
from kilter.ground.models import Part, Place
from kilter.people.actions import save_owned
from kilter.people.history import Actor, Recorder, changing
from kilter.people.models import Change
from kilter.set_out.actions import crop_named, variety_named
from kilter.set_out.models import MethodTag, Planting
from kilter.weigh_up.trials.models import Trial, TrialUnit

VARIETY = "variety"
#: Tags of a trial's plantings: which trial, and which block.
TRIAL_TAG, BLOCK_TAG = "trial", "block"
SEEDS = 2**31


def begin(actor: Actor, trial: Trial, crop_name: str, spots: Sequence[tuple[Place, Part | None]]) -> Change:
    """Save a trial and allot its places by chance."""
    trial.household, trial.seed = actor.household, secrets.randbelow(SEEDS)
    with changing(actor, f"The trial “{trial}” is laid out.") as recorder:
        trial.crop = crop_named(recorder, actor.household, crop_name)
        recorder.save(trial)
        _allot(recorder, trial, spots)
    return recorder.change


def draw_again(actor: Actor, trial: Trial) -> Change:
    """Let chance decide anew; only before anything is planted."""
    units = list(TrialUnit.objects.of(actor.household).filter(trial=trial).select_related("place__site", "part"))
    if any(unit.planting_id for unit in units):
        raise ValidationError("This trial is planted; its layout stays as it is.")
    trial.seed = secrets.randbelow(SEEDS)
    with changing(actor, f"Chance has laid out “{trial}” anew.") as recorder:
        recorder.save(trial)
        recorder.strike(*units)
        _allot(recorder, trial, [(unit.place, unit.part) for unit in units])
    return recorder.change


def _allot(recorder: Recorder, trial: Trial, spots: Sequence[tuple[Place, Part | None]]) -> None:
    by_key = {f"{place.pk}-{part.pk if part else ''}": (place, part) for place, part in spots}
    asked = [_spot(key, place, part) for key, (place, part) in by_key.items()]
    try:
        laid = random_layout(asked, treatments_of([levels for _, levels in trial.things]), trial.seed)
    except ComparisonError as error:
        raise ValidationError(str(error)) from error
    for number, one in enumerate(laid, start=1):
        place, part = by_key[one.key]
        first, second = (*one.treatment, "")[:2]
        recorder.save(
            TrialUnit(
                household=trial.household,
                trial=trial,
                place=place,
                part=part,
                number=number,
                block=one.block,
                first=first,
                second=second,
            )
        )


def _spot(key: str, place: Place, part: Part | None) -> TrialSpot:
    x_m, y_m = place.x_m, place.y_m
    if part is not None and x_m is not None and place.length_m:
        x_m += place.length_m * (part.start + part.end) / 2
    return TrialSpot(key, f"{place.site_id}/{place.name if part is None else place.pk}", x_m, y_m)


def plant(actor: Actor, trial: Trial, said: dict[str, Any]) -> Change:
    """Make every planting of a trial in one step, each tagged with what it compares."""
    units = list(TrialUnit.objects.of(actor.household).filter(trial=trial).select_related("place", "part"))
    if any(unit.planting_id for unit in units):
        raise ValidationError("This trial is planted already.")
    when = said["when"]
    with changing(actor, f"The trial “{trial}” is planted in {len(units)} places.") as recorder:
        for unit in units:
            levels = dict(zip([name for name, _ in trial.things], (unit.first, unit.second), strict=False))
            variety = next((level for name, level in levels.items() if name.lower() == VARIETY), said["variety_name"])
            planting = Planting(
                household=actor.household,
                place=unit.place,
                part=unit.part,
                crop=trial.crop,
                season=trial.season,
                variety=variety_named(recorder, trial.crop, variety),
                units=said["units"],
                unit_kind=said["unit_kind"],
                planted_on=when.day if when else None,
                planted_precision=when.precision if when else "day",
                in_row_m=said["in_row_cm"] / 100 if said["in_row_cm"] else None,
                row_gap_m=said["row_gap_cm"] / 100 if said["row_gap_cm"] else None,
            )
            recorder.save(planting)
            tags = {name: level for name, level in levels.items() if name.lower() != VARIETY}
            tags |= {TRIAL_TAG: trial.name, BLOCK_TAG: str(unit.block)} | said["methods"]
            recorder.make(MethodTag, [MethodTag(planting=planting, name=n, value=v) for n, v in tags.items()])
            unit.planting = planting
            recorder.save(unit)
    return recorder.change


def take_out(actor: Actor, trial: Trial) -> Change:
    """Take a trial out; what was planted for it stays."""
    with changing(actor, f"The trial “{trial}” was taken out; its plantings stay.") as recorder:
        recorder.strike(*TrialUnit.objects.of(actor.household).filter(trial=trial), trial)
    return recorder.change


def show(actor: Actor, trial: Trial) -> Change:
    """End the hiding of a trial's results."""
    trial.is_blinded = False
    return save_owned(actor, trial, f"The results of “{trial}” are shown.")
