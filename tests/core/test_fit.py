"""The fit: against everything tried, against the number for one crop, its limits,
and what cannot be fitted.
"""

from __future__ import annotations

import json
from dataclasses import replace
from itertools import islice
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kilter.core.errors import PlanError
from kilter.core.fit.certainty import Fresh, certainty_of
from kilter.core.fit.find import answer_quickly, first_fit, improve, mended, whole
from kilter.core.fit.limits import broken
from kilter.core.fit.problem import Beside, Limits, Option, Plot, Problem, Wanted, lay_out, quantile
from kilter.core.fit.worth import worth_of
from kilter.core.plan.effects import Grown, Planned, believe
from kilter.core.plan.hedge import splits
from kilter.core.plan.scenarios import draw_years, enough_for
from tests.checks.fits import best_of_all, large, small
from tests.checks.fitting import fit, flow

#: A small case of an independent prototype with the best of all its 2,304 fits, by brute force.
CASE = json.loads((Path(__file__).parent / "fit_case.json").read_text())
PLENTY = Plot(name="field", site="yard", size=10_000.0)


def test_the_case_of_the_prototype():
    found = fit(CASE)
    assert found["value"] == pytest.approx(0.9987404756009352, abs=1e-12)
    assert found["plants"] == [0, 3, 0, 2, 0, 0, 2, 0]
    assert found["z"] == [1, 1]
    assert found["ceiling"] >= found["value"]


@pytest.mark.parametrize("seed", range(30))
def test_small_gardens_are_fitted_as_well_as_trying_everything(seed):
    laid = small(np.random.default_rng([seed, 3]))
    best = best_of_all(laid)
    found, tangents = first_fit(laid)
    for better in islice(improve(laid, found, tangents, seconds=None), 250):
        found = better
        if found.worth.total >= best - 0.001:
            break
    assert broken(laid, found.worth.plants) == []
    assert found.worth.total <= best + 1e-9
    assert found.worth.total >= best - 0.001
    assert found.ceiling >= found.worth.total


@pytest.mark.parametrize("certainty", [0.5, 0.8, 0.9])
def test_with_room_to_spare_it_is_the_number_for_the_crop_alone(certainty):
    """The smallest number of plants that is as sure as wanted (N7), on the same draws."""
    planned = [Planned("a", "", "bed", 40)]
    grown = [
        Grown(variety="a", method="", place="bed", season=season, plants=20, mass_kg=kg)
        for season, kg in ((2024, 9.0), (2025, 6.0), (2026, 12.0))
    ]
    years = draw_years(believe(grown, planned, 0.5), planned)
    enough = enough_for(years, 20, certainty)
    each = years.masses(enough.plants / 40).T / enough.plants  # kilograms a plant, as many stand
    problem = Problem(
        wanted=(Wanted(name="leek", family="onion", need_kg=20, certainty=certainty),),
        plots=(PLENTY,),
        options=(Option(crop=0, variety="a", plot=0, start=4, end=12, use=0.1),),
        draws=each,
        limits=Limits(),
    )
    laid = lay_out(problem)
    laid = replace(laid, least=np.ones(1))  # a twentieth of so large a field is no least planting
    found, tangents = first_fit(laid)
    found = list(islice(improve(laid, found, tangents, seconds=None), 5))[-1]
    assert found.worth.plants[0] == enough.plants


def test_the_same_seed_and_as_many_tries_give_the_same_fit():
    laid = large(np.random.default_rng(5), 6, 4, draws=100)

    def tried(seed: int):
        return list(islice(improve(laid, *first_fit(laid, seed=seed), seed=seed, seconds=None), 6))[
            -1
        ].worth

    assert tried(3).plants.tolist() == tried(3).plants.tolist()


def test_each_try_is_as_good_as_the_one_before_and_under_the_ceiling():
    laid = large(np.random.default_rng(8), 8, 6, draws=100)
    found, tangents = first_fit(laid)
    worths = [found.worth.total]
    for better in islice(improve(laid, found, tangents, seconds=None), 13):
        worths.append(better.worth.total)
        assert better.ceiling >= better.worth.total
        assert better.gap == pytest.approx(better.ceiling / better.worth.total - 1)
    assert worths == sorted(worths)
    assert worths[-1] > worths[0]


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10**6), st.floats(0, 30), st.booleans())
def test_no_limit_is_broken_by_rounding_mending_or_a_quick_answer(seed, scale, is_tight):
    rng = np.random.default_rng(seed)
    laid = small(rng) if is_tight else large(rng, 5, 4, draws=60)
    wild = rng.random(len(laid.crop)) * scale
    for plants in (
        mended(laid, whole(laid, mended(laid, np.floor(wild)))),
        answer_quickly(laid, wild, (0,)).plants,
    ):
        assert broken(laid, plants) == []
    assert broken(laid, first_fit(laid, steps=20)[0].worth.plants) == []


