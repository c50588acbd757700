"""Verdicts and scores of a season, asked for crop by crop in one sitting."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from kilter.people.models import Eater, Household, Membership, Role
from kilter.set_out.models import Crop, Planting, Variety
from kilter.weigh_up.varieties.models import Criterion, Score, Verdict
from kilter.weigh_up.varieties.queries import VarietyRow, ranking


@dataclass(frozen=True)
class Sitting:
    """One crop's varieties of a season with what one judge said so far."""

    crop: Crop
    criteria: tuple[Criterion, ...]
    rows: tuple[
        VarietyRow, ...
    ]  #: of the varieties grown, best first, each with its seasons side by side
    said: dict[tuple[int, int], int]  #: by variety and criterion: this judge's score
    verdicts: dict[int, Verdict]  #: of the season, by variety

    def seasons_known(self, variety: Variety) -> int:
        """Seasons in which a variety was measured."""
        row = next(row for row in self.rows if row.variety == variety)
        return sum(year.places > 0 for year in row.years)


def crops_to_judge(household: Household, season: int) -> list[Crop]:
    """Crops of which named varieties grew in a season."""
    grown = (
        Planting.objects.of(household)
        .filter(season=season, variety__isnull=False)
        .order_by()
        .values("crop_id")
    )
    return list(Crop.objects.of(household).filter(pk__in=grown).order_by("name"))


def judged(household: Household, season: int, judge: str) -> set[int]:
    """Crops that a judge has scored something of in a season."""
    scores = Score.objects.of(household).filter(season=season, judge=judge)
    return set(scores.order_by().values_list("variety__crop_id", flat=True).distinct())


def sitting(
    household: Household, season: int, crop: Crop, judge: str, weights: dict[str, float]
) -> Sitting:
    """What a judge is asked of a crop."""
    grown = Planting.objects.of(household).filter(season=season, crop=crop, variety__isnull=False)
    varieties = set(grown.order_by().values_list("variety_id", flat=True))
    scores = (
        Score.objects.of(household)
        .filter(season=season, judge=judge, use="", variety__in=varieties)
        .order_by("pk")
    )
    verdicts = Verdict.objects.of(household).filter(season=season, variety__in=varieties)
    return Sitting(
        crop,
        tuple(Criterion.objects.of(household)),
        tuple(row for row in ranking(household, crop, weights).rows if row.variety.pk in varieties),
        {(score.variety_id, score.criterion_id): score.value for score in scores},
        {verdict.variety_id: verdict for verdict in verdicts},
    )


def judges(household: Household) -> Sequence[str]:
    """Who may say what it tasted like: members and those who only eat."""
    members = Membership.objects.filter(
        household=household, role__in=(Role.OWNER, Role.HELPER)
    ).select_related("user")
    names = [str(member.user) for member in members.order_by("pk")]
    return list(dict.fromkeys([*names, *(str(eater) for eater in Eater.objects.of(household))]))
