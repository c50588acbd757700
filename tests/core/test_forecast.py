"""What next year will give: the prototype's case, a closed form of a published dataset,
and plain simulation.
"""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest

from kilter.core.errors import PlanError
from kilter.core.plan.appetite import WeekEaten, own_appetite
from kilter.core.plan.effects import LOG_SPREAD, RULES, Grown, Planned, _Model, believe
from kilter.core.plan.quantities import inner_share, pots_in_rotation, sow_every_days
from kilter.core.plan.scenarios import SiteRisk, draw_years, enough_for

CASE = json.loads((Path(__file__).parent / "published" / "forecast_case.json").read_text())
#: What an independent prototype of the same method says of the case; to be met within 1 %.
WANTED = {
    "median": 10.670130836,
    "tenth": 6.268800801,
    "ninetieth": 17.977383283,
    "own": 0.878957774,
}
PLANTS = {0.5: 149, 0.8: 208}


@pytest.fixture(scope="module")
def case():
    names = {"mass_kg": "kg"} | {
        name: name for name in ("variety", "method", "place", "season", "plants", "loss")
    }
    grown = [Grown(**{name: one[said] for name, said in names.items()}) for one in CASE["records"]]
    planned = [
        Planned(one["variety"], one["method"], one["place"], one["plants"], one["site"])
        for one in CASE["planned"]
    ]
    return grown, planned


def test_the_case_of_the_prototype(case):
    grown, planned = case
    believed = believe(grown, planned, CASE["handbook_kg"])
    years = draw_years(believed, planned)
    tenth, median, ninetieth = np.quantile(years.totals(), (0.1, 0.5, 0.9))
    assert median == pytest.approx(WANTED["median"], rel=0.01)
    assert tenth == pytest.approx(WANTED["tenth"], rel=0.01)
    assert ninetieth == pytest.approx(WANTED["ninetieth"], rel=0.01)
    assert believed.own_share == pytest.approx(WANTED["own"], abs=0.01)
    assert believed.used == 16
    assert believed.effective > 50
    for certainty, plants in PLANTS.items():
        enough = enough_for(years, CASE["need_kg"], certainty)
        assert enough.plants == pytest.approx(plants, rel=0.01)
        assert float(np.mean(years.totals(enough.plants / 93) >= 17)) >= certainty
        assert float(np.mean(years.totals((enough.plants - 1) / 93) >= 17)) < certainty


def test_the_number_for_four_years_in_five_hardly_hangs_on_the_seed(case):
    grown, planned = case
    found = [
        enough_for(
            draw_years(believe(grown, planned, 0.0896, seed=seed), planned, seed=seed), 17, 0.8
        ).plants
        for seed in range(1, 7)
    ]
    assert max(found) / min(found) < 1.025  # each within 1 % or so of their mean
    assert np.std(found) / np.mean(found) < 0.01


#: Davies & Goldsmith, *Statistical Methods in Research and Production*: yields of dyestuff from six
#: batches, five preparations of each (memory; as in the R package lme4). By REML the SDs are
#: 42.0006 and 49.5101.
DYESTUFF = {
    "A": (1545, 1440, 1440, 1520, 1580),
    "B": (1540, 1555, 1490, 1560, 1495),
    "C": (1595, 1550, 1605, 1510, 1560),
    "D": (1445, 1440, 1595, 1465, 1545),
    "E": (1595, 1630, 1515, 1635, 1625),
    "F": (1520, 1455, 1450, 1480, 1445),
}
EFFECTS = (-17.6069, 0.3913, 28.5622, -23.0845, 56.7332, -44.9953)


def test_effects_of_the_dyestuff_batches_are_those_of_the_closed_form():
    """On the raw scale, with the SDs given and a flat mean; a thousandth of everything,
    as the model takes logs.
    """
    grown = [
        Grown(
            variety=batch,
            method="",
            place="",
            season=2025,
            plants=1.0,
            mass_kg=math.exp(one / 1000 - 1.5),
        )
        for batch, each in DYESTUFF.items()
        for one in each
    ]
    model = _Model(grown, 1.0)
    model.crop_sd = 1e3
    sds = np.array([0.0420006, 1e-9, 1e-9, 1e-9, 1e-9, 0.0495101, 1e-9])
    t = np.log(sds / RULES.array) / LOG_SPREAD
    effects, _, _ = model.solved(t[None])
    assert effects[0, 1:7] * 1000 == pytest.approx(EFFECTS, abs=2e-3)