def made(*wanted: Wanted, size: float = 2.0, use: float = 0.25, **more) -> Problem:
    options = tuple(
        Option(crop=c, variety="a", plot=0, start=4, end=9, use=use) for c in range(len(wanted))
    )
    return Problem(
        wanted=wanted,
        plots=(Plot(name="bed", site="yard", size=size),),
        options=options,
        draws=np.ones((len(wanted), 4)),
        **more,
    )


def test_a_block_larger_than_any_bed_leaves_the_option_out():
    laid = lay_out(
        made(Wanted(name="corn", family="grass", need_kg=4, certainty=0.5, min_block=12))
    )
    assert laid.left_out == [0]
    assert first_fit(laid)[0].worth.reached.tolist() == [0.0]


@pytest.mark.parametrize(
    ("problem", "says"),
    [
        (
            Problem(
                wanted=(),
                plots=(PLENTY,),
                options=(Option(crop=0, variety="a", plot=0, start=0, end=1, use=1),),
                draws=np.ones((1, 4)),
            ),
            "Nothing is wanted",
        ),
        (
            Problem(
                wanted=(Wanted(name="leek", family="onion", need_kg=1, certainty=0.5),),
                plots=(PLENTY,),
                options=(),
                draws=np.ones((0, 4)),
            ),
            "No place is left",
        ),
        (made(Wanted(name="leek", family="onion", need_kg=0, certainty=0.5)), "above zero"),
        (made(Wanted(name="leek", family="onion", need_kg=1, certainty=1.0)), "between 0 and 1"),
        (
            made(Wanted(name="leek", family="onion", need_kg=1, certainty=0.5), size=0.0),
            "Every place has some plot",
        ),
        (
            made(Wanted(name="leek", family="onion", need_kg=1, certainty=0.5), use=0.0),
            "takes some plot",
        ),
        (
            replace(
                made(Wanted(name="leek", family="onion", need_kg=1, certainty=0.5)),
                draws=np.ones((2, 4)),
            ),
            "Every option has draws",
        ),
    ],
)
def test_what_cannot_be_fitted_says_why(problem, says):
    with pytest.raises(PlanError, match=says):
        lay_out(problem)


def test_what_a_fit_is_worth_by_hand():
    """Leeks reach half of 8 kg: u(0.5) = 2/3; peas all of it: 1; weights 3 to 1;
    thrift and one planting each.
    """
    problem = made(
        Wanted(name="leek", family="onion", need_kg=8, certainty=0.5, weight=3.0),
        Wanted(name="pea", family="pea", need_kg=2, certainty=0.5),
        size=1.5,
    )
    laid = lay_out(problem)
    plants = np.array([4.0, 2.0])
    thrift = (
        0.005 / 4 * (6 * 0.25 * 6) / (1.5 * 24)
    )  # six plants for six half-months; nothing else is counted
    found = worth_of(laid, plants)
    assert found.reached.tolist() == [0.5, 1.0]
    assert found.total == pytest.approx(0.75 * 2 / 3 + 0.25 - thrift - 2 * 0.0002)


def test_a_family_back_too_soon_and_what_stands_in_the_shade_cost_a_little():
    """Onions stood on 1 of 2 m²; six leeks take 1.5 m²:
    a quarter of the bed comes back too soon, so 0.02/4.
    """
    plots = (
        Plot(name="front", site="yard", size=2.0, rest=(("onion", 1.0),)),
        Plot(name="back", site="yard", size=1.0, shades=(0,)),
    )
    wanted = (
        Wanted(name="leek", family="onion", need_kg=6, certainty=0.5, is_low=True),
        Wanted(name="bean", family="pea", need_kg=4, certainty=0.5, is_tall=True),
    )
    options = (
        Option(crop=0, variety="a", plot=0, start=0, end=23, use=0.25),
        Option(crop=1, variety="b", plot=1, start=0, end=11, use=0.25),
    )
    laid = lay_out(Problem(wanted=wanted, plots=plots, options=options, draws=np.ones((2, 4))))
    alone = worth_of(laid, np.array([6.0, 0.0]))
    bare = tuple(replace(plot, rest=(), shades=()) for plot in plots)
    plain = lay_out(Problem(wanted=wanted, plots=bare, options=options, draws=np.ones((2, 4))))
    assert worth_of(plain, alone.plants).total - alone.total == pytest.approx(0.02 / 4)
    both = np.array(
        [6.0, 4.0]
    )  # low fills 0.75 of the front all year, tall half of the back's year
    assert worth_of(plain, both).total - worth_of(laid, both).total == pytest.approx(
        0.02 / 4 + 0.01 * 0.5
    )


