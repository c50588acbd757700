"""Choosing how to see things, and the pages for what went wrong."""

from __future__ import annotations

from django import forms
from django.contrib.auth.decorators import login_not_required
from django.db import connection
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST, require_safe

from kilter.people.look import remember
from kilter.site.logs import request_id
from kilter.site.walk import STOPS, go_on


class UnitsAndModeForm(forms.Form):
    """A choice of units or mode, and the page to come back to."""

    units = forms.CharField(required=False, max_length=10)
    mode = forms.CharField(required=False, max_length=10)
    back = forms.CharField(required=False, max_length=2000)


@login_not_required
@require_POST
def look(request: HttpRequest) -> HttpResponse:
    """Keep how this browser wants to see things."""
    form = UnitsAndModeForm(request.POST)
    form.is_valid()
    answer = HttpResponseRedirect(_own_page(request, form.cleaned_data.get("back", "")))
    return remember(
        answer, units=form.cleaned_data.get("units"), mode=form.cleaned_data.get("mode")
    )


class WalkForm(forms.Form):
    """Which stop is next, 0 for none, and the page to come back to."""

    stop = forms.IntegerField(min_value=0, max_value=len(STOPS))
    back = forms.CharField(required=False, max_length=2000)


@login_not_required
@require_POST
def walk(request: HttpRequest) -> HttpResponse:
    """Go on to a stop of the walk round Kilter, or leave it."""
    form = WalkForm(request.POST)
    nth = form.cleaned_data["stop"] if form.is_valid() else 0
    where = (
        reverse(STOPS[nth - 1].room)
        if nth
        else _own_page(request, form.cleaned_data.get("back", ""))
    )
    return go_on(HttpResponseRedirect(where), nth, is_https=request.is_secure())


def _own_page(request: HttpRequest, back: str) -> str:
    """The page to come back to, where it is one of ours; else today's sheet."""
    is_ours = url_has_allowed_host_and_scheme(
        back, {request.get_host()}, require_https=request.is_secure()
    )
    return back if is_ours and back.startswith("/") else "/"


@login_not_required
@require_safe
@never_cache
def health(_: HttpRequest) -> HttpResponse:
    """For whoever watches the server: it answers, and its database does."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")
    return HttpResponse("ok", content_type="text/plain")


@login_not_required
@require_safe
def no_connection(request: HttpRequest) -> HttpResponse:
    """What a device shows where Kilter cannot be reached and the page is not kept: nobody's,
    so it lies there ready.
    """
    # Rendered without the request: the worker fetches it once, for whoever has the device in hand
    # later.
    return HttpResponse(
        render_to_string("site/no_connection.html", {"sent": "sent" in request.GET})
    )


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    return _say(
        request, 400, "That cannot be read", "The request was not one that Kilter understands."
    )


def refused(request: HttpRequest, exception: Exception) -> HttpResponse:
    return _say(
        request, 403, "Not yours to change", str(exception) or "You may not do this; ask an owner."
    )


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    words = str(exception.args[0]) if exception.args and isinstance(exception.args[0], str) else ""
    # Django's own words name models and addresses; ours end in a full stop.
    own = words if words.endswith(".") and "matches the given query" not in words else ""
    return _say(
        request,
        404,
        "Nothing here",
        own or "This page is not there, or belongs to another household.",
    )


def only_sent_to(request: HttpRequest) -> HttpResponse:
    return _say(
        request,
        405,
        "Nothing to show here",
        "This address only takes what a page sends; open that page again.",
    )


def no_room(request: HttpRequest, *, is_full: bool) -> HttpResponse:
    what = "The disk of this server is full" if is_full else "This server cannot write to its disk"
    words = (
        f"{what}, so what you sent was not kept. Everything written before is there. Tell whoever "
        "runs it; then go back and send it again. Lines of the bench wait on your device until "
        "then."
    )
    return HttpResponse(
        render_to_string("site/error.html", {"title": "Not kept", "words": words}), status=507
    )


def failed(request: HttpRequest) -> HttpResponse:
    # Rendered without the request: what broke may be what its context would ask for.
    words = "That was our fault. Nothing you saved before is lost; please go back and try again."
    context = {"title": "Something broke", "words": words, "request_id": request_id()}
    return HttpResponse(render_to_string("site/error.html", context), status=500)


def csrf_failure(request: HttpRequest, reason: str = "") -> HttpResponse:
    return _say(
        request,
        403,
        "This page has gone stale",
        (
            "It was open for very long, or cookies are switched off. Go back, load the page anew "
            "and send it again."
        ),
    )


def _say(request: HttpRequest, status: int, title: str, words: str) -> HttpResponse:
    return render(request, "site/error.html", {"title": title, "words": words}, status=status)
