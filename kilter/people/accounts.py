"""One's own account: password, where one is signed in, leaving;
and what owners do for members who cannot.
"""

from __future__ import annotations

import logging

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import login, logout, update_session_auth_hash
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.tokens import default_token_generator
from django.core.cache import cache
from django.core.exceptions import PermissionDenied, ValidationError
from django.core.mail import send_mail
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.utils.http import urlsafe_base64_decode, urlsafe_base64_encode
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_http_methods

from kilter.people import actions, leaving, server
from kilter.people.access import Who, page_for
from kilter.people.forms import (
    ForgottenForm,
    MailForm,
    NewPasswordForm,
    OwnPasswordForm,
    RoleForm,
    TypedNameForm,
)
from kilter.people.history import note
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Household, Invite, Membership, SignIn, User
from kilter.people.signing_in import end_sign_ins, sign_ins_of

log = logging.getLogger("kilter.people")
#: A person is written to so often at most.
LETTER_EVERY_S = 600
BACKEND = "kilter.people.signing_in.HouseholdBackend"


def own_sign_ins(household: Household) -> object:
    """Everybody's of a household; the views take one's own only."""
    return SignIn.objects.filter(user__membership__household=household)


def members(household: Household) -> object:
    """Members with a password of their own; who came by a link has none."""
    return Membership.objects.filter(household=household, link=None).select_related("user")


@page_for(reads=Who.MEMBER, writes=Who.MEMBER)
def account(request: HouseholdRequest) -> HttpResponse:
    """Change one's password; see where one is signed in."""
    user = _person(request)
    form = OwnPasswordForm(user, request.POST or None)
    if request.method == "POST" and form.is_valid():
        was = request.session.session_key or ""
        form.save()
        update_session_auth_hash(request, user)
        SignIn.objects.filter(session_key=was).update(session_key=request.session.session_key)
        messages.success(
            request,
            "Your password is changed. Whoever was signed in with the old one is signed out.",
        )
        return redirect("people:account")
    here = request.session.session_key
    context = {
        "form": form,
        "sign_ins": [(one, one.session_key == here) for one in sign_ins_of(user)],
        "mail_form": MailForm(instance=user) if settings.KILTER_MAIL else None,
        "delete_form": TypedNameForm(label="The name you sign in with, typed out"),
    }
    return render(request, "people/account.html", context, status=422 if form.errors else 200)


@page_for(writes=Who.MEMBER)
def mail(request: HouseholdRequest) -> HttpResponse:
    """Say where a letter with a link to a new password goes."""
    form = MailForm(request.POST, instance=_person(request))
    if form.is_valid():
        form.save()
        messages.success(
            request,
            "Your address is kept." if form.instance.email else "Your address is taken out.",
        )
    else:
        messages.error(request, " ".join(map(str, form.errors["email"])))
    return redirect("people:account")


@page_for(writes=Who.MEMBER)
def delete_account(request: HouseholdRequest) -> HttpResponse:
    """Ask for one's account to be deleted, or think it over."""
    user = _person(request)
    if "keep" in request.POST:
        leaving.keep_account(user)
        messages.success(request, "Your account stays.")
        return redirect("people:account")
    form = TypedNameForm(request.POST)
    try:
        leaving.ask_to_delete_account(
            request.membership, form.cleaned_data["typed"] if form.is_valid() else ""
        )
        messages.success(
            request, "Your account is deleted in a week, unless you think it over here."
        )
    except (ValidationError, PermissionDenied) as error:
        messages.error(request, " ".join(getattr(error, "messages", [str(error)])))
    return redirect("people:account")


@page_for(writes=Who.OWNER)
def delete_household(request: HouseholdRequest) -> HttpResponse:
    """Ask for the household to be deleted with all that was written, or think it over."""
    if "keep" in request.POST:
        leaving.keep_household(request.actor)
        messages.success(request, "The household stays.")
        return redirect("people:household")
    form = TypedNameForm(request.POST)
    try:
        leaving.ask_to_delete_household(
            request.actor, form.cleaned_data["typed"] if form.is_valid() else ""
        )
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
    return redirect("people:household")


@login_not_required
@never_cache
@require_http_methods(["GET", "HEAD", "POST"])
def forgotten(request: HttpRequest) -> HttpResponse:
    """Send a letter with a link to a new password, where mail is set up;
    whether there is such a person is not told.
    """
    if not settings.KILTER_MAIL:
        raise Http404(
            "This server sends no letters; ask an owner of the household for a link to a new "
            "password."
        )
    form = ForgottenForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        send_password_link(request, form.cleaned_data["username"])
        messages.success(
            request, "If there is such a person and their address is known, a letter is on its way."
        )
        return redirect("people:sign_in")
    return render(
        request, "people/forgotten.html", {"form": form}, status=422 if form.errors else 200
    )