def test_the_largest_share_of_one_variety_splits_a_crop():
    """Two varieties, alike but for their draws; at most 60 % of one: 10 plants are 6 and 4."""
    options = (
        Option(crop=0, variety="a", plot=0, start=4, end=9, use=0.1),
        Option(crop=0, variety="b", plot=0, start=4, end=9, use=0.1),
    )
    draws = np.array([[1.0, 1.0, 1.0, 1.0], [0.9, 0.9, 0.9, 0.9]])
    for share, varieties in ((1.0, 1), (0.6, 2)):
        wanted = (
            Wanted(name="leek", family="onion", need_kg=9.5, certainty=0.5, variety_share=share),
        )
        laid = lay_out(
            Problem(
                wanted=wanted,
                plots=(Plot(name="bed", site="yard", size=2.0),),
                options=options,
                draws=draws,
            )
        )
        found = list(islice(improve(laid, *first_fit(laid), seconds=None), 20))[-1].worth
        assert (found.plants > 0).sum() == varieties
        assert found.plants.max() / found.plants.sum() <= share + 1e-9
        assert found.reached[0] == 1.0


def test_a_bed_that_is_free_in_july_is_planted_again():
    wanted = (
        Wanted(name="pea", family="pea", need_kg=8, certainty=0.5),
        Wanted(name="kale", family="cabbage", need_kg=8, certainty=0.5),
    )
    options = (
        Option(crop=0, variety="a", plot=0, start=4, end=12, use=0.25),
        Option(crop=1, variety="b", plot=0, start=13, end=23, use=0.25),
        Option(crop=1, variety="b", plot=0, start=8, end=20, use=0.25),
    )
    laid = lay_out(
        Problem(
            wanted=wanted,
            plots=(Plot(name="bed", site="yard", size=2.0),),
            options=options,
            draws=np.ones((3, 4)),
        )
    )
    found = first_fit(laid)[0].worth
    assert found.plants.tolist() == [8, 8, 0]
    taken = Plot(
        name="bed", site="yard", size=2.0, taken=(1.0,) * 13 + (0.0,) * 11
    )  # half of it is held until July
    laid = lay_out(Problem(wanted=wanted, plots=(taken,), options=options, draws=np.ones((3, 4))))
    assert first_fit(laid)[0].worth.plants.tolist() == [4, 8, 0]


@pytest.mark.parametrize(
    ("limits", "plants"),
    [
        (Limits(minutes=50), 5),
        (Limits(cost=6), 3),
        (Limits(water=1000), 8),
        (Limits(minutes_a_week=10 / 13), 1),
    ],
)
def test_ceilings_on_money_work_and_water_are_kept(limits, plants):
    """A plant takes 10 minutes over six half-months, which are 13 weeks; 2 of money; 5 litres."""
    options = (
        Option(
            crop=0, variety="a", plot=0, start=4, end=9, use=0.25, cost=2.0, minutes=10.0, water=5.0
        ),
    )
    laid = lay_out(
        Problem(
            wanted=(Wanted(name="leek", family="onion", need_kg=8, certainty=0.5),),
            plots=(Plot(name="bed", site="yard", size=2.0),),
            options=options,
            draws=np.ones((1, 4)),
            limits=limits,
        )
    )
    assert first_fit(laid)[0].worth.plants[0] == plants


def test_what_is_pinned_stays_and_the_rest_moves():
    problem = made(
        Wanted(name="leek", family="onion", need_kg=8, certainty=0.5),
        Wanted(name="pea", family="pea", need_kg=4, certainty=0.5),
        pinned=((0, 2.0),),
    )
    found = list(islice(improve(lay_out(problem), *first_fit(lay_out(problem)), seconds=None), 6))[
        -1
    ].worth
    assert found.plants.tolist() == [2.0, 4.0]


def test_fresh_draws_say_how_sure_each_and_all_are():
    laid = lay_out(
        made(
            Wanted(name="leek", family="onion", need_kg=2, certainty=0.5),
            Wanted(name="pea", family="pea", need_kg=2, certainty=0.5),
        )
    )
    fresh = np.array([[1.0, 1.0, 0.5, 2.0], [1.0, 0.5, 1.0, 2.0]])
    each, all_ = certainty_of(laid, np.array([2.0, 2.0]), Fresh(fresh, np.arange(2)))
    assert each.tolist() == [0.75, 0.75]
    assert all_ == 0.5


