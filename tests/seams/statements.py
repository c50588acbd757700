"""What holds in every garden, whichever room is asked: each statement gives what breaks it."""

from __future__ import annotations

import json
import re
import tempfile
from collections import defaultdict
from collections.abc import Iterator
from io import StringIO
from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.test import Client
from django.urls import reverse

from kilter.exchange import dumping, loading
from kilter.larder.ledger import larder
from kilter.next_year.fit import plots
from kilter.next_year.records import stored
from kilter.people.models import Change, Household
from kilter.set_out import clearing
from kilter.set_out.models import Crop, Planting
from kilter.weigh_in.models import WeighIn
from tests.conftest import html_of, signed_in
from tests.seams.maker import TODAY, Made

FOOD = {"table", "hurt"}
#: What is lost in the bed is never lifted.
LIFTED = {"table", "small", "hurt", "unripe", "seed"}
SEASONS = range(2019, 2028)


def answered(made: Made, name: str, **more: Any) -> Any:
    """What a command answers as JSON; asked once of a garden."""
    key = name, *more.values()
    if key not in made.answers:
        made.answers[key] = asked(made.household, name, **more)
    return made.answers[key]


def asked(household: Household, name: str, **more: Any) -> Any:
    """What a command answers as JSON, now."""
    out = StringIO()
    call_command(name, household=household.name, json=True, stdout=out, **more)
    return json.loads(out.getvalue(), object_hook=without_address)


def without_address(said: dict[str, Any]) -> dict[str, Any]:
    """Addresses have the numbers of the database in them, which another household has not."""
    return {name: value for name, value in said.items() if name != "address"}


def booked(made: Made, name: str, grades: set[str] | None = None) -> dict[tuple[str, int], int]:
    """The bookkeeper's sum of what was weighed or counted, by crop and season."""
    found: dict[tuple[str, int], int] = defaultdict(int)
    for line in made.book.lines:
        if line[name] is not None and (grades is None or line["grade"] in grades):
            found[line["crop"], line["season"]] += line[name]
    return found


def one_food(made: Made) -> Iterator[str]:
    """The same food in account, Look back and the book; nothing is 0 of which there are lines."""
    pieces, weighed = booked(made, "count", FOOD), booked(made, "mass_mg", FOOD)
    for season in (2025, 2026):
        paid, came = (
            {one["crop"]: one for one in answered(made, name, season=season)["crops"]}
            for name in ("account", "look_back")
        )
        for crop in {crop for crop, of in pieces.keys() | weighed.keys() if of == season}:
            key = crop, season
            masses = paid[crop]["food_mg"], came[crop]["food_mg"]
            if len(set(masses)) > 1 or masses[0] < weighed.get(key, 0):
                yield f"food of {key}: {masses}, weighed {weighed.get(key, 0)}"
            if (came[crop]["food_count"] or 0) != pieces.get(key, 0):
                yield f"pieces of {key}: {came[crop]['food_count']}, {pieces.get(key, 0)} counted"


def balanced(made: Made) -> Iterator[str]:
    """Lifted is used, in store and not accounted for, in mass and in pieces, and is what was
    written.
    """
    pieces, weighed = booked(made, "count", LIFTED), booked(made, "mass_mg", LIFTED)
    for one in answered(made, "larder")["crops"]:
        key, names = (one["crop"], one["season"]), list(one)
        uses = names[names.index("lifted_mg") + 1 : names.index("in_store")]
        gone = sum(one[use] for use in uses) + one["in_store"] + one["not_accounted"]
        if gone != one["lifted_mg"] or one["lifted_mg"] < weighed.get(key, 0):
            yield f"mass of {key}: lifted {one['lifted_mg']}, gone {gone}, {weighed.get(key, 0)}"
        if one["lifted_count"] is None:
            if pieces.get(key):
                yield f"pieces of {key}: none, {pieces[key]} counted"
            continue
        counts = [one[f"{use}_count"] for use in (*uses, "preserved")]
        gone = sum(counts) + one["in_store_count"] + one["not_accounted_count"]
        if abs(gone - one["lifted_count"]) > 1e-6 or one["lifted_count"] != pieces.get(key, 0):
            yield f"pieces of {key}: {one['lifted_count']}, gone {gone}, {pieces.get(key, 0)}"


def one_store(made: Made) -> Iterator[str]:
    """Next year knows of as much lifted as the larder."""
    found = larder(made.household, set(SEASONS))
    lifted = stored(made.household, TODAY).lifted_kg
    for key, kg in lifted.items():
        if round(kg * 1e6) != found.of[key].lifted_mg:
            yield f"lifted {key}: {kg} kg, {found.of[key].lifted_mg} mg"


def work_adds_up(made: Made) -> Iterator[str]:
    """Every second and millilitre noted is borne once."""
    minutes = litres = 0.0
    for season in SEASONS:
        found = answered(made, "account", season=season)
        minutes += found["minutes_of_no_crop"] or 0
        litres += found["litres_of_no_crop"] or 0
        minutes += sum(one["minutes"] or 0 for one in found["crops"])
        litres += sum(one["litres"] or 0 for one in found["crops"])
    seconds = sum(job["seconds"] or 0 for job in made.book.jobs)
    water_ml = sum(job["water_ml"] or 0 for job in made.book.jobs)
    if abs(minutes * 60 - seconds) > 1e-6:
        yield f"work: {minutes * 60} of {seconds} seconds"
    if abs(litres * 1000 - water_ml) > 1e-6:
        yield f"water: {litres * 1000} of {water_ml} millilitres"


