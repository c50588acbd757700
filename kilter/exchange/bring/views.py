"""The pages of a table that is brought: the table, what is read in it, and its way in."""

from __future__ import annotations

import csv
import io
from typing import Final

from django.contrib import messages
from django.core.paginator import Paginator
from django.db.models import QuerySet
from django.http import HttpResponse
from django.shortcuts import redirect, render

from kilter.core.errors import KilterError
from kilter.exchange import jobs
from kilter.exchange.bring import actions
from kilter.exchange.bring.finishing import FINISH
from kilter.exchange.bring.forms import MAX_BYTES, MannerForm, TableForm
from kilter.exchange.bring.known import known_of
from kilter.exchange.bring.reading import Reading, read
from kilter.exchange.bring.shown import made_words, shown_rows
from kilter.exchange.bring.writing import package_of
from kilter.exchange.models import BroughtTable
from kilter.people import clock
from kilter.people.access import MARGIN_BYTES, Who, page_for
from kilter.people.downloads import as_download
from kilter.people.history import Actor
from kilter.people.look import system_of
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Household
from kilter.tables.cells import guarded

ROWS_A_PAGE: Final = 1000


def brought(household: Household) -> QuerySet[BroughtTable]:
    """Tables of a household, on their way in and written."""
    return BroughtTable.objects.filter(household=household)


def _is_gone(request: HouseholdRequest, found: BroughtTable) -> bool:
    """Whether a table was written, as who comes back to its page is told."""
    if found.packed is None:
        messages.info(request, f"“{found.name}” was written. Look at it under What was written.")
    return found.packed is None


@page_for(reads=Who.OWNER, writes=Who.OWNER, takes_bytes=MAX_BYTES + MARGIN_BYTES)
def index(request: HouseholdRequest) -> HttpResponse:
    """Paste a table, or choose a file."""
    form = TableForm(request.POST or None, request.FILES or None)
    if request.method == "POST" and form.is_valid():
        kept = actions.keep(request.actor, form.name, form.sheets, form.cleaned_data["kind"])
        return redirect("exchange:table", kept.pk)
    on_their_way = brought(request.household).exclude(packed=None).defer("packed")
    context = {"form": form, "waiting": on_their_way}
    return render(request, "exchange/bring.html", context, status=422 if form.errors else 200)


@page_for(reads=Who.OWNER, writes=Who.OWNER, of=brought)
def table(request: HouseholdRequest, found: BroughtTable) -> HttpResponse:
    """A table as it will be written, with what is asked about it."""
    if _is_gone(request, found):
        return redirect("exchange:bring")
    try:
        reading = _read(request.household, found)
    except KilterError as error:
        return render(
            request, "exchange/table.html", {"table": found, "problem": str(error)}, status=422
        )
    form = MannerForm(request.POST or None, reading=reading)
    if request.method == "POST" and form.is_valid():
        actions.read_so(found, form.manner)
        return redirect("exchange:table", found.pk)
    rows = reading.rows
    if only := request.GET.get("only") in ("open",):
        rows = [row for row in rows if row.state in ("asked", "problem")]
    page = Paginator(rows, ROWS_A_PAGE).get_page(request.GET.get("page"))
    context = {
        "table": found,
        "reading": reading,
        "counts": reading.counts,
        "open_rows": reading.counts["asked"] + reading.counts["problem"],
        "made": made_words(reading),
        "form": form,
        "page": page,
        "only_open": only,
        "rows": shown_rows(reading, page.object_list, system_of(request)),
    }
    template = "exchange/table_results.html" if request.htmx else "exchange/table.html"
    return render(request, template, context, status=422 if form.errors else 200)


@page_for(writes=Who.OWNER, of=brought)
def write(request: HouseholdRequest, found: BroughtTable) -> HttpResponse:
    """Write what is ready, in the background, as one change."""
    if _is_gone(request, found):
        return redirect("exchange:bring")
    reading = _read(request.household, found)
    if not reading.ready:
        return redirect("exchange:table", found.pk)
    source = package_of(reading, request.household, clock.today(request.household))
    count = len(reading.ready)
    job = jobs.start(
        Actor(request.membership.household, request.actor.user),
        source,
        f"A table was brought: {found.name}, {count} row{'s' * (count != 1)}",
        lambda: actions.written(found, reading.manner),
    )
    return redirect("exchange:job", job.key)


@page_for(writes=Who.OWNER, of=brought)
def drop(_request: HouseholdRequest, found: BroughtTable) -> HttpResponse:
    """Forget a table; nothing of it was written."""
    actions.drop(found)
    return redirect("exchange:bring")


@page_for(reads=Who.OWNER, of=brought)
def left(request: HouseholdRequest, found: BroughtTable) -> HttpResponse:
    """The rows that are not ready, as a file to put right: with what is wrong beside each."""
    if _is_gone(request, found):
        return redirect("exchange:bring")
    reading = _read(request.household, found)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow([*reading.table.heads, "row", "what is wrong"])
    for row in reading.rows:
        if row.state in ("problem", "asked"):
            asked = " ".join(question.says for question in row.asks if question.is_open)
            cells = [*row.line.cells, str(row.line.number), row.problem or asked]
            writer.writerow([guarded(cell) for cell in cells])
    return as_download(
        request.household, out.getvalue(), "text/csv; charset=utf-8", found.name, kind="csv"
    )


def _read(household: Household, found: BroughtTable) -> Reading:
    return read(found.sheets, actions.manner_of(found), known_of(household), FINISH)
