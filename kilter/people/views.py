"""Signing up, in and out; the household's page; joining by a link."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import login, logout
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.views import LoginView
from django.core.exceptions import PermissionDenied, ValidationError
from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_POST

from kilter.people import actions, clock
from kilter.people.access import Who, page_for
from kilter.people.accounts import BACKEND
from kilter.people.examples import asked_about, examples_of, time_there
from kilter.people.forms import (
    BackForm,
    BenchLinkForm,
    ChangesForm,
    HouseholdForm,
    InviteForm,
    JoinForm,
    NameForm,
    SignUpForm,
    TypedNameForm,
)
from kilter.people.history import undo as undo_change
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import BenchLink, Change, Household, Membership, ServerState, User
from kilter.people.signing_in import may_sign_up, must_wait, remember_device, too_often
from kilter.people.undo import flash_change

CHANGES_SHOWN = 100


class SignInView(LoginView):
    """Django's own sign-in, in our sheet."""

    template_name = "people/sign_in.html"
    redirect_authenticated_user = True
    http_method_names = ("get", "head", "post", "options")

    def post(self, request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        return too_often(request) if must_wait(request) else super().post(request, *args, **kwargs)

    def form_valid(self, form: AuthenticationForm) -> HttpResponse:
        user = form.get_user()
        assert isinstance(user, User)
        return remember_device(super().form_valid(form), user)

    def get_context_data(self, **kwargs: Any) -> dict[str, Any]:
        more = {"may_sign_up": may_sign_up(), "has_mail": bool(settings.KILTER_MAIL)}
        return super().get_context_data(**kwargs) | more


@login_not_required
@require_http_methods(["GET", "HEAD", "POST"])
def sign_up(request: HttpRequest) -> HttpResponse:
    """Make a user with a household, where that may be done here."""
    if not may_sign_up():
        raise PermissionDenied(
            "New gardens are not begun here; ask an owner of a household for a link to join theirs."
        )
    form = SignUpForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        login(request, actions.sign_up(form), backend=BACKEND)
        return redirect("today:index")
    return render(
        request, "people/sign_up.html", {"form": form}, status=422 if form.errors else 200
    )


@require_POST
def sign_out(request: HttpRequest) -> HttpResponse:
    """Sign out, and leave nothing of the garden in the browser but lines of others,
    of which the page tells.
    """
    has_others = request.POST.get("keep") == "on"
    logout(request)
    response = redirect("people:sign_in")
    response["Clear-Site-Data"] = '"cache"' if has_others else '"cache", "storage"'
    return response


@login_not_required
@require_http_methods(["GET", "HEAD", "POST"])
def join(request: HttpRequest, token: str) -> HttpResponse:
    """Make a user who joins the household of the link."""
    invite = actions.open_invite(token)
    if isinstance(request.user, User) and not Membership.objects.filter(user=request.user).exists():
        if request.method == "POST":
            actions.rejoin(invite, request.user)
            return redirect("today:index")
        return render(request, "people/rejoin.html", {"invite": invite})
    form = JoinForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        user = form.save(commit=False)
        actions.join(invite, user)
        login(request, user, backend=BACKEND)
        return redirect("today:index")
    context = {"form": form, "invite": invite}
    return render(request, "people/join.html", context, status=422 if form.errors else 200)


@login_not_required
@require_http_methods(["GET", "HEAD", "POST"])
def join_by_link(request: HttpRequest, token: str) -> HttpResponse:
    """Come to the bench by a link: a name is asked, and nothing else."""
    link = actions.open_bench_link(token)
    if Membership.objects.filter(user=request.user.pk, household=link.household).exists():
        return redirect("weigh_in:bench")
    form = NameForm(request.POST or None)
    if request.method == "POST" and not request.user.is_authenticated and form.is_valid():
        login(request, actions.join_by_link(link, **form.cleaned_data), backend=BACKEND)
        return redirect("weigh_in:bench")
    context = {"form": form, "link": link}
    return render(request, "people/join_by_link.html", context, status=422 if form.errors else 200)


@page_for(writes=Who.OWNER)
def make_bench_link(request: HouseholdRequest) -> HttpResponse:
    """Make a link by which helpers come to the bench."""
    form = BenchLinkForm(request.POST)
    if not form.is_valid():
        messages.error(request, "Say for whom the link is.")
        return redirect("people:household")
    actions.make_bench_link(request.actor, form.save(commit=False))
    return redirect("people:household")


@page_for(
    writes=Who.OWNER,
    of=lambda household: BenchLink.objects.filter(household=household, ended_at=None),
)
def end_bench_link(request: HouseholdRequest, link: BenchLink) -> HttpResponse:
    """End a link to the bench; whoever came by it is out."""
    gone = actions.end_bench_link(request.actor, link)
    messages.success(
        request, f"The link for {link} is ended; {gone} who came by it can write no more."
    )
    return redirect("people:household")


@page_for(reads=Who.MEMBER, writes=Who.OWNER)
def household(request: HouseholdRequest) -> HttpResponse:
    """The household's settings and members."""
    form = HouseholdForm(request.POST or None, instance=request.membership.household)
    if request.method == "POST" and form.is_valid():
        flash_change(request, actions.save_household(request.actor, form.save(commit=False)))
        return redirect("people:household")
    context = {
        "form": form,
        "examples": examples_of(form, clock.today(request.household)),
        "time_there": time_there(request.household.time_zone),
        "asked_about": asked_about(form["sure_fold"].value()),
        "invite_form": InviteForm(),
        "bench_link_form": BenchLinkForm(),
        "bench_links": [
            (link, request.build_absolute_uri(reverse("people:join_by_link", args=[link.token])))
            for link in request.household.bench_links.filter(ended_at=None)
        ],
        "memberships": request.household.memberships.select_related("user").order_by("pk"),
        "invite_link": request.session.pop("invite_link", ""),
        "password_link": request.session.pop("password_link", None),
        "invites": actions.open_invites(request.household) if request.membership.is_owner else (),
        "delete_form": TypedNameForm(label="The household's name, typed out"),
        "server": ServerState.objects.first() if request.membership.is_owner else None,
        "has_backups": bool(settings.KILTER_BACKUPS),
        "roles": InviteForm().fields["role"].choices,  # type: ignore[attr-defined]
    }
    return render(request, "people/household.html", context, status=422 if form.errors else 200)


@page_for(writes=Who.OWNER)
def invite(request: HouseholdRequest) -> HttpResponse:
    """Make a link to join by, shown once."""
    form = InviteForm(request.POST)
    if not form.is_valid():
        messages.error(request, "Choose what the new member may do.")
        return redirect("people:household")
    made = actions.make_invite(request.actor, form.save(commit=False))
    request.session["invite_link"] = request.build_absolute_uri(
        reverse("people:join", args=[made.token])
    )
    return redirect("people:household")


@page_for(
    writes=Who.OWNER,
    of=lambda household: Membership.objects.filter(household=household).select_related("user"),
)
def remove_member(request: HouseholdRequest, member: Membership) -> HttpResponse:
    """End a membership."""
    actions.remove_member(request.actor, member)
    messages.success(request, f"{member.user} is no longer a member.")
    return redirect("people:household")


@page_for(reads=Who.MEMBER)
def changes(request: HouseholdRequest) -> HttpResponse:
    """What was written lately, by whom, each with its undo."""
    form = ChangesForm(request.GET)
    kind = form.cleaned_data["kind"] if form.is_valid() else ""
    latest = Change.objects.filter(household=request.household).select_related("by")
    latest = latest.filter(is_note=kind == "comings") if kind else latest
    return render(request, "people/changes.html", {"changes": latest[:CHANGES_SHOWN], "kind": kind})


def undoable(household: Household) -> QuerySet[Change]:
    """The changes of a household; who came in is told among them, and nothing to undo."""
    return Change.objects.filter(household=household, is_note=False)


def own_of_today(request: HouseholdRequest, changes: QuerySet[Change]) -> QuerySet[Change]:
    """What a guest at the bench may undo."""
    return changes.filter(by=request.user.pk, made_at__gte=clock.day_began(request.household))


@page_for(writes=Who.WRITER, of=undoable, guests=own_of_today)
def undo(request: HouseholdRequest, change: Change) -> HttpResponse:
    """Take a change back; who is no owner may only take back their own."""
    if not request.membership.is_owner and change.by_id != request.user.pk:
        raise PermissionDenied("Somebody else wrote this; ask an owner to undo it.")
    try:
        flash_change(request, undo_change(request.actor, change))
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
    form = BackForm(request.POST, host=request.get_host())
    return redirect(form.cleaned_data["back"] if form.is_valid() else "today:index")
