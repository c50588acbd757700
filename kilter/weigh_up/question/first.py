"""What to ask when nothing has been asked."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence

from django.db.models import Count

from kilter.people.models import Household
from kilter.records.facts import PlantingFacts, facts, levels_among
from kilter.set_out.models import Crop, Planting
from kilter.weigh_in.models import WeighIn
from kilter.weigh_up.question.gaps import ATTRIBUTES
from kilter.weigh_up.question.question import Question

#: What a trial tags its plantings with, which trial and which block; not a method that was chosen.
TRIAL_TAG, BLOCK_TAG = "trial", "block"
OWN_TAGS = frozenset({TRIAL_TAG, BLOCK_TAG})
#: What is asked first of plantings alike in variety and method; the place, in which all differ,
#: comes last.
SOONEST = (
    "lot",
    "volume",
    "material",
    "place_kind",
    "site",
    "light",
    "planting_time",
    "density",
    "season",
)
#: By weight, else by number where nothing was weighed.
BY = ("kg_per_plant", "count_per_plant")
#: Two of a kind are the least that can be compared.
ENOUGH = 2


def first_question(household: Household) -> Question | None:
    """What to ask when nothing has been: the choice with most units in the latest finished season.

    A method in use is asked first, as it was tagged to be compared; then varieties; then whatever
    else the finished plantings of a crop differ in. None only where nothing was ever planted.
    """
    chosen = _by_choice(household) or _by_what_differs(household)
    if chosen is not None:
        return chosen.but(by=_measure(household, chosen))
    planted = (
        Planting.objects.of(household).order_by("-season", "pk").select_related("crop").first()
    )
    return None if planted is None else Question(crops=(planted.crop,), compare="variety", by=BY[0])


def _by_choice(household: Household) -> Question | None:
    """A method or a variety of which there are two."""
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
    within = (
        ("variety",)
        if compare_by != "variety" and len(levels[crop_id, "variety", season]) > 1
        else ()
    )
    return Question(crops=(crop,), compare=compare_by, by=BY[0], within=within, seasons=(season,))


def _by_what_differs(household: Household) -> Question | None:
    """Of the crop with most finished plantings:
    the first attribute in which those of its latest season differ.
    """
    rows = facts(household, Planting.objects.of(household).exclude(finished_on=None))
    crops = {crop.name: crop for crop in Crop.objects.of(household)}
    by_crop: dict[str, list[PlantingFacts]] = defaultdict(list)
    for row in rows:
        by_crop[row.attributes["crop"] or ""].append(row)
    for name, of_crop in sorted(by_crop.items(), key=lambda pair: -len(pair[1])):
        seasons = Counter(row.season for row in of_crop)
        latest = max((year for year, count in seasons.items() if count >= ENOUGH), default=None)
        of_latest = [row for row in of_crop if row.season == latest]
        if (differing := _differing(of_latest)) and latest is not None:
            return Question(
                crops=(crops[name],), compare=differing, by=BY[0], within=(), seasons=(latest,)
            )
        if differing := _differing(of_crop):
            return Question(crops=(crops[name],), compare=differing, by=BY[0])
    return None


def _differing(rows: Sequence[PlantingFacts]) -> str:
    """The first attribute with two values; empty where there is none."""
    names = [*SOONEST, *(name for name in ATTRIBUTES if name not in (*SOONEST, "place")), "place"]
    return next((name for name in names if len(levels_among(rows, name) - {None}) >= ENOUGH), "")


def _measure(household: Household, question: Question) -> str:
    """By weight where two of the plantings asked about were weighed, else by number."""
    asked = question.plantings(household).order_by()
    if question.seasons:
        asked = asked.filter(season__in=question.seasons)
    weighed = WeighIn.objects.of(household).filter(
        planting__in=asked.values("pk"), mass_mg__isnull=False
    )
    count = len(weighed.order_by().values_list("planting_id").distinct()[:ENOUGH])
    return BY[0] if count == ENOUGH else BY[1]
