"""Pages on which a record is made, put right and taken out: declared by model,
form, words and way back.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from django import forms
from django.http import HttpResponse
from django.urls import URLPattern, path, re_path, reverse

from kilter.people.access import Source, View, Who, page_for, strike_view
from kilter.people.actions import save_owned
from kilter.people.history import Actor
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Change, Owned
from kilter.people.pages import form_page


def _of_no_request(_: HouseholdRequest) -> dict[str, Any]:
    return {}


@dataclass(frozen=True, kw_only=True)
class RecordPage:
    """One kind of record with its page."""

    at: str  #: its part of the address: ``stores``
    model: type[Owned]
    form: type[forms.BaseForm]  #: takes an instance and the household
    new: str  #: the title where one is made
    title: str  #: and where one is put right, with ``{}`` for it
    saved: str  #: what the change says, with ``{}`` for it
    back: str  #: the name of the page that one comes from and goes back to
    about: str = ""
    reads: Who = Who.MEMBER
    writes: Who = Who.OWNER
    of: Source | None = None  #: where it is looked up, if more is read along than the model
    begin: Callable[[HouseholdRequest], dict[str, Any]] = (
        _of_no_request  #: what stands in a new one's form
    )
    save: Callable[[Actor, Any], Change] | None = None  #: where more is written than the record

    def view(self, kind: str, strike: str) -> View:
        """The page of a new one, and of one that is there."""

        @page_for(reads=self.reads, writes=self.writes, of=self.of or self.model)
        def page(request: HouseholdRequest, known: Owned | None) -> HttpResponse:
            form: Any = self.form(
                request.POST or None,
                instance=known or self.model(),  # type: ignore[call-arg]
                household=request.household,
                initial={} if known else self.begin(request),
            )
            return form_page(
                request,
                form,
                title=self.title.format(known) if known else self.new,
                save=lambda: self._save(request.actor, form.save(commit=False)),
                back=reverse(self.back),
                strike=reverse(strike, args=[kind, known.pk]) if known else "",
                about=self.about,
                for_helpers=self.writes is Who.WRITER,
            )

        page.__name__ = kind
        return page

    def _save(self, actor: Actor, record: Any) -> Change:
        return (
            self.save(actor, record)
            if self.save
            else save_owned(actor, record, self.saved.format(record))
        )


class RecordPages:
    """The record pages of a room: their addresses,
    and the one by which any of them is taken out.
    """

    def __init__(
        self, room: str, pages: Mapping[str, RecordPage], others: Mapping[str, Source] | None = None
    ) -> None:
        self.pages = pages
        self.kinds: dict[str, Source] = {
            **{kind: page.model for kind, page in pages.items()},
            **(others or {}),
        }
        self._room = room

    def _then(self, found: Any) -> str:
        """Back to where its kind stands;
        of others that have no page here to where the first kind does.
        """
        backs = [page.back for page in self.pages.values() if isinstance(found, page.model)]
        return reverse(backs[0] if backs else next(iter(self.pages.values())).back)

    @property
    def urls(self) -> list[URLPattern]:
        """Of each kind: a new one, one that is there; and of all the taking out."""
        strike = strike_view(self.kinds, self._then)
        found = [
            re_path(
                rf"^(?P<what>{'|'.join(self.kinds)})/(?P<pk>\d{{1,18}})/strike$",
                strike,
                name="strike",
            )
        ]
        for kind, page in self.pages.items():
            view = page.view(kind, f"{self._room}:strike")
            found += [
                path(f"{page.at}/new", view, name=f"new_{kind}"),
                path(f"{page.at}/<int:pk>", view, name=kind),
            ]
        return found
