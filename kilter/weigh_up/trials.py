"""Trials: what a number of places can show, the layout, planting in one step, and the question they ask."""

from __future__ import annotations

import secrets
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.core.exceptions import ValidationError

from kilter.core.compare.fitted import relative_variance
from kilter.core.compare.power import smallest_gap
from kilter.core.compare.replicates import own_prior
from kilter.core.compare.trial import TrialSpot, random_layout, treatments_of
from kilter.core.errors import ComparisonError
from kilter.drawing.ground_map import GroundMap, Patch, Spot, ground_map
from kilter.ground.models import Part, Place
from kilter.people.actions import save_owned
from kilter.people.history import Hand, Recorder, changing
from kilter.people.models import Change, Household
from kilter.records.facts import facts
from kilter.set_out.actions import crop_named, variety_named
from kilter.set_out.models import Crop, MethodTag, Planting
from kilter.weigh_up.models import Trial, TrialUnit
from kilter.weigh_up.queries import like_units
from kilter.weigh_up.questions import Question

VARIETY = "variety"
#: Tags of a trial's plantings: which trial, and which block.
TRIAL_TAG, BLOCK_TAG = "trial", "block"
SEEDS = 2**31
#: From this month on a new trial is for next season.
NEXT_SEASON_FROM = 9
MOST_OF_EACH = 8
MAP_PX = 1040.0


@dataclass(frozen=True)
class TrialPage:
    """A trial with its units, what they can show, and where it stands."""

    trial: Trial
    units: tuple[TrialUnit, ...]
    treatments: tuple[str, ...]  #: in the order of their series
    blocks: int
    gaps: tuple[tuple[str, int, float], ...]  #: of each thing: places of each kind, and the smallest ratio they find
    maps: tuple[tuple[str, GroundMap], ...]
    done: int
    question: Question

    @property
    def is_planted(self) -> bool:
        return any(unit.planting for unit in self.units)

    @property
    def is_all_in(self) -> bool:
        return self.is_planted and self.done == len(self.units)


def factor_key(name: str) -> str:
    """How a thing compared is called in a question: the variety, else a method."""
    return VARIETY if name.lower() == VARIETY else f"method:{name}"


def spread_here(household: Household, plants: float | None, crop: Crop | None = None) -> float:
    """How much the log of one place's yield usually varies here, from the garden's own replicates, else the rule."""
    rows = facts(household, Planting.objects.of(household).as_they_stand())
    asked = Question((), VARIETY, "kg_per_plant")
    of_crop = [row for row in rows if crop is not None and row.attributes["crop"] == crop.name]
    prior = own_prior(like_units(of_crop, asked, set()), like_units(rows, asked, set()))
    return float((prior.kappa * relative_variance(plants)) ** 0.5)


def gaps_for(household: Household, plants: float | None) -> list[tuple[int, float]]:
    """For two to eight places of each, the smallest gap that is found four times in five."""
    spread = spread_here(household, plants)
    return [(n, smallest_gap(spread, n)) for n in range(2, MOST_OF_EACH + 1)]


def begin(hand: Hand, trial: Trial, crop_name: str, spots: Sequence[tuple[Place, Part | None]]) -> Change:
    """Save a trial and allot its places by chance."""
    trial.household, trial.seed = hand.household, secrets.randbelow(SEEDS)
    with changing(hand, f"The trial “{trial}” is laid out.") as recorder:
        trial.crop = crop_named(recorder, hand.household, crop_name)
        recorder.save(trial)
        _allot(recorder, trial, spots)
    return recorder.change


def draw_again(hand: Hand, trial: Trial) -> Change:
    """Let chance decide anew; only before anything is planted."""
    units = list(TrialUnit.objects.of(hand.household).filter(trial=trial).select_related("place__site", "part"))
    if any(unit.planting_id for unit in units):
        raise ValidationError("This trial is planted; its layout stays as it is.")
    trial.seed = secrets.randbelow(SEEDS)
    with changing(hand, f"Chance has laid out “{trial}” anew.") as recorder:
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
                household=trial.household, trial=trial, place=place, part=part, number=number, block=one.block,
                first=first, second=second,
            )
        )  # fmt: skip


def _spot(key: str, place: Place, part: Part | None) -> TrialSpot:
    x_m, y_m = place.x_m, place.y_m
    if part is not None and x_m is not None and place.length_m:
        x_m += place.length_m * (part.start + part.end) / 2
    return TrialSpot(key, f"{place.site_id}/{place.name if part is None else place.pk}", x_m, y_m)


