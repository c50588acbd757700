"""Trials as they stand: what a number of places can show, the layout, and the question they ask."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from math import exp

from kilter.core.compare.kinds import relative_variance
from kilter.core.compare.power import smallest_gap
from kilter.core.compare.replicates import own_prior
from kilter.drawing.ground_map import GroundMap, MapPlace, Patch, ground_map
from kilter.ground.maps import map_spot
from kilter.ground.models import Place
from kilter.people.models import Household
from kilter.records.facts import facts
from kilter.set_out.models import Crop, Planting
from kilter.weigh_up.answer.units import like_units
from kilter.weigh_up.question.first import BLOCK_TAG
from kilter.weigh_up.question.question import Question
from kilter.weigh_up.trials.factors import VARIETY, factor_key, is_density
from kilter.weigh_up.trials.models import Trial, TrialUnit

#: From this month on a new trial is for next season.
NEXT_SEASON_FROM = 9
MOST_OF_EACH = 8
MAP_PX = 1040.0


@dataclass(frozen=True, kw_only=True)
class TrialPage:
    """A trial with its units, what they can show, and where it stands."""

    trial: Trial
    units: tuple[TrialUnit, ...]
    treatments: tuple[str, ...]  #: in the order of their series
    blocks: int
    gaps: tuple[
        tuple[str, int, float], ...
    ]  #: of each thing: places of each kind, and the smallest ratio they find
    maps: tuple[tuple[str, GroundMap], ...]
    done: int
    question: Question

    @property
    def block_size(self) -> str:
        """How many places a block holds: 4, or 4 to 5."""
        sizes = Counter(unit.block for unit in self.units).values()
        return str(min(sizes)) if min(sizes) == max(sizes) else f"{min(sizes)} to {max(sizes)}"

    @property
    def is_planted(self) -> bool:
        return any(unit.planting for unit in self.units)

    @property
    def places(self) -> int:
        """In how many places it stands; a bed may hold several of its plantings."""
        return len({unit.place_id for unit in self.units})

    @property
    def is_all_in(self) -> bool:
        return self.is_planted and self.done == len(self.units)


def spread_here(household: Household, plants: float | None, crop: Crop | None = None) -> float:
    """How much the log of one place's yield usually varies here,
    from the garden's own replicates, else the rule.
    """
    rows = facts(household, Planting.objects.of(household).as_they_stand())
    asked = Question(crops=(), compare=VARIETY, by="kg_per_plant")
    of_crop = [row for row in rows if crop is not None and row.attributes["crop"] == crop.name]
    prior = own_prior(like_units(of_crop, asked), like_units(rows, asked))
    return float((prior.kappa * relative_variance(plants)) ** 0.5)


def gaps_for(household: Household, plants: float | None) -> list[tuple[int, float]]:
    """For two to eight places of each,
    the smallest difference that four trials out of five show.
    """
    spread = spread_here(household, plants)
    return [(n, exp(smallest_gap(spread, n))) for n in range(2, MOST_OF_EACH + 1)]


def question_of(trial: Trial, blocks: int) -> Question:
    """What the trial asks, compared only within its blocks."""
    names = [factor_key(name) for name, _ in trial.things]
    second = names[1] if len(names) > 1 else ""
    # More plants in a place give more or less each by their number alone: what a place gave is then
    # asked.
    by = "kg_per_place" if any(is_density(name) for name, _ in trial.things) else "kg_per_plant"
    within = (f"method:{BLOCK_TAG}",) if blocks > 1 else ()
    return Question(
        crops=(trial.crop,),
        compare=names[0],
        by=by,
        within=within,
        seasons=(trial.season,),
        second_factor=second,
    )


def trial_page(household: Household, trial: Trial) -> TrialPage:
    """Gather a trial's page."""
    names = "place__site", "part", "planting__variety", "planting__crop", "planting__place"
    units = tuple(TrialUnit.objects.of(household).filter(trial=trial).select_related(*names))
    treatments = tuple(dict.fromkeys(sorted(unit.treatment for unit in units)))
    blocks = max((unit.block for unit in units), default=0)
    plants = next((unit.planting.units for unit in units if unit.planting), None)
    spread = spread_here(household, plants, trial.crop)
    gaps = []
    for i, (name, levels) in enumerate(trial.things):
        had = Counter((unit.first, unit.second)[i] for unit in units)
        each = max(min((had[level] for level in levels), default=0), 2)
        gaps.append((name, each, exp(smallest_gap(spread, each))))
    done = sum(
        unit.planting is not None and unit.planting.finished_on is not None for unit in units
    )
    maps = tuple(_maps(household, units, treatments))
    return TrialPage(
        trial=trial,
        units=units,
        treatments=treatments,
        blocks=blocks,
        gaps=tuple(gaps),
        maps=maps,
        done=done,
        question=question_of(trial, blocks),
    )


def _maps(
    household: Household, units: Sequence[TrialUnit], treatments: Sequence[str]
) -> list[tuple[str, GroundMap]]:
    """The sites of a trial, its places painted by what chance gave them."""
    of_place: dict[int, list[TrialUnit]] = defaultdict(list)
    for unit in units:
        of_place[unit.place_id].append(unit)
    found = []
    for site in {unit.place.site_id: unit.place.site for unit in units}.values():
        places = (
            Place.objects.of(household)
            .filter(site=site, x_m__isnull=False, y_m__isnull=False)
            .in_order()
        )
        spots = [_map_spot(place, of_place.get(place.pk, []), treatments) for place in places]
        if any(spot.patches for spot in spots):
            found.append((str(site), ground_map(spots, site.length_m, site.width_m, MAP_PX)))
    return found


def _map_spot(place: Place, units: Sequence[TrialUnit], treatments: Sequence[str]) -> MapPlace:
    patches = tuple(
        Patch(
            unit.part.start if unit.part else 0.0,
            unit.part.end if unit.part else 1.0,
            treatments.index(unit.treatment) % 6 + 1,
            label=f"{unit.treatment}, block {unit.block}",
        )
        for unit in units
    )
    return map_spot(
        place, fill_share=1.0, patches=patches, note=", ".join(str(unit.block) for unit in units)
    )


def running(household: Household) -> list[Trial]:
    """Trials that are planted and not all in, for the reminder of what must stay alike."""
    open_units = TrialUnit.objects.of(household).filter(
        planting__isnull=False, planting__finished_on=None
    )
    return list(Trial.objects.of(household).filter(pk__in=open_units.order_by().values("trial")))
