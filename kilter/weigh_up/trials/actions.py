"""Writes of trials: laid out, planted in one step, shown, taken out."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from django.core.exceptions import ValidationError

from kilter.core.compare.trial import Allotted, TrialSpot, random_layout, treatments_of
from kilter.core.errors import ComparisonError
from kilter.ground.choosing import spot_key
from kilter.ground.models import Part, Place
from kilter.people.actions import save_owned
from kilter.people.history import Actor, Recorder, changing
from kilter.people.models import Change
from kilter.set_out.actions import crop_named, variety_named
from kilter.set_out.models import MethodTag, Planting
from kilter.weigh_up.question.first import BLOCK_TAG, OWN_TAGS, TRIAL_TAG
from kilter.weigh_up.trials.factors import VARIETY, is_density, of_place, of_planting, place_factor
from kilter.weigh_up.trials.models import Trial, TrialUnit

SEEDS = 2**31


def begin(
    actor: Actor, trial: Trial, crop_name: str, spots: Sequence[tuple[Place, Part | None]]
) -> Change:
    """Save a trial and allot its places by chance."""
    trial.household, trial.seed = actor.household, secrets.randbelow(SEEDS)
    with changing(actor, f"The trial “{trial}” is laid out.") as recorder:
        trial.crop = crop_named(recorder, actor.household, crop_name)
        recorder.save(trial)
        _allot(recorder, trial, spots)
    return recorder.change


def draw_again(actor: Actor, trial: Trial) -> Change:
    """Let chance decide anew; only before anything is planted."""
    units = list(
        TrialUnit.objects.of(actor.household)
        .filter(trial=trial)
        .select_related("place__site", "part")
    )
    if any(unit.planting_id for unit in units):
        raise ValidationError("This trial is planted; its layout stays as it is.")
    trial.seed = secrets.randbelow(SEEDS)
    with changing(actor, f"Chance has laid out “{trial}” anew.") as recorder:
        recorder.save(trial)
        recorder.strike(*units)
        _allot(recorder, trial, [(unit.place, unit.part) for unit in units])
    return recorder.change


def begin_afterwards(actor: Actor, trial: Trial, plantings: Sequence[Planting]) -> Change:
    """Save a trial of plantings that already stand; chance had no part in it,
    and the trial says so.
    """
    trial.household, trial.seed, trial.is_afterwards = actor.household, 0, True
    levels = {p.pk: tuple(of_planting(name, p) for name, _ in trial.things) for p in plantings}
    spots = [replace(_spot(str(p.pk), p.place, p.part), stratum=levels[p.pk]) for p in plantings]
    laid = _laid(spots, [()], 0)
    by_key = {str(p.pk): p for p in plantings}
    with changing(
        actor, f"The trial “{trial}” is set up from {len(plantings)} plantings."
    ) as recorder:
        recorder.save(trial)
        for number, one in enumerate(laid, start=1):
            planting = by_key[one.key]
            first, second = (*levels[planting.pk], "")[:2]
            spot = planting.place, planting.part
            recorder.save(_unit(trial, number, one.block, spot, (first, second), planting))
            recorder.delete(MethodTag.objects.filter(planting=planting, name__in=OWN_TAGS))
            tags = {TRIAL_TAG: trial.name, BLOCK_TAG: str(one.block)}
            recorder.make(
                MethodTag, [MethodTag(planting=planting, name=n, value=v) for n, v in tags.items()]
            )
    return recorder.change


def _allot(recorder: Recorder, trial: Trial, spots: Sequence[tuple[Place, Part | None]]) -> None:
    by_key = {spot_key(place.pk, part.pk if part else None): (place, part) for place, part in spots}
    asked = [
        replace(_spot(key, *spot), stratum=brought(trial, *spot)) for key, spot in by_key.items()
    ]
    for number, one in enumerate(_laid(asked, drawn_kinds(trial), trial.seed), start=1):
        spot = by_key[one.key]
        recorder.save(_unit(trial, number, one.block, spot, levels_of(trial, one.treatment, *spot)))


def _laid(
    spots: Sequence[TrialSpot], kinds: Sequence[tuple[str, ...]], seed: int
) -> tuple[Allotted, ...]:
    try:
        return random_layout(spots, kinds, seed)
    except ComparisonError as error:
        raise ValidationError(str(error)) from error


def drawn_kinds(trial: Trial) -> tuple[tuple[str, ...], ...]:
    """What chance allots: every combination of what does not come with a place."""
    return treatments_of(trial.drawn) if trial.drawn else ((),)


def brought(trial: Trial, place: Place, part: Part | None) -> tuple[str, ...]:
    """What a place brings with it of what is compared."""
    return tuple(of_place(name, place, part) for name, _ in trial.things if place_factor(name))


def levels_of(
    trial: Trial, drawn: Sequence[str], place: Place, part: Part | None
) -> tuple[str, str]:
    """Both things of a place, in the trial's order: drawn, or read from it."""
    rest = iter(drawn)
    found = [
        of_place(name, place, part) if place_factor(name) else next(rest)
        for name, _ in trial.things
    ]
    return found[0], found[1] if len(found) > 1 else ""


def _unit(
    trial: Trial,
    number: int,
    block: int,
    spot: tuple[Place, Part | None],
    levels: tuple[str, str],
    planting: Planting | None = None,
) -> TrialUnit:
    (place, part), (first, second) = spot, levels
    return TrialUnit(
        household=trial.household,
        trial=trial,
        place=place,
        part=part,
        number=number,
        block=block,
        first=first,
        second=second,
        planting=planting,
    )


def _spot(key: str, place: Place, part: Part | None) -> TrialSpot:
    x_m, y_m = place.x_m, place.y_m
    if part is not None and x_m is not None and place.length_m:
        x_m += place.length_m * (part.start + part.end) / 2
    return TrialSpot(key, f"{place.site_id}/{place.name if part is None else place.pk}", x_m, y_m)


def plant(actor: Actor, trial: Trial, said: dict[str, Any]) -> Change:
    """Make every planting of a trial in one step, each tagged with what it compares."""
    units = list(
        TrialUnit.objects.of(actor.household).filter(trial=trial).select_related("place", "part")
    )
    if any(unit.planting_id for unit in units):
        raise ValidationError("This trial is planted already.")
    when = said["when"]
    with changing(actor, f"The trial “{trial}” is planted in {len(units)} places.") as recorder:
        for unit in units:
            levels = dict(
                zip([name for name, _ in trial.things], (unit.first, unit.second), strict=False)
            )
            variety = next(
                (level for name, level in levels.items() if name.lower() == VARIETY),
                said["variety_name"],
            )
            planting = Planting(
                household=actor.household,
                place=unit.place,
                part=unit.part,
                crop=trial.crop,
                season=trial.season,
                variety=variety_named(recorder, trial.crop, variety),
                units=next(
                    (int(level) for name, level in levels.items() if is_density(name)),
                    said["units"],
                ),
                unit_kind=said["unit_kind"],
                planted_on=when.day if when else None,
                planted_precision=when.precision if when else "day",
                in_row_m=said["in_row_cm"] / 100 if said["in_row_cm"] else None,
                row_gap_m=said["row_gap_cm"] / 100 if said["row_gap_cm"] else None,
            )
            recorder.save(planting)
            tags = {
                n: level
                for n, level in levels.items()
                if n.lower() != VARIETY and not place_factor(n)
            }
            tags |= {TRIAL_TAG: trial.name, BLOCK_TAG: str(unit.block)} | said["methods"]
            recorder.make(
                MethodTag, [MethodTag(planting=planting, name=n, value=v) for n, v in tags.items()]
            )
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
