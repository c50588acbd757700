"""What happened to the demo's garden: pests, frost, jobs, and the weather."""

from __future__ import annotations

import zlib
from datetime import date, timedelta

from demo.garden import Garden
from kilter.devices.station import SimulatedStation, read_days


def happenings(g: Garden) -> None:
    """What happened, what was done, and whether it helped."""
    beans = [
        r["id"] for r in g.rows["plantings"] if r["crop"] == "broad bean" and r["season"] == 2026
    ]
    for n, planting in enumerate(beans[:3]):
        g.add(
            "happenings",
            id=f"fly-{n + 1}",
            planting=planting,
            day=date(2026, 5, 28),
            kind="pest",
            what="blackfly",
            lost_share=0.1,
            done="tips pinched out",
            helped="partly",
        )
    g.add(
        "happenings",
        id="drought-25",
        site="lock",
        day=date(2025, 7, 4),
        until=date(2025, 7, 29),
        kind="drought",
        what="no rain, can only be carried",
        done="watered twice a week",
        helped="partly",
    )
    g.add(
        "happenings",
        id="frost-24",
        place="block",
        day=date(2024, 5, 21),
        kind="frost",
        what="late frost",
        lost_share=0.15,
        done="resown the gaps",
        helped="yes",
    )
    for n, row in enumerate(
        r for r in g.rows["plantings"] if r["crop"] == "potato" and r["season"] == 2026
    ):
        row["lift_from"] = date(2026, 7, 26)
        g.add(
            "happenings",
            id=f"blight-{n + 1}",
            planting=row["id"],
            day=date(2026, 7, 12),
            kind="cut back",
            what="blight",
            done="foliage cut and binned as the council says",
            helped="yes",
        )
    g.add(
        "happenings",
        id="butt-25",
        part="part-4-0",
        day=date(2025, 6, 10),
        precision="week",
        kind="shaded",
        what="the new water butt",
        lost_share=1,
    )
    tomatoes_2026 = [
        r["id"] for r in g.rows["plantings"] if r["crop"] == "tomato" and r["season"] == 2026
    ]
    n = 0
    for week in range(8):
        for planting in tomatoes_2026:
            n += 1
            g.add(
                "jobs",
                id=f"job-{n:03d}",
                planting=planting,
                day=date(2026, 6, 20) + timedelta(days=7 * week),
                job="water",
                minutes=1.5,
                litres=4,
            )

    work_on_places(g)


def work_on_places(g: Garden) -> None:
    """What was done for a bed or a whole site at once, what is to come, and a natural sign."""
    for key, where, day, job, minutes, litres in (
        ("carry", {"site": "lock"}, date(2026, 7, 8), "water", 50, 220),
        ("hoe", {"place": "bed-4"}, date(2026, 6, 13), "weed", 45, None),
        ("edge", {"place": "berry"}, date(2026, 4, 4), "weed", 30, None),
    ):
        g.add("jobs", id=f"job-{key}", day=day, job=job, minutes=minutes, litres=litres, **where)
    g.add("repeats", id="mulch-berry", place="berry", job="mulch", first_on=date(2027, 2, 20))
    shallots = [
        r["id"] for r in g.rows["plantings"] if r["crop"] == "shallot" and r["season"] == 2026
    ]
    for n, planting in enumerate(shallots[:2]):
        g.add(
            "happenings",
            id=f"ripe-{n + 1}",
            planting=planting,
            day=date(2026, 7, 14),
            kind="natural",
            what="leaves die back",
        )


def weather(g: Garden) -> None:
    """Three seasons of the simulated station at the yard."""
    start, end = date(2024, 1, 1), date(2026, 11, 22)
    station = SimulatedStation(52.4, zlib.crc32(b"yard"), end)
    for entry in read_days(station, start, end):
        g.add(
            "weather",
            id=f"yard-{entry.day}",
            site="yard",
            day=entry.day,
            min_c=entry.min_c,
            max_c=entry.max_c,
            rain_mm=entry.rain_mm,
            source="simulated station",
        )
