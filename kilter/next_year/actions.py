"""Writes on the plan: what is said of a crop, which plan is the plan, what is promised by it."""

from __future__ import annotations

from collections.abc import Iterable

from kilter.next_year.garden import first_words, garden, usual_plan
from kilter.next_year.rows import CropRow, row
from kilter.people import clock
from kilter.people.history import Actor, Recorder, changing
from kilter.people.models import Change, Eater, Household
from kilter.plans.models import NotEaten, Plan, PlannedCrop, Wish
from kilter.plans.queries import plan_for, planned_crops
from kilter.set_out.actions import crop_named
from kilter.set_out.models import Crop
from kilter.set_out.promised import Keep, keeps_promises


def plan_crop(actor: Actor, plan: Plan, crop_name: str) -> Change:
    """Take a crop into a plan."""
    with changing(actor, f"{crop_name.strip()} is in the plan.") as recorder:
        crop = crop_named(recorder, actor.household, crop_name)
        crop.household = actor.household
        _saved(recorder, plan)
        said = _said_of(plan, crop)
        said.is_out = False
        recorder.save(said)
    return recorder.change


def take_wish(actor: Actor, plan: Plan, wish: Wish) -> Change:
    """Take up what somebody wished for."""
    with changing(actor, f"{wish.crop_name} is in the plan; it was wished for.") as recorder:
        crop = crop_named(recorder, actor.household, wish.crop_name)
        crop.household = actor.household
        _saved(recorder, plan)
        said = _said_of(plan, crop)
        said.is_out = False
        recorder.save(said)
        recorder.strike(wish)
    return recorder.change


def leave_out(actor: Actor, plan: Plan, crop: Crop) -> Change:
    """Take a crop out of a plan; what was said of it is kept for when it comes back."""
    with changing(actor, f"{crop} is out of the plan.") as recorder:
        _saved(recorder, plan)
        said = _said_of(plan, crop)
        said.is_out = True
        recorder.save(said)
    return recorder.change


def save_planned(actor: Actor, plan: Plan, said: PlannedCrop, eaters_without: Iterable[Eater] | None = None) -> Change:
    """Save what was said of a crop, and who does not eat it."""
    with changing(actor, f"The plan for {said.crop} is changed.") as recorder:
        _saved(recorder, plan)
        said.plan = plan
        recorder.save(said)
        if eaters_without is not None:
            _save_not_eaten(recorder, actor, said.crop, {one.pk: one for one in eaters_without})
    return recorder.change


def _save_not_eaten(recorder: Recorder, actor: Actor, crop: Crop, without: dict[int, Eater]) -> None:
    known = {one.eater_id: one for one in NotEaten.objects.of(actor.household).filter(crop=crop)}
    recorder.strike(*(one for pk, one in known.items() if pk not in without))
    recorder.save(
        *(
            NotEaten(household=actor.household, crop=crop, eater=eater)
            for pk, eater in without.items()
            if pk not in known
        )
    )


def save_plan(actor: Actor, plan: Plan) -> Change:
    """Save a plan's own name and choices."""
    with changing(actor, f"The plan {plan} is changed.") as recorder:
        recorder.save(plan)
    return recorder.change


def copy_plan(actor: Actor, plan: Plan, name: str) -> Change:
    """Begin another plan for the same season with all that this one says; what was promised is not copied."""
    with changing(actor, f"A plan {name} begins as {plan.name} stands.") as recorder:
        lines = list(planned_crops(plan))
        made = Plan(
            household=actor.household, season=plan.season, name=name, first=plan.first, frost_risk=plan.frost_risk
        )
        recorder.save(made)
        for line in lines:
            fresh = PlannedCrop(household=actor.household, plan=made, crop=line.crop)
            for field in PlannedCrop._meta.concrete_fields:
                if field.editable and field.name not in {"id", "ref", "household", "plan", "crop"}:
                    setattr(fresh, field.attname, getattr(line, field.attname))
            recorder.save(fresh)
        recorder.change.saved = (made,)
    return recorder.change


def choose_plan(actor: Actor, plan: Plan) -> Change:
    """Make a plan the plan for its season."""
    with changing(actor, f"{plan} is the plan now.") as recorder:
        others = Plan.objects.of(actor.household).filter(season=plan.season, is_chosen=True).exclude(pk=plan.pk)
        for other in others:
            other.is_chosen = False
            recorder.save(other)
        plan.is_chosen = True
        recorder.save(plan)
    return recorder.change


def strike_plan(actor: Actor, plan: Plan) -> Change:
    """Put a plan away with all that it says."""
    with changing(actor, f"{plan} is put away.") as recorder:
        recorder.strike(*planned_crops(plan), plan)
    return recorder.change


def freeze(actor: Actor, plan: Plan) -> Change:
    """Keep what is promised now of every crop, to be held against what comes."""
    shared = garden(actor.household, plan)
    found = [row(crop, shared) for crop in shared.crops]
    with changing(actor, f"{plan} is frozen: what comes is held against it.") as recorder:
        _saved(recorder, plan)
        for one in found:
            said = _said_of(plan, one.crop)
            if not said.is_frozen:
                _freeze(recorder, said, one)
    return recorder.change


@keeps_promises
def promise_of(household: Household, season: int, crop: Crop) -> Keep | None:
    """The first planting of a crop freezes what the plan of its season promised of it."""
    plan = plan_for(household, season)
    said = planned_crops(plan).filter(crop=crop, frozen_on=None, is_out=False).first()
    if plan is None or said is None:
        return None
    crop.household = household
    said.crop = crop
    found = row(crop, garden(household, plan), said)
    return lambda recorder: _freeze(recorder, said, found)


def _freeze(recorder: Recorder, said: PlannedCrop, found: CropRow) -> None:
    said.frozen_on = clock.today(recorder.change.household)
    said.promised_plants = found.plants
    said.promised_need_kg = found.needed.lift_kg
    if found.one_plant is not None and found.plants is not None:
        tenth, fifth, half, ninetieth = found.one_plant.span_kg(found.plants, 0.1, 0.2, 0.5, 0.9)
        said.promised_tenth_kg, said.promised_fifth_kg = tenth, fifth
        said.promised_half_kg, said.promised_ninetieth_kg = half, ninetieth
    recorder.save(said)


def _saved(recorder: Recorder, plan: Plan) -> None:
    """The plan itself, which is made with the first word."""
    if plan.pk is None:
        known = usual_plan(plan.household)
        if known.pk is not None and known.season == plan.season:
            plan.pk, plan.ref = known.pk, known.ref
        else:
            recorder.save(plan)


def _said_of(plan: Plan, crop: Crop) -> PlannedCrop:
    found = planned_crops(plan).filter(crop=crop).first() or first_words(crop, plan)
    found.plan, found.crop = plan, crop
    return found
