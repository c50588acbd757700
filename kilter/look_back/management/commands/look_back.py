"""``manage.py look_back``: the review of a season with its decisions, as a table or as JSON."""

from __future__ import annotations

from typing import Any

from django.core.management.base import CommandParser

from kilter.larder.food import food_of
from kilter.larder.went import Went
from kilter.look_back.decisions import DecisionStanding, did_it_help, standing
from kilter.look_back.places import places_of
from kilter.look_back.review import ReviewLine, read_review
from kilter.look_back.season import Season
from kilter.look_back.setbacks import setbacks_of
from kilter.people import clock
from kilter.people.headless import HouseholdCommand
from kilter.people.models import Household


class Command(HouseholdCommand):
    help = (
        "Say what went well and badly in a season, what was decided, and what became of last "
        "year's decisions."
    )

    def add_arguments(self, parser: CommandParser) -> None:
        super().add_arguments(parser)
        parser.add_argument(
            "--season", type=int, help="the season looked back at; this year's if not given"
        )

    def run(self, household: Household, options: dict[str, Any]) -> None:
        year = options["season"] or clock.today(household).year
        found = read_review(household, year)
        lines = sorted(
            (one for one in found.shown if not one.is_struck), key=lambda one: -one.telling
        )
        if not options["json"]:
            self.print_table(
                ["", "what", "why"], [[line.side, line.words, line.cause] for line in lines]
            )
            return
        crops = found.season.crops
        places = places_of(found.season)
        self.print_json(
            {
                "season": year,
                "written_on": found.review.written_on and str(found.review.written_on),
                "note": found.review.note,
                "lines": [
                    _line(line, crops[line.crop].name if line.crop else "") for line in lines
                ],
                "crops": [_crop(found.season, one) for one in found.season.went],
                "setbacks": [
                    {
                        "what": hit.words,
                        "when": hit.when,
                        "where": [list(where) for where in hit.where],
                    }
                    for hit in setbacks_of(found.season)
                ],
                "places": [
                    {
                        "place": row.name,
                        "of_its_usual": row.against and row.against.ratio,
                        "before": list(row.before),
                    }
                    for row in places.rows
                ],
                "after_what": [
                    {
                        "before": a.before,
                        "crop": a.crop,
                        "ratio": a.found.ratio,
                        "plantings": a.found.plantings,
                    }
                    for a in places.after
                ],
                "decisions": [self._decision(household, one) for one in standing(household, year)],
                "decisions_before": [
                    self._decision(household, one) for one in standing(household, year - 1)
                ],
            }
        )

    @staticmethod
    def _decision(household: Household, one: DecisionStanding) -> dict[str, Any]:
        helped = did_it_help(household, one.decision) if one.is_done else None
        return {
            "about": one.decision.about,
            "what": one.decision.what,
            "reason": one.decision.reason,
            "state": one.state,
            "words": one.words,
            "helped": helped and helped.words,
        }


def _crop(season: Season, one: Went) -> dict[str, Any]:
    """What came of a crop, what of it is food, and what is needed; null where it is not known."""
    food, needed = food_of(season.larder, one.crop, one.season), season.needed.get(one.crop.pk)
    return {
        "crop": one.crop.name,
        "came_mg": one.where.lifted_mg,
        "came_count": one.pieces and one.pieces.lifted,
        "food_mg": food.mass_mg,
        "food_count": food.pieces,
        "needed_mg": needed and round(needed.kg * 1e6),
    }


def _line(one: ReviewLine, crop: str) -> dict[str, Any]:
    return {
        "key": one.key,
        "side": one.side,
        "words": one.words,
        "state": one.state,
        "why": one.cause,
        "crop": crop,
        "rests_on": one.rests,
        "address": one.address,
        "telling": one.telling,
    }
