"""The end of a season: everything that still stands, by place, and until when it would be kept."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from typing import Final

from kilter.core.growing.clearing import FROST, Clears
from kilter.people.models import Household
from kilter.set_out.clearing import clearing_of
from kilter.set_out.models import Planting
from kilter.set_out.queries import with_all_names
from kilter.today.queries import Over, grouped
from kilter.weigh_in.lifts import lifts_of

#: What has no last good day of its own is kept until the end of winter (rule): month and day, north
#: and south.
WINTER_ENDS: Final = ((3, 31), (9, 30))


@dataclass(frozen=True, kw_only=True)
class Closing:
    """What a season's end asks of the ground."""

    sites: tuple[tuple[str, tuple[Over, ...]], ...]  #: by site, as it stands in them

    @property
    def frosted(self) -> tuple[Over, ...]:
        """What a frost ended that is on record."""
        return tuple(
            one
            for _, some in self.sites
            for one in some
            if one.clears.why == FROST and one.clears.has_come
        )

    @property
    def due(self) -> tuple[Over, ...]:
        """What was to be over by now."""
        return tuple(one for _, some in self.sites for one in some if one.is_due)

    @property
    def due_keys(self) -> str:
        return ",".join(one.key for one in self.due)

    @property
    def frosted_keys(self) -> str:
        return ",".join(one.key for one in self.frosted)

    @property
    def count(self) -> int:
        return sum(len(one.plantings) for _, some in self.sites for one in some)


def closing(household: Household, today: date) -> Closing:
    """Everything that stands on a day and does not stay over years."""
    open_ones = Planting.objects.of(household).filter(finished_on=None)
    lifts = lifts_of(household, open_ones, is_by_day=True)
    standing = [
        one
        for one in with_all_names(open_ones)
        if not one.is_perennial and (one.planted is None or one.planted.earliest <= today)
    ]
    groups = grouped(standing, clearing_of(household), lifts, today)
    by_site: dict[str, list[Over]] = {}
    for one in sorted(groups, key=_by_place):
        by_site.setdefault(str(one.first.place.site), []).append(one)
    return Closing(sites=tuple((site, tuple(some)) for site, some in by_site.items()))


def _by_place(one: Over) -> tuple[str, str, int, str]:
    place = one.first.place
    return str(place.site), place.name, place.number or 0, one.label


def over_winter(
    household: Household, plantings: Iterable[Planting], today: date
) -> dict[Planting, date]:
    """Until when each is kept over the winter: its last good day, else the winter's end."""
    clearing: Mapping[int, Clears] = clearing_of(household)
    return {one: _kept_until(one, clearing[one.pk], today) for one in plantings}


def _kept_until(one: Planting, clears: Clears, today: date) -> date:
    month, day = WINTER_ENDS[one.place.site.is_southern]
    ends = date(today.year, month, day)
    if ends <= today:
        ends = date(today.year + 1, month, day)
    return max(ends, clears.day or ends)
