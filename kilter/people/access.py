"""Who may do what: owners everything, helpers write harvests, onlookers look;
and the record that a page is about.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import Enum
from functools import wraps
from typing import Any, Final

from django.contrib import messages
from django.core.exceptions import PermissionDenied, ValidationError
from django.db.models import QuerySet
from django.http import HttpResponse, HttpResponseBase, HttpResponseNotAllowed
from django.shortcuts import get_object_or_404, redirect

from kilter.people.actions import strike
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Household, Membership, Owned
from kilter.people.undo import flash_change

View = Callable[..., HttpResponseBase]
#: Where the record of a page is looked up: a model, or the records of a household with what is read
#: along.
Source = type[Owned] | Callable[[Household], QuerySet[Any]]
#: Of the records that a page can be about, those that somebody at the bench by a link may come to.
ForGuests = Callable[[HouseholdRequest, QuerySet[Any]], QuerySet[Any]]
READS = ("GET", "HEAD")
#: What a form sends beside its file.
MARGIN_BYTES: Final = 64 * 1024


class Who(Enum):
    """Who may open a page, or write by it; each with what others are told."""

    MEMBER = ""
    WRITER = "You may look at the harvests but not write them; ask an owner for more."
    TAKER = "An owner decides who may take the data out; ask one of them."
    OWNER = "Only an owner of the household may change this; ask one of them."

    def check(self, request: HouseholdRequest) -> None:
        """Refuse whoever may not."""
        if not MAY[self](request.membership):
            raise PermissionDenied(self.value)


MAY: Final[Mapping[Who, Callable[[Membership], bool]]] = {
    Who.MEMBER: lambda _: True,
    Who.WRITER: lambda member: member.may_write,
    Who.TAKER: lambda member: member.may_take_out,
    Who.OWNER: lambda member: member.is_owner,
}


@dataclass(frozen=True, kw_only=True)
class Declared:
    """What a page says of itself; the tests of all pages are made from it."""

    reads: Who | None  #: who may open it; None where it is only written by
    writes: Who | None  #: who may write by it; None where it only shows
    of: Source | None = None  #: the records it can be about
    kinds: Mapping[str, Source] | None = None  #: the same, by a word of the address
    by: str = ""  #: that word's name
    guests: ForGuests | None = (
        None  #: None where it is not for those who came by a link to the bench
    )
    is_kept: bool = (
        False  #: whether a device keeps it, as last seen, for when there is no connection
    )
    takes_bytes: int = 0  #: how large a body it takes; 0 for what a plain form needs

    def records(self, household: Household, kind: str = "") -> QuerySet[Any] | None:
        """The records that it can be about, in a household."""
        source = self.kinds[kind] if self.kinds else self.of
        if source is None:
            return None
        if isinstance(source, type):
            owned: Any = source
            found: QuerySet[Any] = owned.objects.of(household)
            return found
        return source(household)


def page_for(
    *,
    reads: Who | None = None,
    writes: Who | None = None,
    of: Source | None = None,
    kinds: Mapping[str, Source] | None = None,
    by: str = "what",
    guests: ForGuests | None = None,
    is_kept: bool = False,
    takes_bytes: int = 0,
) -> Callable[[View], View]:
    """Open a page to those who may, with the record it is about looked up in their household.

    A page with ``of`` gets the record in place of its key, None where the address has none; one
    with ``kinds`` gets the word of the address too. What is not there, or is another household's,
    is answered with 404. Who came by a link to the bench is let in where the page says with
    ``guests`` which of its records are theirs. One that ``is_kept`` opens with no connection, as it
    was last seen: the worker of the whole yard goes by the header. One to which files are sent says
    with ``takes_bytes`` how large they may be; the server refuses more unread.
    """
    declared = Declared(
        reads=reads,
        writes=writes,
        of=of,
        kinds=kinds,
        by=by if kinds else "",
        guests=guests,
        is_kept=is_kept,
        takes_bytes=takes_bytes,
    )

    def opened_by(view: View) -> View:
        shown = _kept_on_device(view) if is_kept else view

        @wraps(view)
        def opened(request: HouseholdRequest, **words: Any) -> HttpResponseBase:
            who = reads if request.method in READS else writes if request.method == "POST" else None
            if who is None:
                return HttpResponseNotAllowed(
                    [*(READS if reads else ()), *(["POST"] if writes else ())]
                )
            who.check(request)
            if declared.of is None and declared.kinds is None:
                return shown(request, **words)
            key, found = words.pop("pk", None), None
            if key is not None:
                records = declared.records(request.household, words.get(declared.by, ""))
                assert records is not None
                if request.membership.is_guest and guests is not None:
                    records = guests(request, records)
                found = get_object_or_404(records, pk=key)
            return shown(request, found, **words)

        opened.declared = declared  # type: ignore[attr-defined]
        return opened

    return opened_by


def _kept_on_device(view: View) -> View:
    def shown(request: HouseholdRequest, *found: Any, **words: Any) -> HttpResponseBase:
        request.is_kept = True
        answer = view(request, *found, **words)
        answer["Kilter-Keep"] = "yes"
        return answer

    return shown


def everything(_: HouseholdRequest, records: QuerySet[Any]) -> QuerySet[Any]:
    """Guests at the bench may come to all that the page is about."""
    return records


def strike_view(kinds: Mapping[str, Source], then: Callable[[Any], str]) -> View:
    """A view that takes a record out, and goes on to where ``then`` says; it can be put back."""

    @page_for(writes=Who.OWNER, kinds=kinds)
    def strike_one(request: HouseholdRequest, found: Owned, **_: str) -> HttpResponse:
        """Take a record out."""
        try:
            flash_change(request, strike(request.actor, found, f"{found} was taken out."))
        except ValidationError as error:
            messages.error(request, " ".join(error.messages))
        return redirect(then(found))

    return strike_one
