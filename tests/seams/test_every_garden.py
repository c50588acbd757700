"""Statements that hold in every garden, tried in gardens made by chance; and each of them shown to
fail once, by a fault that is planted.
"""

from __future__ import annotations

import os
from dataclasses import replace
from datetime import timedelta

import pytest

from kilter.atlas import views as atlas
from kilter.exchange import loading
from kilter.larder import account
from kilter.larder.management.commands import larder as larder_command
from kilter.look_back import pages as glances
from kilter.next_year import records as next_year_records
from kilter.people import views as people
from kilter.people.models import Household, Role
from kilter.records import left
from kilter.set_out import costs
from kilter.tending import work
from kilter.today import queries as today
from kilter.weigh_in.models import WeighIn
from tests.conftest import member
from tests.seams import statements
from tests.seams.maker import Made, Maker

#: Gardens of a run; those that broke a statement once stay among them.
IN_CI, IN_SWEEP = 30, 500
SEEDS = [
    *range(IN_CI),
    *(pytest.param(seed, marks=pytest.mark.sweep) for seed in range(IN_CI, IN_SWEEP)),
]
RENDERED = (0, 1, 2)


def made(seed: int) -> Made:
    drawn = seed + (int(os.environ.get("KILTER_SEED", "0")) << 20)
    household = Household.objects.create(name=f"Garden {drawn}")
    member(household, f"owner-{drawn}", Role.OWNER)
    return Maker(drawn, household).make()


@pytest.mark.parametrize("seed", SEEDS)
def test_every_garden_holds_to_the_statements(transactional_db, seed):
    garden = made(seed)
    assert [said for one in statements.STATEMENTS for said in one(garden)] == []


@pytest.mark.parametrize("seed", RENDERED)
def test_pages_hold_to_them_too(transactional_db, seed):
    garden = made(seed)
    assert [said for one in statements.ON_PAGES for said in one(garden)] == []


def later(clears):
    return replace(clears, day=clears.day and clears.day + timedelta(days=1))


def lifted_more(found):
    return [
        replace(one, where=replace(one.where, lifted_mg=one.where.lifted_mg + 1)) for one in found
    ]


def known_less(found):
    of = {key: replace(one, lifted_mg=max(one.lifted_mg - 1, 0)) for key, one in found.of.items()}
    return replace(found, of=of)


def left_more(lefts):
    return {pk: replace(left, kg=(left.kg or 0) + 1) for pk, left in lefts.items()}


def a_line_lost(loaded):
    WeighIn.objects.filter(household__name__contains="again", put_by=None).last().delete()
    return loaded


#: For each statement a fault in one place that it must find: where it is planted, and what is then
#: made of the answer there.
FAULTS = {
    "one_food": (account, "food_of", lambda food: food._replace(mass_mg=food.mass_mg + 1)),
    "balanced": (larder_command, "went", lifted_more),
    "one_store": (next_year_records, "larder", known_less),
    "work_adds_up": (work, "share_work", lambda found: replace(found, shares=found.shares[1:])),
    "money_adds_up": (costs, "yearly_parts", lambda parts: (*parts[:-1], parts[-1] - 1)),
    "one_end": (left, "clears", later),
    "one_rest": (today, "lefts_of", left_more),
    "same_elsewhere": (loading, "load", a_line_lost),
    "found_on_its_page": (atlas, "place_page", lambda page: replace(page, jobs=(), costs=())),
    "not_nothing": (glances, "_glance", lambda one: replace(one, lifted_mg=0, lifted=None)),
    "undone": (people, "undo_change", None),
}


@pytest.mark.parametrize("name", FAULTS)
def test_each_statement_finds_the_fault_that_is_planted(transactional_db, monkeypatch, name):
    garden, statement = made(3), getattr(statements, name)
    assert list(statement(garden)) == []
    owner, attribute, broken = FAULTS[name]
    real = getattr(owner, attribute)
    if name == "undone":  # it says so, and does nothing
        monkeypatch.setattr(owner, attribute, lambda _, change: change)
    else:
        monkeypatch.setattr(owner, attribute, lambda *args, **more: broken(real(*args, **more)))
    garden.household.save()  # what was read is kept while nothing is written
    assert list(statement(statements.anew(garden))) != []


def test_every_statement_has_a_fault():
    asked = {one.__name__ for one in (*statements.STATEMENTS, *statements.ON_PAGES)}
    assert asked == set(FAULTS)
