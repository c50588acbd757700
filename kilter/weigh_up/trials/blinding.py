"""Which plantings a blinded trial keeps back: all of its own, until every one of them is in."""

from __future__ import annotations

from collections import defaultdict

from kilter.people.models import Household
from kilter.set_out.blinding import BLINDED_BY, Blinded
from kilter.weigh_up.trials.models import TrialUnit


@BLINDED_BY.answered_by
def blinded_plantings(household: Household) -> dict[int, Blinded]:
    """Plantings of blinded trials that are not all in yet; one query."""
    units = TrialUnit.objects.of(household).filter(trial__is_blinded=True, trial__struck_at=None)
    columns = "trial_id", "trial__name", "planting_id", "planting__finished_on"
    trials: dict[tuple[int, str], list[tuple[int | None, bool]]] = defaultdict(list)
    for pk, name, planting, finished_on in units.order_by().values_list(*columns):
        trials[pk, name].append((planting, planting is not None and finished_on is not None))
    found: dict[int, Blinded] = {}
    for (pk, name), places in trials.items():
        done = sum(is_in for _, is_in in places)
        if done < len(places):
            trial = Blinded(pk, name, done, len(places))
            found |= {planting: trial for planting, _ in places if planting is not None}
    return found
