"""Whether there was enough, what was thrown away, what it took and what it was worth."""

from __future__ import annotations

from collections.abc import Iterator

from django.urls import reverse

from kilter.core.amounts.units import half_up
from kilter.core.trade.uses import COMPOSTED, SPOILED
from kilter.larder.food import food_of
from kilter.larder.models import Supply
from kilter.larder.went import Went
from kilter.look_back.draft.line import BADLY, NOTE, WELL, DraftLine, counted, in_hundred, on
from kilter.look_back.season import Season
from kilter.people.templatetags.amounts import kg, money, shortly

#: Less than so much of what is needed is too little, more than so much of it far too much (rules).
ENOUGH, FAR_TOO_MUCH = 0.9, 1.5
#: A share thrown away that is worth a line (rule).
THROWN = 0.05
SAID = {
    Supply.Said.RAN_OUT: "ran out on {}",
    Supply.Said.TOO_MUCH: "was too much, you said on {}",
    Supply.Said.WANTED_MORE: "was wanted more of, you said on {}",
}


def lines(season: Season) -> Iterator[DraftLine]:
    """All of it."""
    for one in season.went:
        if not season.keeps_back(one.crop.pk):
            yield from _needed(season, one)
        yield from _ran_out(season, one)
        yield from _thrown(season, one)
    yield from _took(season)
    yield from _worth(season)


def _page(season: Season, one: Went) -> str:
    return f"{reverse('larder:crop', args=[one.crop.pk])}?season={season.year}"


def _needed(season: Season, one: Went) -> Iterator[DraftLine]:
    needed = season.needed.get(one.crop.pk)
    food_mg = food_of(season.larder, one.crop, one.season).mass_mg
    food, of_food = food_mg / 1e6, "" if food_mg == one.where.lifted_mg else " of food"
    if needed is None or not needed.kg or not food:
        return
    share, causes = food / needed.kg, season.causes_of(season.of_crop(one.crop.pk))
    words = f"{one.crop.name.capitalize()}: {kg(food, season.system)}{of_food} came"
    if not needed.is_said:
        words += (
            f"; the handbook's servings for your table would take {kg(needed.kg, season.system)}."
        )
        yield DraftLine(
            key=f"needed:{one.crop.name}",
            side=NOTE,
            words=words,
            address=_page(season, one),
            rests="the handbook",
            telling=9.0,
            crop=one.crop.pk,
        )
        return
    words += f", {kg(needed.kg, season.system)} are needed"
    if share < ENOUGH:
        side, words, telling = BADLY, f"{words}; {in_hundred(share)} of it.", 40 + (1 - share) * 30
    elif share > FAR_TOO_MUCH:
        side, words, telling = (
            BADLY,
            f"{words}: {half_up(share, 1)} times as much.",
            35 + min(share, 5) * 4,
        )
    else:
        side, words, telling = WELL, f"{words}.", 25.0
    yield DraftLine(
        key=f"needed:{one.crop.name}",
        side=side,
        words=words,
        address=_page(season, one),
        rests="what was lifted, and the plan",
        telling=telling,
        crop=one.crop.pk,
        causes=causes,
    )


def _ran_out(season: Season, one: Went) -> Iterator[DraftLine]:
    name = one.crop.name.capitalize()
    for said in one.supplies:
        note = f" ({said.note})" if said.note else ""
        words = f"{name} {SAID[Supply.Said(said.said)].format(said.when)}{note}."
        yield DraftLine(
            key=f"said:{said.ref}",
            side=BADLY,
            words=words,
            address=_page(season, one),
            rests="what you said",
            telling=52.0,
            crop=one.crop.pk,
        )
    if not one.supplies and one.ran_out_on is not None:
        words = f"The last {one.crop} left the store on {on(one.ran_out_on)} {one.ran_out_on.year}."
        yield DraftLine(
            key=f"gone:{one.crop.name}",
            side=NOTE,
            words=words,
            address=_page(season, one),
            rests="the larder's entries",
            telling=30.0,
            crop=one.crop.pk,
        )


