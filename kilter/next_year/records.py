"""What the plan learns from: what every crop gave, how it was last grown, what hit its sites, how it was eaten."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date, timedelta

from django.db.models import Q

from kilter.core.larder.lasting import GONE_MG
from kilter.core.plan.appetite import WeekEaten
from kilter.core.plan.effects import Grown, Planned
from kilter.core.plan.scenarios import Setback
from kilter.core.yields.measures import MeasuredYield, measure_yield
from kilter.larder.ledger import Larder, larder
from kilter.larder.models import Use
from kilter.larder.weeks import monday_of
from kilter.people.models import Household
from kilter.records.facts import PlantingFacts, facts
from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import Planting
from kilter.set_out.queries import seasons_of
from kilter.tending.models import Happening
from kilter.tending.queries import happened_to_each

#: So many plantings, the largest of the season it was last grown in, stand for how a crop is grown (rule).
MOST_PLANNED = 8
#: Tags that a trial's layout writes are no methods.
OF_A_TRIAL = frozenset({"trial", "block"})


@dataclass
class Past:
    """The record of one crop."""

    grown: list[Grown] = field(default_factory=list)
    failed: int = 0
    last: dict[int, list[Planned]] = field(default_factory=lambda: defaultdict(list))  #: how it was grown, by season
    hit: dict[tuple[str, str], dict[int, float]] = field(default_factory=lambda: defaultdict(dict))
    #: by site and cause: in each season the plants that it took, of those in `stood`
    stood: dict[tuple[str, int], float] = field(default_factory=lambda: defaultdict(float))

    @property
    def setbacks(self) -> tuple[Setback, ...]:
        """What once took a share of the crop at a site: the seasons in which it came, and what share of all its plants
        there it took."""
        found = []
        for (site, _), years in sorted(self.hit.items()):
            seasons = {season for at, season in self.stood if at == site}
            losses = tuple(min(taken / self.stood[site, season], 1.0) for season, taken in sorted(years.items()))
            found.append(Setback(site, len(years), len(seasons - set(years)), losses))
        return tuple(found)

    @property
    def planned(self) -> tuple[Planned, ...]:
        """As it was last grown; a crop never grown here is planted in one place."""
        if not self.last:
            return (Planned("", "", "", 10.0),)
        return tuple(sorted(self.last[max(self.last)], key=lambda one: -one.plants)[:MOST_PLANNED])


def pasts_of(household: Household) -> dict[int, Past]:
    """What every finished planting gave in food, per plant that stood, as Weigh up measures it, by crop."""
    finished = Planting.objects.of(household).filter(Q(finished_on__isnull=False) | Q(is_perennial=True))
    crop_of = dict(finished.order_by().values_list("pk", "crop_id"))
    kept_back = blinded_of(household)
    rows = [row for row in facts(household, finished.order_by("pk")) if row.pk not in kept_back]
    hits = happened_to_each(household, [row.pk for row in rows])
    found: dict[int, Past] = defaultdict(Past)
    for row in rows:
        measured = measure_yield(row.record, "kg_per_plant")
        if isinstance(measured, MeasuredYield) and measured.exposure > 0:
            harm = [one for one in hits.get(row.pk, ()) if one.lost_share and one.day.year == row.season]
            _take(found[crop_of[row.pk]], row, measured, harm)
    return found


def _take(past: Past, row: PlantingFacts, measured: MeasuredYield, harm: list[Happening]) -> None:
    variety, site = row.attributes["variety"] or "", row.attributes["site"] or ""
    method = "; ".join(f"{name}={value}" for name, value in sorted(row.methods.items()) if name not in OF_A_TRIAL)
    past.last[row.season].append(Planned(variety, method, row.place, measured.exposure, site))
    past.stood[site, row.season] += measured.exposure
    for one in harm:
        years = past.hit[site, (one.what or one.kind).lower()]
        years[row.season] = years.get(row.season, 0.0) + measured.exposure * (one.lost_share or 0.0)
    lost = sum(one.lost_share or 0.0 for one in harm)
    if measured.amount <= 0:
        past.failed += lost < 1  # what a setback took whole is in the setback
        return
    loss = lost if lost < 1 else 0.0  # what lost all of it and still gave something was misjudged
    past.grown.append(Grown(variety, method, row.place, row.season, measured.exposure, measured.amount, loss))


def weeks_eaten(household: Household, today: date) -> dict[int, list[WeekEaten]]:
    """By crop: each week in which some of it lay in store, what was eaten, and whether none was left at its end."""
    return _weeks(larder(household, seasons_of(household, today.year)))


def _weeks(found: Larder) -> dict[int, list[WeekEaten]]:
    came: dict[int, dict[date, int]] = defaultdict(lambda: defaultdict(int))
    eaten: dict[int, dict[date, int]] = defaultdict(lambda: defaultdict(int))
    for step in found.steps:
        came[step.key[0]][monday_of(step.day)] += step.mass_mg
        if step.what == Use.EATEN:
            eaten[step.key[0]][monday_of(step.day)] -= step.mass_mg
    this_week = monday_of(found.today)
    return {crop: list(_of_crop(of_weeks, eaten[crop], this_week)) for crop, of_weeks in came.items()}


def _of_crop(came: dict[date, int], eaten: dict[date, int], this_week: date) -> Iterable[WeekEaten]:
    """Weeks that are over, from the first in which something lay there."""
    week, lying = min(came), 0
    while week < this_week:
        there = lying + max(came.get(week, 0), 0) + eaten.get(week, 0)
        lying += came.get(week, 0)
        if there > GONE_MG:
            yield WeekEaten(eaten.get(week, 0) / 1e6, is_gone=lying <= GONE_MG, year=week.year)
        week += timedelta(weeks=1)