def money_adds_up(made: Made) -> Iterator[str]:
    """Every coin paid is borne once."""
    borne = sum(answered(made, "account", season=season)["cost"] for season in SEASONS)
    paid = sum(one["minor"] for one in made.book.paid)
    if borne != paid:
        yield f"paid {paid}, borne {borne}"


def one_end(made: Made) -> Iterator[str]:
    """Each planting's place is free on one day, for the list, the soil's memory and the fit."""
    told = {one["planting"]: one for one in answered(made, "standing")["standing"]}
    spans = {span.key: span for span in clearing.tenancies(made.household)}
    held = {
        one.planting.pk: one
        for ground in plots.grounds_of(made.household, 2027, ()).plots
        for one in ground.standing
    }
    for planting in Planting.objects.of(made.household).filter(finished_on=None):
        said = told[planting.ref]["clears_on"]
        span = spans[planting.pk]  # which ends no earlier than it begins
        if said is not None and max(said, span.start.isoformat()) != span.end.isoformat():
            yield f"{planting} is free on {said} and on {span.end}"
        holds = planting.season <= 2027 and (said is None or said > "2027-01-01")
        if holds != (planting.pk in held) and planting.place.area_m2:
            yield f"{planting}, free on {said}: {'held' if not holds else 'not held'} in the fit"


def one_rest(made: Made) -> Iterator[str]:
    """What is left to lift is the same in the list and on Today."""
    told: dict[str, list[Any]] = defaultdict(list)
    labels = {one.ref: one.label for one in Planting.objects.of(made.household)}
    for one in answered(made, "standing")["standing"]:
        told[labels[one["planting"]]].append(one["left_kg"])
    for one in answered(made, "today")["lift"]:
        known = told[one["what"]]
        sums = {round(sum(kg or 0 for kg in known), 5), *(round(kg or 0, 5) for kg in known)}
        if len(known) <= 2 and round(one["expected_kg"] or 0, 5) not in sums:
            yield f"{one['what']}: Today {one['expected_kg']}, else {known}"


def figures(made: Made) -> dict[str, Any]:
    """Everything that the commands say."""
    found = {name: answered(made, name) for name in ("figures", "larder", "standing", "today")}
    for season in (2025, 2026):
        for name in ("account", "look_back"):
            found[f"{name} {season}"] = answered(made, name, season=season)
    return found


def same_elsewhere(made: Made) -> Iterator[str]:
    """Written to a package and loaded as another household, no figure changes."""
    there = Household.objects.create(
        name=f"{made.household.name} again, {Household.objects.count()}"
    )
    with tempfile.TemporaryDirectory() as folder:
        dumping.dump(made.household, Path(folder))
        loaded = loading.load(Path(folder), there)
    if loaded.problems:
        yield f"refused: {loaded.problems[:3]}"
        return
    before, after = figures(made), figures(Made(there, made.book, []))
    for name, said in before.items():
        if said != after[name]:
            yield f"{name} is otherwise elsewhere"


def undone(made: Made) -> Iterator[str]:
    """What is struck and put back leaves every figure as before."""
    before = figures(made)
    line = WeighIn.objects.of(made.household).order_by("pk").first()
    if line is None:
        return
    client = signed_in_to(made)
    answer = client.post(reverse("weigh_in:strike", args=[line.pk]))
    if answer.status_code != 302 or figures(anew(made)) == before:
        yield f"a line struck changed nothing ({answer.status_code})"
    change = Change.objects.filter(household=made.household).latest("pk")
    client.post(reverse("people:undo", args=[change.pk]))
    after = figures(anew(made))
    for name, said in before.items():
        if said != after[name]:
            yield f"{name} is otherwise after undo"


def anew(made: Made) -> Made:
    """The same garden, of which nothing was asked yet."""
    return Made(made.household, made.book, made.plantings)


def signed_in_to(made: Made) -> Client:
    """An owner of the garden."""
    return signed_in(made.household.memberships.get().user)


def found_on_its_page(made: Made) -> Iterator[str]:
    """Whatever was typed stands on the page of what it is about."""
    client = signed_in_to(made)
    for word, page, pk in made.book.words:
        args = [] if page == "tending:index" else [pk]
        if word not in html_of(client.get(reverse(page, args=args))):
            yield f"{word} is not on {page} {pk}"


def not_nothing(made: Made) -> Iterator[str]:
    """No page of a crop says "nothing" of what has lines."""
    client = signed_in_to(made)
    for crop, season in booked(made, "count").keys() | booked(made, "mass_mg").keys():
        record = Crop.objects.of(made.household).get(name=crop)
        if season in (2025, 2026):
            page = f"{reverse('look_back:crop', args=[record.pk])}?season={season}"
            text = " ".join(html_of(client.get(page)).split())
            if "nothing came" in text.lower() or re.search(r"(?<![\d.,])0 g came", text):
                yield f"{crop} of {season}: nothing, on {page}"


#: Asked of every garden; those that render pages of some.
STATEMENTS = (
    one_food,
    balanced,
    one_store,
    work_adds_up,
    money_adds_up,
    one_end,
    one_rest,
    same_elsewhere,
)
ON_PAGES = (found_on_its_page, not_nothing, undone)