@given(st.lists(st.floats(0, 100), min_size=2, max_size=30), st.floats(0.01, 0.99))
def test_the_quantile_is_that_of_numpy(values, risk):
    assert quantile(np.array(values), risk) == pytest.approx(
        float(np.quantile(values, risk)), abs=1e-9
    )


def test_a_store_of_a_file_week_by_week():
    """The cases of N10 by hand."""
    weeks = flow({"batches": [{"week": 0, "kg": 3, "keeps_weeks": 1}], "demand_kg": [1, 1, 1]})
    assert weeks["eaten"] == [1, 1, 0]
    assert sum(weeks["waste"]) == 1
    batches = [{"week": week, "kg": 4, "keeps_weeks": 3} for week in (0, 2)]
    weeks = flow({"batches": batches, "demand_kg": [1] * 8})
    assert (sum(weeks["eaten"]), sum(weeks["waste"])) == (6, 2)


def test_two_varieties_and_two_places_are_worth_fewer_plants():
    """What all share does not even out: no split halves the doubt;
    each is worth something on the same draws.
    """
    spots = [Planned(v, "", place, 20, "yard") for v in ("a", "b") for place in ("bed", "crate")]
    grown = [
        Grown(variety=v, method="", place="bed", season=season, plants=20, mass_kg=kg)
        for v, season, kg in (("a", 2024, 9.0), ("b", 2025, 8.0))
    ]
    plain, varieties, places, both = splits(grown, spots, 0.5, 30, 0.8)
    assert (plain.varieties, plain.places, both.varieties, both.places) == (1, 1, 2, 2)
    assert both.plants < min(varieties.plants, places.plants) <= plain.plants
    assert both.plants > 0.6 * plain.plants
    assert len(splits(grown, spots[:1], 0.5, 30, 0.8)) == 1
    with pytest.raises(PlanError):
        splits(grown, [], 0.5, 30, 0.8)


def test_a_crop_stands_alone_and_two_share_a_bed_where_that_is_wished():
    """Two crops of a square metre each, two beds of two:
    which share one is as good as told by nothing else.
    """
    plots = Plot(name="one", site="yard", size=2.0), Plot(name="two", site="yard", size=2.0)
    wanted = tuple(
        Wanted(name=name, family=family, need_kg=3.9, certainty=0.5)
        for name, family in (("leek", "onion"), ("pea", "pea"), ("kale", "k"))
    )
    options = tuple(
        Option(crop=c, variety="a", plot=p, start=0, end=11, use=0.25)
        for c in range(3)
        for p in range(2)
    )
    problem = Problem(wanted=wanted, plots=plots, options=options, draws=np.ones((6, 4)))

    def beds_of(*beside):
        laid = lay_out(replace(problem, beside=beside))
        found = next(islice(improve(laid, *first_fit(laid), seconds=None), 6, None)).worth
        assert found.reached.tolist() == [1, 1, 1]
        assert found.total == worth_of(laid, found.plants).total
        return [found.plants[2 * c : 2 * c + 2].tolist() for c in range(3)]

    leek, pea, kale = beds_of(Beside(1))
    assert 0 in pea  # in one bed, and nobody else is there
    assert all(other[1 - pea.index(0)] == 0 for other in (leek, kale))
    leek, pea, kale = beds_of(Beside(0, 2))
    assert leek == kale
    leek, pea, kale = beds_of(Beside(0, 1))
    assert leek == pea


def test_how_much_a_family_back_too_soon_matters_is_said():
    """Onions stood on all of one bed; the other gives a little less,
    and strictly it is taken all the same.
    """
    plots = (
        Plot(name="old", site="yard", size=2.0, rest=(("onion", 2.0),)),
        Plot(name="new", site="yard", size=2.0),
    )
    options = (
        Option(crop=0, variety="a", plot=0, start=0, end=11, use=0.25),
        Option(crop=0, variety="a", plot=1, start=0, end=11, use=0.25),
    )
    draws = np.array([[1.0] * 4, [0.97] * 4])
    problem = Problem(
        wanted=(Wanted(name="leek", family="onion", need_kg=8, certainty=0.5),),
        plots=plots,
        options=options,
        draws=draws,
    )
    little = first_fit(lay_out(replace(problem, rest_weight=0.0)))[0].worth.plants
    strict = first_fit(lay_out(replace(problem, rest_weight=10.0)))[0].worth.plants
    assert little[0] == 8
    assert strict[0] == 0
