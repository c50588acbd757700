"""Crates and stores that are begun in passing: the one of the same thing is joined,
else a fresh one is made.
"""

from __future__ import annotations

from datetime import date, timedelta

from kilter.larder.models import Crate, PutBy, Store, Using
from kilter.people.history import Recorder
from kilter.people.models import Household


def keep_until(crate: Crate) -> date:
    """Until when a crate keeps, by the handbook."""
    begins = crate.cure_until or crate.day
    return begins + timedelta(days=round(7 * crate.keeps.weeks))


def store_of_kind(recorder: Recorder, household: Household, kind: str) -> Store:
    """The household's first store of a kind; one is made where there is none."""
    found = Store.objects.of(household).filter(kind=kind).first()
    if found is None:
        found = Store(household=household, name=kind.capitalize(), kind=kind)
        recorder.save(found)
    return found


def join_or_begin(
    recorder: Recorder, wanted: Crate, *, since: date | None = None, other_than: int = 0
) -> Crate:
    """The open crate of the same thing in the same store, begun since a day; else the one wanted is
    made.

    What stands in jars, or with something added, is a crate of its own.
    """
    alike = Crate.objects.of(wanted.household).filter(
        store=wanted.store,
        crop=wanted.crop,
        variety=wanted.variety,
        season=wanted.season,
        state=wanted.state,
        eat_first=wanted.eat_first,
        jars=None,
        added_mg=None,
        emptied_on=None,
    )
    if since is not None:
        alike = alike.filter(day__gte=since, day__lte=wanted.day)
    found = (
        None
        if wanted.jars or wanted.added_mg
        else alike.exclude(pk=other_than).order_by("-day", "-pk").first()
    )
    if found is not None:
        return found
    wanted.keep_until = keep_until(wanted)
    recorder.save(wanted)
    return wanted


def has_entries(crate: Crate, but: Using | None = None) -> bool:
    """Whether anything went in or out of a crate, one entry apart."""
    household = crate.household
    usings = Using.objects.of(household).exclude(pk=but.pk if but else 0)
    went = usings.filter(crate=crate) | usings.filter(into=crate)
    return went.exists() or PutBy.objects.of(household).filter(crate=crate).exists()