def _thrown(season: Season, one: Went) -> Iterator[DraftLine]:
    spoiled, thrown = one.where.used_mg[SPOILED], one.where.used_mg[COMPOSTED]
    if not one.where.lifted_mg or spoiled + thrown < THROWN * one.where.lifted_mg:
        return
    share = (spoiled + thrown) / one.where.lifted_mg
    causes = season.causes_of(season.of_crop(one.crop.pk))
    parts = [f"{shortly(spoiled, season.system)} spoiled"] * bool(spoiled)
    parts += [f"{shortly(thrown, season.system)} went to the compost"] * bool(thrown)
    words = (
        f"{one.crop.name.capitalize()}: {' and '.join(parts)}, {in_hundred(share)} of what was "
        "lifted."
    )
    yield DraftLine(
        key=f"thrown:{one.crop.name}",
        side=BADLY,
        words=words,
        address=_page(season, one),
        rests="the larder's entries",
        telling=30 + share * 50,
        crop=one.crop.pk,
        causes=causes,
    )


def _took(season: Season) -> Iterator[DraftLine]:
    """Work and water, of each crop and of all."""
    page = f"{reverse('larder:account')}?season={season.year}"
    minutes = litres = 0.0
    noted = [
        crop
        for crop in season.account.crops
        if crop.minutes is not None or crop.water_l is not None
    ]
    for one in noted:
        minutes, litres = minutes + (one.minutes or 0), litres + (one.water_l or 0)
        said = _work_words(one.minutes, one.water_l)
        each = _work_words(one.minutes_per_kg, one.litres_per_kg, is_each=True)
        words = f"{one.crop.name.capitalize()} took {said}{f': {each} a kilogram' if each else ''}."
        telling = 8 + min((one.minutes or 0) / 60, 20)
        yield DraftLine(
            key=f"took:{one.crop.name}",
            side=NOTE,
            words=words,
            address=page,
            rests="jobs with their minutes and litres",
            telling=telling,
            crop=one.crop.pk,
        )
    if noted:
        words = (
            f"The garden took {_work_words(minutes or None, litres or None)}, as far as it was "
            "noted."
        )
        yield DraftLine(
            key="took",
            side=NOTE,
            words=words,
            address=page,
            rests=f"jobs of {counted(len(noted), 'crop')}",
            telling=38.0,
        )


def _work_words(minutes: float | None, litres: float | None, *, is_each: bool = False) -> str:
    parts = []
    if minutes is not None:
        hours = minutes / 60
        parts.append(
            f"{half_up(hours, 1)} hours"
            if hours >= 2 and not is_each
            else f"{half_up(minutes, 0)} minutes"
        )
    if litres is not None:
        parts.append(
            f"{half_up(litres, 0):,} litres of water"
            if not is_each
            else f"{half_up(litres, 0)} litres"
        )
    return " and ".join(parts)


def _worth(season: Season) -> Iterator[DraftLine]:
    page, currency = f"{reverse('larder:account')}?season={season.year}", season.household.currency
    whole = season.account
    if whole.value or whole.cost:
        words = (
            f"{money(whole.saved, currency)} were not spent at the shop, "
            f"{money(whole.given, currency)} given away, {money(whole.cost, currency)} laid out."
        )
        yield DraftLine(
            key="money", side=NOTE, words=words, address=page, rests="the account", telling=40.0
        )
    for crop in whole.crops:
        if not crop.account.items or crop.account.break_even_minor is None or not crop.price_words:
            continue
        words = (
            f"{crop.crop.name.capitalize()} cost {money(crop.account.break_even_minor, currency)} "
            f"a kilogram; at the shop it is {crop.price_words}."
        )
        is_dear = crop.account.value < crop.account.cost
        telling = 28.0 if is_dear else 14.0
        yield DraftLine(
            key=f"money:{crop.crop.name}",
            side=NOTE,
            words=words,
            address=page,
            rests="the account",
            telling=telling,
            crop=crop.crop.pk,
        )
