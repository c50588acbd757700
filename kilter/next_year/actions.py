"""Writes on the plan: what is said of a crop, which plan is the plan, what is promised by it."""

from __future__ import annotations

from collections.abc import Iterable

from kilter.core.trade import units
from kilter.ground.choosing import spot_key
from kilter.next_year.garden import first_words, garden, usual_plan
from kilter.next_year.rows import CropRow, row
from kilter.people import clock
from kilter.people.history import Actor, Recorder, changing
from kilter.people.models import Change, Eater, Household
from kilter.plans.models import NotEaten, Plan, PlannedCrop, PlannedPlanting, Wish, begins_words
from kilter.plans.queries import plan_for, planned_crops, waiting_plantings
from kilter.set_out.actions import crop_named
from kilter.set_out.models import Crop, Planting
from kilter.set_out.planned import PLANNED, PlannedLine
from kilter.set_out.promised import PROMISED, Keep
from kilter.set_out.wording import name_together


def plan_crop(actor: Actor, plan: Plan, crop_name: str, wish: Wish | None = None) -> Change:
    """Take a crop into a plan, by which a wish may come true."""
    name = crop_name.strip()
    with changing(
        actor, f"{name} is in the plan{'; it was wished for' if wish else ''}."
    ) as recorder:
        crop = crop_named(recorder, actor.household, name)
        crop.household = actor.household
        saved_plan(recorder, plan)
        said = _said_of(plan, crop)
        said.is_out = False
        if wish:
            recorder.strike(wish)
        recorder.save(said)
    return recorder.change


def leave_out(actor: Actor, plan: Plan, crop: Crop) -> Change:
    """Take a crop out of a plan; what was said of it is kept for when it comes back."""
    with changing(actor, f"{crop} is out of the plan.") as recorder:
        saved_plan(recorder, plan)
        said = _said_of(plan, crop)
        said.is_out = True
        recorder.save(said)
    return recorder.change


def save_planned(
    actor: Actor, plan: Plan, said: PlannedCrop, eaters_without: Iterable[Eater] | None = None
) -> Change:
    """Save what was said of a crop, and who does not eat it."""
    with changing(actor, f"The plan for {said.crop} is changed.") as recorder:
        saved_plan(recorder, plan)
        said.plan = plan
        recorder.save(said)
        if eaters_without is not None:
            _save_not_eaten(recorder, actor, said.crop, {one.pk: one for one in eaters_without})
    return recorder.change


def save_sure(actor: Actor, plan: Plan, crop: Crop, percent: int) -> Change:
    """Say how sure to be of a crop."""
    said = _said_of(plan, crop)
    said.certainty = percent
    return save_planned(actor, plan, said)


def _save_not_eaten(
    recorder: Recorder, actor: Actor, crop: Crop, without: dict[int, Eater]
) -> None:
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
    """Begin another plan for the same season with all that this one says;
    what was promised is not copied.
    """
    with changing(actor, f"A plan {name} begins as {plan.name} stands.") as recorder:
        lines = list(planned_crops(plan))
        made = Plan(
            household=actor.household,
            season=plan.season,
            name=name,
            first=plan.first,
            frost_risk=plan.frost_risk,
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
        others = (
            Plan.objects.of(actor.household)
            .filter(season=plan.season, is_chosen=True)
            .exclude(pk=plan.pk)
        )
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
        saved_plan(recorder, plan)
        for one in found:
            said = _said_of(plan, one.crop)
            if not said.is_frozen:
                _freeze(recorder, said, one)
    return recorder.change


@PROMISED.answered_by
def promise_of(household: Household, season: int, crop: Crop) -> Keep | None:
    """The first planting of a crop freezes what the plan of its season promised of it."""
    plan = plan_for(household, season)
    said = planned_crops(plan).filter(crop=crop, frozen_on=None, is_out=False).first()
    if plan is None or said is None:
        return None
    crop.household = household
    said.crop = crop
    found = row(crop, garden(household, plan), said)
    return lambda recorder, _: _freeze(recorder, said, found)


@PROMISED.answered_by
def link_of(household: Household, season: int, crop: Crop) -> Keep | None:
    """A planting in a place where the plan has one of that crop is what came of it."""
    waiting = list(waiting_plantings(plan_for(household, season)).filter(crop=crop))

    def link(recorder: Recorder, planted: list[Planting]) -> None:
        for planting in planted:
            here = [one for one in waiting if one.place_id == planting.place_id]
            found = next(
                (one for one in here if one.part_id == planting.part_id), here[0] if here else None
            )
            if found is not None:
                waiting.remove(found)
                found.planting = planting
                recorder.save(found)

    return link if waiting else None


@PLANNED.answered_by
def planned_lines(household: Household, season: int) -> list[PlannedLine]:
    """What the season's plan has for Set out, and is not set out yet;
    pots that are planted alike in one line.
    """
    alike: dict[tuple[object, ...], list[PlannedPlanting]] = {}
    for planting in waiting_plantings(plan_for(household, season)).order_by(
        "start", "place__name", "place__number", "pk"
    ):
        alone = (planting.place_id, planting.part_id) if planting.place.is_bed else None
        alike.setdefault(
            (
                planting.start,
                planting.crop_id,
                planting.variety_id,
                planting.plants,
                planting.place.name,
                alone,
            ),
            [],
        ).append(planting)
    return [
        PlannedLine(
            crop=of[0].crop.name,
            variety=of[0].variety.name if of[0].variety else "",
            units=of[0].plants,
            unit_kind=_set_as(of[0].crop),
            spots=tuple(spot_key(one.place_id, one.part_id) for one in of),
            where=name_together((one.place, one.where) for one in of),
            slot=of[0].start,
            begins=begins_words(of[0].start),
        )
        for of in alike.values()
    ]


def _set_as(crop: Crop) -> str:
    """In which form it is usually set out."""
    book = crop.in_handbook
    return book.planted[0].key if book else units.USUAL.key


def _freeze(recorder: Recorder, said: PlannedCrop, found: CropRow) -> None:
    said.frozen_on = clock.today(recorder.change.household)
    said.promised_plants = found.plants
    said.promised_need_kg = found.needed.lift_kg
    if found.one_plant is not None and found.plants is not None:
        tenth, fifth, half, ninetieth = found.one_plant.span_kg(found.plants, 0.1, 0.2, 0.5, 0.9)
        said.promised_tenth_kg, said.promised_fifth_kg = tenth, fifth
        said.promised_half_kg, said.promised_ninetieth_kg = half, ninetieth
    recorder.save(said)


def saved_plan(recorder: Recorder, plan: Plan) -> None:
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
