"""Work and water as each planting bears them: its own jobs, and its share of those on places."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date

from django.db.models import Q

from kilter.core.yields.work import Occupant, SharedWork, Work, WorkShare, share_work
from kilter.ground.models import Place
from kilter.people.models import Household
from kilter.people.unchanged import while_unchanged
from kilter.set_out.clearing import clearing_of, last_day
from kilter.set_out.models import Planting
from kilter.tending.models import Job


@dataclass(frozen=True)
class Spent:
    """Minutes and litres together; None where nobody noted any."""

    minutes: float | None = None
    water_l: float | None = None


def work_of(household: Household) -> SharedWork:
    """All work of a household, shared out; a fixed number of queries, none if nothing was
    written.
    """
    return while_unchanged(("work", household.pk), lambda: _shared(household))


def shares_by_planting(household: Household) -> Mapping[int, tuple[WorkShare, ...]]:
    """What each planting bears, job by job."""
    found: dict[int, list[WorkShare]] = defaultdict(list)
    for share in work_of(household).shares:
        found[share.planting].append(share)
    return {key: tuple(shares) for key, shares in found.items()}


def together(shares: Iterable[WorkShare | Work]) -> Spent:
    """Sum what was noted."""
    shares = list(shares)
    seconds = [one.seconds for one in shares if one.seconds is not None]
    water_ml = [one.water_ml for one in shares if one.water_ml is not None]
    return Spent(sum(seconds) / 60 if seconds else None, sum(water_ml) / 1000 if water_ml else None)


def _shared(household: Household) -> SharedWork:
    columns = "pk", "day", "planting_id", "place_id", "site_id", "seconds", "water_ml"
    noted = Q(seconds__isnull=False) | Q(water_ml__isnull=False)
    jobs = [
        Work(
            key=key,
            day=day,
            planting=planting,
            place=place,
            site=site,
            seconds=seconds,
            water_ml=water_ml,
        )
        for key, day, planting, place, site, seconds, water_ml in Job.objects.of(household)
        .filter(noted)
        .order_by("day", "pk")
        .values_list(*columns)
    ]
    sites = {job.site for job in jobs} - {None}
    where = Q(pk__in={job.place for job in jobs} - {None}) | Q(site__in=sites)
    places = list(Place.objects.ever_of(household).filter(where)) if jobs else []
    return share_work(
        jobs,
        _occupants(household, places) if places else (),
        {place.pk: place.area_m2 for place in places if place.is_bed and place.area_m2},
        {place.pk: place.site_id for place in places},
    )


def _occupants(household: Household, places: list[Place]) -> list[Occupant]:
    clearing = clearing_of(household)
    there = Planting.objects.of(household).filter(place__in=places)
    return [
        Occupant(
            key=one.pk,
            place=one.place_id,
            season=one.season,
            start=one.planted_on or date(one.season, 1, 1),
            end=last_day(one.pk, one.finished_on, clearing),
            area_m2=one.ground_m2,
            is_open=one.finished_on is None,
        )
        for one in there.select_related("place", "part__place")
    ]