def test_the_likelihood_is_that_of_the_whole_covariance():
    """Against a plain multivariate normal, with every term in its covariance matrix."""
    rng = np.random.default_rng(5)
    grown = [
        Grown(
            variety=f"v{i % 3}",
            method=f"m{i % 2}",
            place=f"p{i % 4}",
            season=2020 + i % 5,
            plants=float(1 + i % 7),
            mass_kg=float(rng.gamma(5, 0.1)),
        )
        for i in range(24)
    ]
    model = _Model(grown, 0.5)
    for t in rng.normal(0, 1, (4, 7)):
        sds = RULES.array * np.exp(LOG_SPREAD * t)
        same = {
            kind: np.array([[getattr(a, kind) == getattr(b, kind) for b in grown] for a in grown])
            for kind in ("variety", "method", "place", "season")
        }
        noise = sds[5] ** 2 + sds[6] ** 2 / model.plants
        whole = 0.25 + sum(sds[k] ** 2 * same[kind] for k, kind in enumerate(same))
        whole = whole + sds[4] ** 2 * (same["variety"] & same["season"]) + np.diag(noise)
        z = model.raw + noise / 2
        wanted = -(z @ np.linalg.solve(whole, z) + np.linalg.slogdet(whole)[1]) / 2
        assert model.likelihood(t[None])[0] == pytest.approx(wanted, rel=1e-9)


def test_without_a_record_the_handbook_speaks_alone():
    planned = [Planned("Kite", "", "bed", 10)]
    believed = believe([], planned, 0.5)
    assert (believed.own_share, believed.used) == (0.0, 0)
    totals = draw_years(believed, planned).totals() / 10
    # by hand: all variances but the crop's 0.5² are not known, exp(t) of their rules with t ~ N(0,
    # 1): √e times as much
    rules = 0.25**2 + 0.15**2 + 0.2**2 + 0.25**2 + 0.15**2 + 0.2**2 + 0.4**2 / 10
    assert np.std(np.log(totals)) == pytest.approx(
        math.sqrt(0.5**2 + math.exp(0.5) * rules), rel=0.02
    )
    assert np.median(totals) == pytest.approx(0.5, rel=0.06)


def test_another_variety_is_a_hedge_and_more_plants_of_one_are_not():
    grown = [
        Grown(variety=v, method="", place="bed", season=year, plants=10, mass_kg=5.0 + 0.3 * i)
        for i, (v, year) in enumerate((v, y) for v in ("Ebb", "Flow") for y in (2023, 2024, 2025))
    ]

    def spread(planned):
        totals = draw_years(believe(grown, planned, 0.5), planned).totals()
        return float(np.std(np.log(totals)))

    one = spread([Planned("Ebb", "", "bed", 40)])
    assert spread([Planned("Ebb", "", "bed", 4000)]) > 0.93 * one
    assert spread([Planned("Ebb", "", "bed", 20), Planned("Flow", "", "bed", 20)]) < 0.97 * one


def test_plantings_fail_as_plain_simulation_says():
    planned = [Planned("a", "", "bed", 10), Planned("a", "", "bed", 10)]
    years = draw_years(
        believe(
            [Grown(variety="a", method="", place="bed", season=2025, plants=10, mass_kg=5.0)],
            planned,
            0.5,
        ),
        planned,
        failed=2,
        came=6,
    )
    rng = np.random.default_rng(3)
    chance = rng.beta(1 + 2, 9 + 6, 200_000)
    both = np.mean((rng.random(200_000) < chance) & (rng.random(200_000) < chance))
    assert np.mean(years.share == 0) == pytest.approx(3 / 18, abs=0.01)
    assert np.mean((years.share == 0).all(axis=1)) == pytest.approx(both, abs=0.01)
    assert (
        enough_for(years, 1e3, 0.999) is None
    )  # too many years fail altogether, whatever is planted


def test_a_setback_hits_all_of_a_site_at_once_with_a_loss_noted_there():
    planned = [
        Planned("a", "", "bed", 10, "yard"),
        Planned("a", "", "pot", 10, "yard"),
        Planned("a", "", "far", 9, "far"),
    ]
    blight = SiteRisk("yard", hits=3, misses=2, losses=(0.25, 0.75))
    years = draw_years(believe([], planned, 0.5), planned, setbacks=[blight])
    yard, pot, far = years.share.T
    assert (far == 1).all()
    assert (yard == pot).all()
    assert sorted(set(np.round(yard, 6))) == [0.25, 0.75, 1.0]
    assert np.mean(yard < 1) == pytest.approx((0.5 + 3) / (0.5 + 3 + 4.5 + 2), abs=0.01)


def test_what_a_setback_took_is_added_again_to_the_record():
    planned = [Planned("a", "", "bed", 10)]
    whole = believe(
        [Grown(variety="a", method="", place="bed", season=2025, plants=10, mass_kg=5.0)],
        planned,
        0.5,
    )
    hit = believe(
        [Grown(variety="a", method="", place="bed", season=2025, plants=10, mass_kg=2.5, loss=0.5)],
        planned,
        0.5,
    )
    assert whole.means == pytest.approx(hit.means)


