"""What guests send after their link was ended, and the owner's yes or no to it."""

from __future__ import annotations

import json

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse, JsonResponse, RawPostDataException
from django.shortcuts import redirect, render
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_POST

from kilter.people.access import Who, page_for
from kilter.people.events import MAX_EVENTS
from kilter.people.guests import guest_of
from kilter.people.middleware import HouseholdRequest
from kilter.people.undo import flash_change
from kilter.weigh_in import late
from kilter.weigh_in.models import LateLine


@login_not_required
# no cookie speaks for anybody here: the token in the body does, and it can only add to a tray
@csrf_exempt
@require_POST
def send(request: HttpRequest) -> HttpResponse:
    """Take a guest's lines after the link was ended; while it stands they come by it again."""
    try:
        raw = json.loads(request.body)
        found, sent = guest_of(str(raw["guest"])), raw["lines"]
        if not isinstance(sent, list) or len(sent) > MAX_EVENTS:
            raise ValueError
    except (ValueError, KeyError, TypeError, RecursionError, RawPostDataException):
        return JsonResponse(
            {"problem": 'Send {"guest": …, "lines": […]}, at most 500 at once.'}, status=400
        )
    if found is None:
        return JsonResponse({"problem": "This device is not known here."}, status=403)
    user, link = found
    if link.ended_at is None and link.memberships.filter(user=user).exists():
        return JsonResponse(
            {"problem": "Open your link again: the lines are sent then."}, status=409
        )
    return JsonResponse({"kept": late.keep_late(user, link, sent)})


@page_for(reads=Who.OWNER)
def index(request: HouseholdRequest) -> HttpResponse:
    """The lines that wait for a yes or no."""
    return render(request, "weigh_in/late.html", {"lines": late.waiting_late(request.household)})


@page_for(writes=Who.OWNER, of=late.waiting_late)
def settle(request: HouseholdRequest, line: LateLine) -> HttpResponse:
    """Say yes or no to one."""
    try:
        work = late.accept if request.POST.get("keep") == "yes" else late.refuse
        flash_change(request, work(request.actor, line))
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
    return redirect("weigh_in:late")


@page_for(writes=Who.OWNER)
def settle_all(request: HouseholdRequest) -> HttpResponse:
    """Say yes to all; what cannot be kept stays, with why."""
    kept = 0
    for line in late.waiting_late(request.household):
        try:
            late.accept(request.actor, line)
            kept += 1
        except ValidationError as error:
            messages.error(request, " ".join(error.messages))
    messages.success(request, f"{kept} line{'' if kept == 1 else 's'} kept on the tape.")
    return redirect("weigh_in:late")