def send_password_link(request: HttpRequest, name: str) -> None:
    """Write to somebody by the name they sign in with; once in ten minutes,
    and only where their address is known.
    """
    try:
        user = User.objects.get_by_natural_key(name)
    except User.DoesNotExist:
        return
    if (
        not user.email
        or not user.is_active
        or not cache.add(f"kilter-letter-{user.pk}", 1, LETTER_EVERY_S)
    ):
        return
    address = request.build_absolute_uri(password_link(user))
    asked = f"Somebody asked for a new password for {user}. Set it here, within three days:"
    text = f"{asked}\n\n{address}\n\nIf it was not you, do nothing: the old one stays.\n"
    try:
        send_mail("A new password for Kilter", text, None, [user.email])
    except OSError:
        log.exception("a letter could not be sent")


@page_for(writes=Who.MEMBER, of=own_sign_ins)  # type: ignore[arg-type]
def end_sign_in(request: HouseholdRequest, found: SignIn) -> HttpResponse:
    """Sign out somewhere else."""
    if found.user_id != request.user.pk:
        raise Http404("This is somebody else's.")
    end_sign_ins(_person(request), [found.session_key])
    messages.success(request, "That device is signed out.")
    return redirect("people:account")


@page_for(writes=Who.MEMBER)
def sign_out_everywhere(request: HouseholdRequest) -> HttpResponse:
    """End every session of one's own, this one too."""
    user = _person(request)
    actions.new_epoch(user)
    end_sign_ins(user, [one.session_key for one in user.sign_ins.all()])
    logout(request)
    return redirect("people:sign_in")


@page_for(writes=Who.MEMBER)
def leave(request: HouseholdRequest) -> HttpResponse:
    """Leave the household; what was written stays, and a household keeps at least one owner."""
    actions.remove_member(request.actor, request.membership)
    logout(request)
    messages.success(
        request, "You have left the household. A new link lets you in again, with the same name."
    )
    return redirect("people:sign_in")


@page_for(writes=Who.OWNER, of=members)  # type: ignore[arg-type]
def change_role(request: HouseholdRequest, found: Membership) -> HttpResponse:
    """Say what a member may do: make somebody an owner, or take it back."""
    form = RoleForm(request.POST)
    if form.is_valid():
        actions.change_role(request.actor, found, form.cleaned_data["role"])
        messages.success(request, f"{found.user} is now {found.get_role_display()}.")
    return redirect("people:household")


@page_for(writes=Who.OWNER, of=members)  # type: ignore[arg-type]
def make_password_link(request: HouseholdRequest, found: Membership) -> HttpResponse:
    """A link by which a member sets a new password; it works once, for three days."""
    request.session["password_link"] = [
        str(found.user),
        request.build_absolute_uri(password_link(found.user)),
    ]
    return redirect("people:household")


@page_for(
    writes=Who.OWNER, of=lambda household: Invite.objects.filter(household=household, used_at=None)
)
def withdraw_invite(request: HouseholdRequest, found: Invite) -> HttpResponse:
    """Take a link to join back."""
    actions.withdraw_invite(request.actor, found)
    messages.success(request, "That link works no more.")
    return redirect("people:household")


@page_for(writes=Who.OWNER)
def trust_day(request: HouseholdRequest) -> HttpResponse:
    """Say that the date of the server is right, so that what is due may be deleted again."""
    server.trust_day(timezone.localdate())
    note(request.household, request.actor.user, "The server's date is right.")
    messages.success(request, "The server's date counts again.")
    return redirect("people:household")


def password_link(user: User) -> str:
    """The address by which somebody sets a new password."""
    key = urlsafe_base64_encode(str(user.pk).encode())
    return reverse("people:set_password", args=[key, default_token_generator.make_token(user)])


@login_not_required
@never_cache
@require_http_methods(["GET", "HEAD", "POST"])
def set_password(request: HttpRequest, key: str, token: str) -> HttpResponse:
    """Set a new password by a link; whoever was signed in with the old one is out."""
    try:
        user = User.objects.filter(
            pk=int(urlsafe_base64_decode(key).decode()), is_active=True
        ).first()
    except (ValueError, OverflowError):
        user = None
    if user is None or not default_token_generator.check_token(user, token):
        raise Http404(
            "This link was used or has run out; ask an owner of the household for a new one."
        )
    form = NewPasswordForm(user, request.POST or None)
    if request.method == "POST" and form.is_valid():
        form.save()
        login(request, user, backend=BACKEND)
        return redirect("today:index")
    context = {"form": form, "who": user}
    return render(request, "people/set_password.html", context, status=422 if form.errors else 200)


def _person(request: HouseholdRequest) -> User:
    """Who is signed in, with a password of their own."""
    user = request.user
    if not isinstance(user, User) or not user.has_usable_password():
        raise PermissionDenied(
            "You came in without a password, so there is none to change; ask an owner for a link "
            "to join."
        )
    return user
