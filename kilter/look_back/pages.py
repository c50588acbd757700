"""What the pages of a review show beside its lines."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from kilter.drawing.came import CameBar, came_bar
from kilter.drawing.shelves import WeekBars, week_bars
from kilter.larder.food import Food, food_of
from kilter.larder.weeks import CropWeeks, Weeks, weeks_of
from kilter.larder.went import Went
from kilter.look_back.decisions import DecisionStanding
from kilter.look_back.review import Read, Sheet
from kilter.look_back.season import Season
from kilter.look_back.setbacks import Setback, setbacks_of
from kilter.set_out.models import Crop, Variety
from kilter.weigh_up.varieties.models import Score, Verdict

#: So many photographs stand on a season's page.
MOST_PHOTOS = 8


@dataclass(frozen=True, kw_only=True)
class CropGlance:
    """One crop's season in a row: what came beside what was needed,
    week by week, what was decided.
    """

    crop: Crop
    lifted_mg: int  #: of any grade
    lifted: float | None  #: in pieces, where it was counted
    food_mg: int  #: of the grades that are food: what is held against need
    food: int | None
    about_mg: int | None  #: of food that was only counted, by what the handbook says of a piece
    needed_mg: int | None
    is_said: bool  #: by the household; else it is the handbook's
    bar: CameBar
    weeks: CropWeeks | None
    bars: WeekBars | None
    decided: tuple[DecisionStanding, ...]

    @property
    def against_mg(self) -> int:
        """What is held against the need."""
        return self.about_mg or self.food_mg

    @property
    def is_all_food(self) -> bool:
        """Whether nothing else was lifted."""
        return self.food_mg == self.lifted_mg

    @property
    def came(self) -> int | None:
        """What came, milligrams; None where only pieces are known, or nothing came."""
        return self.lifted_mg or None


@dataclass(frozen=True)
class VarietySaid:
    """What was said of a variety in a season."""

    variety: Variety
    scores: tuple[tuple[str, float, int], ...]  #: criterion, mean, judges
    verdict: Verdict | None


@dataclass(frozen=True)
class CropSheet:
    """All of a crop's page."""

    glance: CropGlance
    sheet: Sheet
    setbacks: tuple[Setback, ...]
    said: tuple[VarietySaid, ...]

    @property
    def crop(self) -> Crop:
        return self.glance.crop


def glances(read: Read, weeks: Weeks, decided: list[DecisionStanding]) -> list[CropGlance]:
    """Every crop of the season, most lifted first."""
    season = read.season
    by_crop = {one.crop.pk: one for one in weeks.crops}
    went = {one.crop.pk: one for one in season.went}
    of_crop: Mapping[int | None, list[DecisionStanding]] = defaultdict(list)
    for one in decided:
        of_crop[one.decision.crop_id].append(one)
    found = [
        _glance(season, crop, went.get(crop.pk), by_crop.get(crop.pk), tuple(of_crop[crop.pk]))
        for crop in read.crops
    ]
    return sorted(found, key=lambda one: (-one.lifted_mg, -(one.lifted or 0), one.crop.name))


def _glance(
    season: Season,
    crop: Crop,
    went: Went | None,
    weeks: CropWeeks | None,
    decided: tuple[DecisionStanding, ...],
) -> CropGlance:
    needed = season.needed.get(crop.pk)
    needed_mg = None if needed is None else round(needed.kg * 1e6)
    about_mg = _about_mg(crop, food) if (food := _food(season, crop, went)) else None
    bars = week_bars(weeks.weeks, weeks.most_mg) if weeks else None
    return CropGlance(
        crop=crop,
        lifted_mg=went.where.lifted_mg if went else 0,
        lifted=went.pieces.lifted if went and went.pieces else None,
        food_mg=food.mass_mg if food else 0,
        food=food.pieces if food else None,
        needed_mg=needed_mg,
        is_said=needed is not None and needed.is_said,
        about_mg=about_mg,
        bar=came_bar(about_mg or (food.mass_mg if food else 0), needed_mg),
        weeks=weeks,
        bars=bars,
        decided=decided,
    )


def _food(season: Season, crop: Crop, went: Went | None) -> Food | None:
    return food_of(season.larder, crop, season.year) if went else None


def _about_mg(crop: Crop, food: Food) -> int | None:
    book = crop.in_handbook
    if food.mass_mg or not food.pieces or book is None or book.piece_kg is None:
        return None
    return round(food.pieces * book.piece_kg * 1e6)


def weeks_read(season: Season) -> Weeks:
    """The harvest week by week, from what is read already."""
    return weeks_of(season.household, season.year, season.larder)


def photos_of(weeks: Weeks) -> list[Any]:
    """Some photographs of the season, spread over its weeks."""
    each = [photo for _, photos in weeks.photos for photo in photos]
    step = max(len(each) // MOST_PHOTOS, 1)
    return each[::step][:MOST_PHOTOS]


def crop_sheets(read: Read, each: list[CropGlance]) -> list[CropSheet]:
    """A page for each crop; two queries."""
    season = read.season
    said = _said(season)
    hits = setbacks_of(season)
    return [
        CropSheet(
            glance,
            read.of_crop(glance.crop),
            tuple(hit for hit in hits if glance.crop.pk in hit.crops),
            said.get(glance.crop.pk, ()),
        )
        for glance in each
    ]


def _said(season: Season) -> dict[int, tuple[VarietySaid, ...]]:
    scores = (
        Score.objects.of(season.household).filter(season=season.year).select_related("criterion")
    )
    of: dict[int, dict[str, list[int]]] = defaultdict(lambda: defaultdict(list))
    for score in scores:
        of[score.variety_id][score.criterion.name].append(score.value)
    verdicts = {
        v.variety_id: v for v in Verdict.objects.of(season.household).filter(season=season.year)
    }
    found: dict[int, list[VarietySaid]] = defaultdict(list)
    for pk in sorted(of.keys() | verdicts.keys(), key=lambda pk: season.varieties[pk].name):
        means = tuple(
            (name, sum(values) / len(values), len(values))
            for name, values in of.get(pk, {}).items()
        )
        variety = season.varieties[pk]
        found[variety.crop_id].append(VarietySaid(variety, means, verdicts.get(pk)))
    return {crop: tuple(each) for crop, each in found.items()}