def plant(hand: Hand, trial: Trial, said: dict[str, Any]) -> Change:
    """Make every planting of a trial in one step, each tagged with what it compares."""
    units = list(TrialUnit.objects.of(hand.household).filter(trial=trial).select_related("place", "part"))
    if any(unit.planting_id for unit in units):
        raise ValidationError("This trial is planted already.")
    when = said["when"]
    with changing(hand, f"The trial “{trial}” is planted in {len(units)} places.") as recorder:
        for unit in units:
            levels = dict(zip([name for name, _ in trial.things], (unit.first, unit.second), strict=False))
            variety = next((level for name, level in levels.items() if name.lower() == VARIETY), said["variety_name"])
            planting = Planting(
                household=hand.household, place=unit.place, part=unit.part, crop=trial.crop, season=trial.season,
                variety=variety_named(recorder, trial.crop, variety), units=said["units"], unit_kind=said["unit_kind"],
                planted_on=when.day if when else None, planted_precision=when.precision if when else "day",
                in_row_m=said["in_row_cm"] / 100 if said["in_row_cm"] else None,
                row_gap_m=said["row_gap_cm"] / 100 if said["row_gap_cm"] else None,
            )  # fmt: skip
            recorder.save(planting)
            tags = {name: level for name, level in levels.items() if name.lower() != VARIETY}
            tags |= {TRIAL_TAG: trial.name, BLOCK_TAG: str(unit.block)} | said["methods"]
            recorder.make(MethodTag, [MethodTag(planting=planting, name=n, value=v) for n, v in tags.items()])
            unit.planting = planting
            recorder.save(unit)
    return recorder.change


def question_of(trial: Trial) -> Question:
    """What the trial asks, like with like within its blocks."""
    names = [factor_key(name) for name, _ in trial.things]
    also = names[1] if len(names) > 1 else ""
    block = f"method:{BLOCK_TAG}"
    return Question((trial.crop,), names[0], "kg_per_plant", (block,), (trial.season,), also=also)


def trial_page(household: Household, trial: Trial) -> TrialPage:
    """Gather a trial's page."""
    names = "place__site", "part", "planting__variety", "planting__crop", "planting__place"
    units = tuple(TrialUnit.objects.of(household).filter(trial=trial).select_related(*names))
    treatments = tuple(dict.fromkeys(sorted(unit.treatment for unit in units)))
    blocks = max((unit.block for unit in units), default=0)
    plants = next((unit.planting.units for unit in units if unit.planting), None)
    spread = spread_here(household, plants, trial.crop)
    gaps = []
    for name, levels in trial.things:
        each = max(len(units) // max(len(levels), 1), 2)
        gaps.append((name, each, smallest_gap(spread, each)))
    done = sum(unit.planting is not None and unit.planting.finished_on is not None for unit in units)
    maps = tuple(_maps(household, units, treatments))
    return TrialPage(trial, units, treatments, blocks, tuple(gaps), maps, done, question_of(trial))


def _maps(household: Household, units: Sequence[TrialUnit], treatments: Sequence[str]) -> list[tuple[str, GroundMap]]:
    """The sites of a trial, its places painted by what chance gave them."""
    of_place: dict[int, list[TrialUnit]] = defaultdict(list)
    for unit in units:
        of_place[unit.place_id].append(unit)
    found = []
    for site in {unit.place.site_id: unit.place.site for unit in units}.values():
        places = Place.objects.of(household).filter(site=site, x_m__isnull=False, y_m__isnull=False).in_order()
        spots = [_map_spot(place, of_place.get(place.pk, []), treatments) for place in places]
        if any(spot.patches for spot in spots):
            found.append((str(site), ground_map(spots, site.length_m, site.width_m, MAP_PX)))
    return found


def _map_spot(place: Place, units: Sequence[TrialUnit], treatments: Sequence[str]) -> Spot:
    patches = tuple(
        Patch(
            unit.part.start if unit.part else 0.0, unit.part.end if unit.part else 1.0,
            treatments.index(unit.treatment) % 6 + 1, label=f"{unit.treatment}, block {unit.block}",
        )
        for unit in units
    )  # fmt: skip
    assert place.x_m is not None
    assert place.y_m is not None
    note = ", ".join(str(unit.block) for unit in units)
    return Spot(
        place.pk, str(place), place.kind, place.is_bed, place.x_m, place.y_m, place.length_m, place.width_m,
        place.volume_l, 0, (), 1.0, patches, None, "", note,
    )  # fmt: skip


def take_out(hand: Hand, trial: Trial) -> Change:
    """Take a trial out; what was planted for it stays."""
    with changing(hand, f"The trial “{trial}” was taken out; its plantings stay.") as recorder:
        recorder.strike(*TrialUnit.objects.of(hand.household).filter(trial=trial), trial)
    return recorder.change


def show(hand: Hand, trial: Trial) -> Change:
    """End the hiding of a trial's results."""
    trial.is_hidden = False
    return save_owned(hand, trial, f"The results of “{trial}” are shown.")


def running(household: Household) -> list[Trial]:
    """Trials that are planted and not all in, for the reminder of what must stay alike."""
    open_units = TrialUnit.objects.of(household).filter(planting__isnull=False, planting__finished_on=None)
    return list(Trial.objects.of(household).filter(pk__in=open_units.order_by().values("trial")))
