"""The demo's trials, what grew too close, and what was judged."""

from __future__ import annotations

import math
from datetime import date

from demo.garden import Garden
from kilter.core.compare import METHOD_VERSION
from kilter.core.compare.trial import TrialSpot, random_layout, treatments_of


def shallot_trial(g: Garden, season: int, crates: list[int]) -> None:
    """Set in autumn against spring, three varieties, as many crates of each."""
    varieties = ("Lantern Row", "Cinder Path", "Tarred Twine")
    each = len(crates) // 6
    order = [(v, s) for v in varieties for s in ("autumn", "spring") for _ in range(each)]
    for crate, index in zip(crates, g.rng.permutation(len(order)), strict=True):
        variety, setting = order[int(index)]
        planted = date(season - 1, 10, 20) if setting == "autumn" else date(season, 3, 21)
        lifted = date(season, 7, 6) if setting == "autumn" else date(season, 8, 4)
        ref = g.plant(
            f"crate-{crate}",
            "shallot",
            variety,
            season,
            planted,
            9,
            "set",
            in_row_m=0.15,
            row_gap_m=0.15,
            lot=f"{variety.split()[0].lower()}-{season - 1}",
            methods=f"setting={setting}",
        )
        kg = g.total_kg("shallot", variety, season, 9, 0.072, 1.22 if setting == "autumn" else 1.0)
        g.lift(ref, lifted, kg, 0.026)
        g.finish(ref, lifted)


def bean_trial(g: Garden, season: int) -> None:
    """Broad beans under net and open, in two beds of two varieties each."""
    for bed, cover in ((1, "netted"), (2, "open"), (2, "netted"), (1, "open")):
        for variety in ("Lockgate", "Slow Barge"):
            ref = g.plant(
                f"bed-{bed}",
                "broad bean",
                variety,
                season,
                date(season, 3, 3 + bed),
                14,
                "seed",
                in_row_m=0.2,
                row_gap_m=0.45,
                methods=f"cover={cover}",
            )
            kg = g.total_kg(
                "broad bean", variety, season, 14, 0.15, 1.12 if cover == "netted" else 1.0
            )
            g.finish(ref, g.pick(ref, date(season, 6, 12), 5, 6, kg, 0.019))


def crowding(g: Garden) -> None:
    """Beetroot at four spacings in crates of 2025: less each, more together."""
    for i, spacing in enumerate((0.2, 0.2, 0.2, 0.14, 0.14, 0.14, 0.1, 0.1, 0.1, 0.07, 0.07, 0.07)):
        per_m2 = 1 / spacing**2
        units = round(0.24 * per_m2)
        variety = ("Old Hemp", "Splice")[i % 2]
        ref = g.plant(
            f"crate-{13 + i}",
            "beetroot",
            variety,
            2025,
            date(2025, 4, 14),
            units,
            "module",
            in_row_m=spacing,
            row_gap_m=spacing,
        )
        g.add(
            "counts",
            id=f"stood-{ref}",
            planting=ref,
            day=date(2025, 5, 20),
            kind="standing",
            count=units,
        )
        kg = units / (4.5 + 0.1 * per_m2) * math.exp(float(g.rng.normal(0, 0.12)))
        g.lift(ref, date(2025, 7, 22), kg, kg / units, small=0.05)
        g.finish(ref, date(2025, 7, 22))


def judged(g: Garden) -> None:
    """Criteria of the household, what people said, verdicts, a question kept,
    and a trial for next year.
    """
    for n, (name, weight) in enumerate((("flavour", 2), ("texture", 1), ("picking", 1))):
        g.add("criteria", id=f"criterion-{n + 1}", name=name, weight=weight)
    said = {
        ("tomato", "Brass Bell"): (3, 4, 5),
        ("tomato", "Midday Whistle"): (5, 4, 3),
        ("tomato", "Aunt Cord"): (4, 3, 2),
        ("shallot", "Lantern Row"): (4, 4, 4),
        ("shallot", "Cinder Path"): (5, 4, 3),
        ("shallot", "Tarred Twine"): (2, 3, 4),
    }
    n = 0
    for (crop, variety), scores in said.items():
        for season in (2025, 2026):
            for judge in ("Odile", "Bram"):
                for criterion, value in enumerate(scores, start=1):
                    n += 1
                    value = min(max(value + int(g.rng.integers(-1, 2)), 1), 5)
                    g.add(
                        "scores",
                        id=f"score-{n:03d}",
                        crop=crop,
                        variety=variety,
                        criterion=f"criterion-{criterion}",
                        season=season,
                        value=value,
                        judge=judge,
                    )
    for variety, season, kind, reason in (
        ("Aunt Cord", 2025, "no fair chance", "stood behind the bench; try it in the sun"),
        ("Midday Whistle", 2026, "staple", "everybody asks for it"),
        ("Brass Bell", 2026, "again", ""),
    ):
        ref = f"verdict-{variety.split()[0].lower()}-{season}"
        g.add(
            "verdicts",
            id=ref,
            crop="tomato",
            variety=variety,
            season=season,
            kind=kind,
            reason=reason,
        )
    g.add(
        "questions",
        id="autumn-or-spring",
        name="Autumn or spring?",
        pinned="yes",
        method=METHOD_VERSION,
        address="compare=method%3Asetting&by=kg_per_plant&crop=shallot&within=variety&within=season",
    )
    g.add(
        "questions",
        id="net-or-open",
        name="Does the net help?",
        method=METHOD_VERSION,
        address="compare=method%3Acover&by=kg_per_plant&crop=broad+bean&within=variety&within=season",
    )
    g.add(
        "trials",
        id="mulch-27",
        name="Does mulch help, and does it depend on the setting?",
        crop="shallot",
        season=2027,
        first="mulch",
        first_levels="straw; none",
        second="setting",
        second_levels="autumn; spring",
        blinded="yes",
        seed=27,
        alike="The same mix, depth, water and feed; lifted when the tops fall.",
    )
    spots = [TrialSpot(f"crate-{n}", "crates", float(n), 0.0) for n in range(1, 17)]
    kinds = treatments_of([["straw", "none"], ["autumn", "spring"]])
    for number, one in enumerate(random_layout(spots, kinds, 27), start=1):
        g.add(
            "trial_units",
            id=f"mulch-27-{number:02d}",
            trial="mulch-27",
            place=one.key,
            number=number,
            block=one.block,
            first=one.treatment[0],
            second=one.treatment[1],
        )
