"""What came: of each crop against its earlier years, what failed, the best and the worst,
places that did worse.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterator

from django.urls import reverse

from kilter.core.review.usual import worse_than_own_years
from kilter.core.yields import lacks
from kilter.core.yields.record import food_so_far
from kilter.look_back.draft.line import (
    BADLY,
    NOTE,
    WELL,
    DraftLine,
    counted,
    each_of,
    in_hundred,
    named,
)
from kilter.look_back.season import Season
from kilter.records.facts import PlantingFacts
from kilter.set_out.models import Crop
from kilter.weigh_up.question.question import Question

#: So many plantings tell a best and a worst (rule).
FEWEST_TO_RANK = 3
#: A crop that gave a third more or less than before is told as such (rule).
MUCH = math.log(4 / 3)
MOST_YEARS = 4
#: So many places that did worse are told.
MOST_PLACES = 3


def lines(season: Season) -> Iterator[DraftLine]:
    """All of it."""
    for crop in season.grown:
        yield from _against_before(season, crop)
        yield from _failed(season, crop)
        yield from _unwritten(season, crop)
        yield from _extremes(season, crop)
    yield from _places(season)


def _rates(season: Season, crop: int) -> dict[int, tuple[float, int]]:
    """By season: what a plant of the crop gave, total over total, and over how many plantings."""
    sums: dict[int, list[float]] = defaultdict(lambda: [0.0, 0.0, 0])
    for one in season.yields:
        if one.crop == crop:
            into = sums[one.season]
            into[0], into[1], into[2] = into[0] + one.mass, into[1] + one.plants, into[2] + 1
    return {year: (mass / plants, int(places)) for year, (mass, plants, places) in sums.items()}


def _against_before(season: Season, crop: Crop) -> Iterator[DraftLine]:
    rates = _rates(season, crop.pk)
    if season.year not in rates or season.keeps_back(crop.pk):
        return
    by = season.by[crop.pk]
    rate, places = rates.pop(season.year)
    words = (
        f"{crop.name.capitalize()} gave {each_of(rate, by, season.system)} over "
        f"{counted(places, 'planting')}"
    )
    before = sorted(rates.items(), reverse=True)[:MOST_YEARS]
    side, telling = NOTE, 12.0
    if before:
        then = ", ".join(
            f"{each_of(one, by, season.system)} in {year}" for year, (one, _) in before
        )
        mean = sum(one for _, (one, _) in before) / len(before)
        words += f"; {then}"
        if rate or mean:
            gap = math.log(rate / mean) if rate and mean else math.copysign(math.inf, rate - mean)
            telling = 15 + min(abs(gap), 1.5) * 22
            side = WELL if gap > MUCH else BADLY if gap < -MUCH else NOTE
    address = (
        f"{reverse('weigh_up:index')}?{Question(crops=(crop,), compare='season', by=by).address()}"
    )
    yield DraftLine(
        key=f"came:{crop.name}",
        side=side,
        words=f"{words}.",
        address=address,
        rests=f"{counted(places, 'planting')} lifted",
        telling=telling,
        crop=crop.pk,
        causes=season.causes_of(season.of_crop(crop.pk)),
    )


def _failed(season: Season, crop: Crop) -> Iterator[DraftLine]:
    """What was finished and gave nothing."""
    by_variety: dict[int | None, list[PlantingFacts]] = defaultdict(list)
    for row in season.of_crop(crop.pk):
        food = food_so_far(row.record)
        if (
            row.record.finished_on is not None
            and food.mass_mg == 0
            and not food.count
            and not row.is_perennial
        ):
            by_variety[season.keys[row.pk].variety].append(row)
    for pk, rows in by_variety.items():
        name = (
            f"{crop.name.capitalize()} ‘{season.varieties[pk]}’" if pk else crop.name.capitalize()
        )
        name += _chance(season, rows[0])
        address = reverse("atlas:planting", args=[rows[0].pk])
        yield DraftLine(
            key=f"failed:{crop.name}:{season.varieties[pk].name if pk else ''}",
            side=BADLY,
            words=f"{name} gave nothing in {named(row.place for row in rows)}.",
            address=address,
            rests=counted(len(rows), "planting"),
            telling=60 + min(len(rows), 5) * 3,
            crop=crop.pk,
            causes=season.causes_of(rows),
        )


def _unwritten(season: Season, crop: Crop) -> Iterator[DraftLine]:
    """What is finished, and nobody knows what it gave: it is in no sum until that is said."""
    rows = [row for row in season.of_crop(crop.pk) if row.record.unknown == lacks.NOT_WRITTEN]
    if not rows:
        return
    where = named(row.place for row in rows)
    yield DraftLine(
        key=f"unwritten:{crop.name}",
        side=NOTE,
        words=(
            f"Nothing is written of {crop.name} in {where}: did it give nothing, or was it not "
            "weighed?"
        ),
        address=reverse("atlas:planting", args=[rows[0].pk]),
        rests=counted(len(rows), "planting"),
        telling=50 + min(len(rows), 5),
        crop=crop.pk,
        causes=season.causes_of(rows),
    )


def _extremes(season: Season, crop: Crop) -> Iterator[DraftLine]:
    of_crop = {row.record.ref: row for row in season.of_crop(crop.pk)}
    rated = sorted(
        ((one.mass / one.plants, of_crop[one.ref]) for one in season.yields if one.ref in of_crop),
        key=lambda pair: (-pair[0], pair[1].pk),
    )
    if len(rated) < FEWEST_TO_RANK or not rated[0][0] or rated[0][0] == rated[-1][0]:
        return
    by = season.by[crop.pk]
    (most, best), (least, worst) = rated[0], rated[-1]
    times = most / least if least else math.inf
    yield DraftLine(
        key=f"ends:{crop.name}",
        side=NOTE,
        words=f"Best {crop}: {best.label} in {best.place}, {each_of(most, by, season.system)}"
        f"{_chance(season, best)}. Worst: {worst.label} in {worst.place}, "
        f"{each_of(least, by, season.system)}{_chance(season, worst)}.",
        address=reverse("atlas:planting", args=[best.pk]),
        rests=_of_how_many(len(rated), len(of_crop)),
        telling=10 + min(times, 6) * 4,
        crop=crop.pk,
    )


def _chance(season: Season, row: PlantingFacts) -> str:
    """Where the household says so, that a variety had no fair chance."""
    is_so = season.keys[row.pk].variety in season.without_chance
    return " (no fair chance, by your verdict)" if is_so else ""


def _of_how_many(measured: int, grown: int) -> str:
    left = grown - measured
    more = f"; {left} not weighed or counted whole, or kept back" if left else ""
    return f"of {counted(measured, 'planting')}{more}"


def _places(season: Season) -> Iterator[DraftLine]:
    for one in worse_than_own_years(season.yields, season.year)[:MOST_PLACES]:
        place = season.places[one.place]
        then = named(f"{in_hundred(ratio)} in {year}" for year, ratio in one.others[::-1])
        rows = [row for row in season.own_rows if season.keys[row.pk].place == one.place]
        yield DraftLine(
            key=f"place:{place.ref}",
            side=BADLY,
            words=(
                f"{place} gave {in_hundred(one.this.ratio)} of what the same crops gave "
                f"elsewhere; {then}."
            ),
            address=reverse("atlas:place", args=[one.place]),
            rests=counted(one.this.plantings, "planting"),
            telling=45 + (1 - one.this.ratio) * 20,
            causes=season.causes_of(rows),
        )
