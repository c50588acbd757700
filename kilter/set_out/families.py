"""Where the family of a crop stood lately."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass

from django.db.models import Max

from kilter.core.growing.succession import FAMILY_PAUSE_YEARS, Tenancy, years_since_family
from kilter.core.handbook.families import family_words
from kilter.ground.models import Fill, Place
from kilter.people.models import Household
from kilter.set_out.clearing import tenancies
from kilter.set_out.queries import family_of, find_crop
from kilter.set_out.wording import name_together


@dataclass(frozen=True)
class SameFamily:
    """Places in which the family of a crop stood lately."""

    words: str  #: the family as a gardener calls it
    places: tuple[
        tuple[str, int, str], ...
    ]  #: named together, with the years since, and the crop it was


def same_family(
    household: Household, crop_name: str, places: Collection[Place], year: int
) -> SameFamily:
    """Which of some places had the same family within the pause;
    a container filled anew since is not counted.
    """
    crop = find_crop(household, crop_name)
    # By its own name, not by what it is like: oca is like potato in the plan, and no kin of it in
    # the soil.
    family = family_of(crop.name if crop else crop_name)
    if not family or not places:
        return SameFamily("", ())
    return family_among(stood_in(household, places), family, places, year)


def stood_in(household: Household, places: Collection[Place]) -> list[Tenancy]:
    """What stood in some places, but for what was there before a container was filled anew."""
    filled = dict(
        Fill.objects.of(household)
        .filter(place__in=places, kind="filled")
        .order_by()
        .values_list("place")
        .annotate(Max("day"))
    )
    by_pk = {place.pk: place for place in places}
    return [
        tenancy
        for tenancy in tenancies(household, place__in=places)
        if by_pk[tenancy.place].is_bed
        or tenancy.place not in filled
        or filled[tenancy.place] <= tenancy.end
    ]


def family_among(
    stood: Sequence[Tenancy], family: str, places: Collection[Place], year: int
) -> SameFamily:
    """In which of some places a family stood, of what stood in them."""
    years = years_since_family(stood, family, year)
    last = {
        pk: max(
            (t for t in stood if t.place == pk and t.family == family and t.start.year <= year),
            key=lambda t: t.end,
        )
        for pk in years
    }
    alike: dict[tuple[int, str], list[Place]] = defaultdict(list)
    for place in places:
        if (since := years.get(place.pk)) is not None and since < FAMILY_PAUSE_YEARS:
            alike[since, last[place.pk].crop].append(place)
    found = [
        (name_together((p, str(p)) for p in group), *how) for how, group in sorted(alike.items())
    ]
    return SameFamily(family_words(family), tuple(found))
