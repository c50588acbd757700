"""``manage.py today``: what to lift and what to do, as tables or as JSON."""

from __future__ import annotations

from datetime import date
from typing import Any

from kilter.people import clock
from kilter.people.headless import HouseholdCommand
from kilter.people.models import Household
from kilter.today.queries import today_sheet


class Command(HouseholdCommand):
    help = "Say what to lift, in which order, and which jobs are due."

    def run(self, household: Household, options: dict[str, Any]) -> None:
        day = clock.today(household)
        sheet = today_sheet(household, day)
        lift = [
            {
                "what": entry.lane.label,
                "where": entry.lane.places,
                "why": entry.turn.reason,
                "expected_kg": entry.turn.kg,
                "fits_the_kitchen": entry.turn.fits,
                "clears_on": _day(entry.clears.day),
            }
            for entry in sheet.to_lift
        ]
        over = [
            {
                "what": one.label,
                "where": one.places,
                "why": one.why,
                "clears_on": _day(one.clears.day),
            }
            for one in sheet.over
        ]
        do = [
            {"job": t.job, "crop": t.crop, "where": t.places, "due_on": str(t.due_on), "why": t.why}
            for t in sheet.tasks
        ]
        do += [
            {
                "job": j.what,
                "crop": j.crop.name,
                "where": "",
                "due_on": str(j.begins),
                "why": "the plan",
            }
            for j in sheet.from_plan
        ]
        if options["json"]:
            self.print_json({"day": str(day), "lift": lift, "over": over, "do": do})
            return
        self.print_table(
            ["lift", "where", "why"],
            [[str(e[name]) for name in ("what", "where", "why")] for e in lift],
        )
        self.print_table(
            ["do", "crop", "where", "due"],
            [[t["job"], t["crop"], t["where"], t["due_on"]] for t in do],
        )


def _day(day: date | None) -> str | None:
    return day.isoformat() if day else None
