"""What the season's plan promised, held against what came."""

from __future__ import annotations

from collections.abc import Iterator

from django.urls import reverse

from kilter.core.amounts.units import half_up
from kilter.look_back.draft.line import BADLY, NOTE, WELL, DraftLine, counted
from kilter.look_back.season import BY_WEIGHT, Season
from kilter.people.templatetags.amounts import kg
from kilter.plans.promises import FrozenPromise, Promises

RESTS_ON = "the plan as it was frozen, and finished plantings"


def lines(season: Season) -> Iterator[DraftLine]:
    """Of each crop that was promised and came, and of the plan as a whole."""
    found = Promises(tuple(_kept(season)))
    for one in found.told:
        yield _line(season, one)
    if len(found.told) > 1:
        words = (
            f"Of {counted(len(found.told), 'crop')} planned, what was 80 % sure came true for "
            f"{found.sure}, and {found.in_eighty} lay in the range of eight years in ten."
        )
        yield DraftLine(
            key="promised",
            side=NOTE,
            words=words,
            address=reverse("next_year:held"),
            rests=RESTS_ON,
            telling=46.0,
        )


def _kept(season: Season) -> Iterator[FrozenPromise]:
    for said in season.promised:
        mine = [
            one for one in season.yields if one.crop == said.crop_id and one.season == season.year
        ]
        if mine and season.by[said.crop_id] == BY_WEIGHT and not season.keeps_back(said.crop_id):
            yield FrozenPromise(
                said, sum(one.mass for one in mine), sum(one.plants for one in mine)
            )


def _line(season: Season, one: FrozenPromise) -> DraftLine:
    crop, said = one.said.crop, one.said
    came = kg(one.got_kg, season.system)
    words = (
        f"{crop.name.capitalize()}: {said.promised_plants} planned, 80 % sure of "
        f"{kg(said.promised_fifth_kg, season.system)}; {came} came off {half_up(one.plants, 0)}"
    )
    if one.plants != said.promised_plants:
        words += f", or {kg(one.as_planned_kg, season.system)} for as many as planned"
    side, telling = (WELL, 22.0) if one.is_sure_kept else (BADLY, 44.0)
    address = f"{reverse('look_back:crop', args=[crop.pk])}?season={season.year}"
    return DraftLine(
        key=f"promised:{crop.name}",
        side=side,
        words=f"{words}.",
        address=address,
        rests=RESTS_ON,
        telling=telling,
        crop=crop.pk,
        causes=season.causes_of(season.of_crop(crop.pk)) if side == BADLY else (),
    )
