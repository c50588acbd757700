"""Data in and out: taking a package, and bringing one in with progress."""

from __future__ import annotations

import logging
import tempfile
from pathlib import Path

from django import forms
from django.core.files.uploadedfile import UploadedFile
from django.db import DatabaseError
from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render

from kilter.core.amounts.vague import FIRST_YEAR, LAST_YEAR
from kilter.exchange import jobs
from kilter.exchange.book import season_book
from kilter.exchange.dumping import as_zip, package_files
from kilter.people import clock
from kilter.people.access import MARGIN_BYTES, Who, page_for
from kilter.people.downloads import XLSX, as_download
from kilter.people.history import Actor, note
from kilter.people.middleware import HouseholdRequest
from kilter.set_out.queries import seasons_of

log = logging.getLogger("kilter.exchange")
MAX_UPLOAD_BYTES = 50 * 1024 * 1024


class PackageForm(forms.Form):
    """A zip of the open format."""

    package = forms.FileField(label="A package, as a zip file", allow_empty_file=True)

    def clean_package(self) -> UploadedFile:
        package: UploadedFile = self.cleaned_data["package"]
        if (package.size or 0) > MAX_UPLOAD_BYTES:
            raise forms.ValidationError(f"That is larger than {MAX_UPLOAD_BYTES // 2**20} MB.")
        return package


@page_for(reads=Who.OWNER, writes=Who.OWNER, takes_bytes=MAX_UPLOAD_BYTES + MARGIN_BYTES)
def index(request: HouseholdRequest) -> HttpResponse:
    """Take data out, bring data in."""
    form = PackageForm(request.POST or None, request.FILES or None)
    if request.method == "POST" and form.is_valid():
        job = jobs.start(
            Actor(request.membership.household, request.actor.user),
            _kept(form.cleaned_data["package"]),
        )
        return redirect("exchange:job", job.key)
    seasons = seasons_of(request.household, clock.today(request.household).year)
    context = {"form": form, "seasons": seasons}
    return render(request, "exchange/index.html", context, status=422 if form.errors else 200)


@page_for(reads=Who.TAKER)
def download(request: HouseholdRequest) -> HttpResponse:
    """The whole garden as one zip."""
    if request.method == "GET":
        try:
            note(request.household, request.actor.user, "The data was taken out.")
        except DatabaseError:  # a full disk: the more reason to let the data out
            log.warning("the data was taken out; it could not be noted")
    return as_download(
        request.household, as_zip(package_files(request.household)), "application/zip", kind="zip"
    )


@page_for(reads=Who.TAKER)
def season(request: HouseholdRequest, year: int) -> HttpResponse:
    """One season as a workbook."""
    if not FIRST_YEAR <= year <= LAST_YEAR:
        raise Http404("There is no such season.")
    book = season_book(request.household, year)
    return as_download(request.household, book, XLSX, f"season {year}", kind="xlsx")


@page_for(reads=Who.OWNER)
def job(request: HouseholdRequest, key: str) -> HttpResponse:
    """How far a load is; a fragment request gets the progress alone."""
    template = "exchange/job_results.html" if request.htmx else "exchange/job.html"
    return render(request, template, {"job": _job(request, key)})


@page_for(writes=Who.OWNER)
def stop(request: HouseholdRequest, key: str) -> HttpResponse:
    """Stop a load before it writes."""
    _job(request, key).is_stopped = True
    return redirect("exchange:job", key)


def _job(request: HouseholdRequest, key: str) -> jobs.LoadJob:
    if found := jobs.find(request.household, key):
        return found
    raise Http404(
        "This load is not known any more. If it was still running when Kilter stopped, nothing was "
        "changed."
    )


def _kept(package: UploadedFile) -> Path:
    """Copy an upload to where the background load finds it."""
    with tempfile.NamedTemporaryFile(prefix="kilter-", suffix=".zip", delete=False) as kept:
        for chunk in package.chunks():
            kept.write(chunk)
    return Path(kept.name)
