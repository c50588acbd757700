"""What to ask when nothing has been asked."""

from __future__ import annotations

from collections import Counter, defaultdict

from django.db.models import Count

from kilter.people.models import Household
from kilter.set_out.models import Crop, Planting
from kilter.weigh_up.question.question import Question

#: What a trial tags its plantings with; not a method that was chosen.
OWN_TAGS = ("trial", "block")


def first_question(household: Household) -> Question | None:
    """What to ask when nothing has been: the choice with most units in the latest finished season.

    A method in use is asked first, as it was tagged to be compared.
    """
    finished = Planting.objects.of(household).exclude(finished_on=None)
    names = "season", "crop_id", "variety_id", "methods__name", "methods__value"
    rows = finished.order_by().values_list(*names).annotate(units=Count("pk"))
    levels: dict[tuple[int, str, int], Counter[object]] = defaultdict(Counter)
    for season, crop_id, variety_id, name, value, units in rows:
        if variety_id:
            levels[crop_id, "variety", season][variety_id] += units
        if name and name not in OWN_TAGS:
            levels[crop_id, f"method:{name}", season][value] += units
    asked = [
        (season, compare != "variety", seen.total(), crop_id, compare)
        for (crop_id, compare, season), seen in levels.items()
        if len(seen) > 1
    ]
    if not asked:
        return None
    season, _, _, crop_id, compare_by = max(asked)
    crop = Crop.objects.of(household).get(pk=crop_id)
    within = ("variety",) if compare_by != "variety" and len(levels[crop_id, "variety", season]) > 1 else ()
    return Question((crop,), compare_by, "kg_per_plant", within, (season,))