@pytest.mark.parametrize(
    ("grown", "planned", "book", "says"),
    [
        ([], [Planned("a", "", "b", 1)], None, "Nothing is known"),
        ([], [], 0.5, "at least one planting"),
        (
            [Grown(variety="a", method="", place="b", season=2025, plants=1, mass_kg=0.0)],
            [Planned("a", "", "b", 1)],
            0.5,
            "above zero",
        ),
        ([], [Planned("a", "", "b", 0)], 0.5, "at least one plant"),
    ],
)
def test_what_cannot_be_foretold_says_why(grown, planned, book, says):
    with pytest.raises(PlanError, match=says):
        believe(grown, planned, book)


def test_a_need_or_a_certainty_out_of_range_is_refused(case):
    years = draw_years(believe(*case, 0.0896), case[1], years=256)
    for need, certainty, says in ((0, 0.5, "above zero"), (5, 1.0, "neither included")):
        with pytest.raises(PlanError, match=says):
            enough_for(years, need, certainty)


# The own record of eating

WEEKS = (WeekEaten(1.0), WeekEaten(2.0, is_gone=True), WeekEaten(0.5))


def test_weeks_that_ran_out_are_reckoned_as_at_least_what_was_eaten():
    # by hand, k = 1: E[D | D > 2] = 2 + r, so 3 r = 1 + 2 + r + 0.5
    assert own_appetite(WEEKS, 1.0, prior_weeks=0, shape=1).a_week_kg == pytest.approx(1.75)
    found = own_appetite(WEEKS, 1.0, shape=2)
    assert found.a_week_kg == pytest.approx(1.10666, abs=5e-6)
    assert found.sd_log == pytest.approx(0.2627, abs=5e-5)
    assert (found.weeks, found.gone) == (3, 1)
    assert found.need_kg(10, appetites_now=4, appetites_then=2) == pytest.approx(22.1332, abs=1e-3)


def test_nothing_eaten_yet_is_what_the_servings_say():
    found = own_appetite([], 0.8)
    assert (found.a_week_kg, found.own_share) == (pytest.approx(0.8), 0.0)
    with pytest.raises(PlanError, match="Neither"):
        own_appetite([], 0.0)


@pytest.mark.parametrize("years", [1, 4])
def test_the_own_record_is_unbiased_where_plain_means_are_not(years):
    """Simulated: what is picked in a week is eaten up in about half of the weeks;
    its plain mean is too little.
    """
    rng = np.random.default_rng(11)
    ours, plain = [], []
    for _ in range(200):
        weeks = []
        for year in range(years):
            for _ in range(16):
                wanted, picked = float(rng.gamma(2, 0.5)), float(rng.gamma(4, 0.27))
                weeks.append(WeekEaten(min(wanted, picked), is_gone=picked <= wanted, year=year))
        ours.append(own_appetite(weeks, 1.0).a_week_kg)
        plain.append(sum(one.eaten_kg for one in weeks) / len(weeks))
    assert np.mean(ours) == pytest.approx(1.0, abs=0.03)
    assert 0.65 < np.mean(plain) < 0.85


# Steady supply and blocks


def test_pots_in_rotation_and_how_often_to_sow():
    assert pots_in_rotation(lifts_a_week=2, pots_a_lift=1, weeks_to_clear=11) == 22
    assert sow_every_days(pots=10, weeks_to_clear=11) == pytest.approx(7.7)
    with pytest.raises(PlanError):
        pots_in_rotation(lifts_a_week=0, pots_a_lift=1, weeks_to_clear=11)
    with pytest.raises(PlanError):
        sow_every_days(pots=0, weeks_to_clear=11)


def test_the_inner_plants_of_a_block():
    assert inner_share(6, 10) == pytest.approx(32 / 60)  # 53 %
    assert inner_share(4, 10) == pytest.approx(0.4)
    assert inner_share(2, 30) == 0.0


def test_what_made_a_difference_is_pulled_towards_none_and_doubted():
    """Two varieties that differ three times over, six plantings each,
    in two places that do not differ.
    """
    grown = [
        Grown(variety=variety, method="", place=place, season=season, plants=20, mass_kg=kg)
        for variety, kg in (("good", 6.0), ("poor", 2.0))
        for place in ("north", "south")
        for season in (2023, 2024, 2025)
    ]
    told = {
        (one.kind, one.label): one
        for one in believe(grown, [Planned("good", "", "north", 20)], 0.2).effects
    }
    good, poor = told["variety", "good"], told["variety", "poor"]
    assert 1 < good.times / poor.times < 3  # shrunk, and in the right direction
    assert good.low < good.times < good.high
    assert (good.plantings, poor.plantings) == (6, 6)
    for place in ("north", "south"):
        assert told["place", place].times == pytest.approx(1, abs=0.02)
    assert ("method", "") not in told  # one label alone is no difference
