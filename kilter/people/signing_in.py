"""Who is signed in: the person, their place in a household and the household, read together; and how it is kept."""

from __future__ import annotations

import logging
import threading
from typing import Any

from django.conf import settings
from django.contrib.auth.backends import ModelBackend
from django.contrib.auth.hashers import Argon2PasswordHasher
from django.contrib.auth.signals import user_logged_in, user_logged_out, user_login_failed
from django.contrib.sessions.models import Session
from django.core.cache import cache
from django.core.exceptions import ObjectDoesNotExist
from django.dispatch import receiver
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from kilter.people.history import note
from kilter.people.models import Membership, SignIn, User

log = logging.getLogger("kilter.people")
#: A hash takes memory and a core on purpose; so many are worked out at once, the rest wait.
HASHES_AT_ONCE = 2
_hashing = threading.BoundedSemaphore(HASHES_AT_ONCE)
AGENT_LENGTH = 200
FAILED_TOLD_EVERY_S = 600


class HouseholdBackend(ModelBackend):
    """Signs in by name and password; every request then reads person and household in one query."""

    def get_user(self, user_id: int) -> User | None:
        try:
            user = User.objects.select_related("membership__household").get(pk=user_id)
        except ObjectDoesNotExist:
            return None
        return user if self.user_can_authenticate(user) else None


class PatientHasher(Argon2PasswordHasher):
    """Argon2 as Django has it, a few at a time: many sign-ins at once do not take the machine down."""

    def encode(self, password: str, salt: str) -> str:
        with _hashing:
            return super().encode(password, salt)

    def verify(self, password: str, encoded: str) -> bool:
        with _hashing:
            return super().verify(password, encoded)


def may_sign_up() -> bool:
    """Whether anybody may begin a household here: always, never, or only the first of all (unless said otherwise)."""
    if settings.KILTER_SIGNUP == "open":
        return True
    return settings.KILTER_SIGNUP != "closed" and not User.objects.exists()


def too_often(request: HttpRequest, *_: Any, **__: Any) -> HttpResponse:
    """What is shown after too many wrong passwords."""
    words = "Too many wrong passwords. Wait ten minutes, then try again, or ask an owner for a link to set a new one."
    return render(request, "site/error.html", {"title": "Not now", "words": words}, status=429)


@receiver(user_logged_in)
def _began(request: HttpRequest | None, user: User, **_: Any) -> None:
    if request is None or not request.session.session_key:
        return
    agent = request.headers.get("User-Agent", "")[:AGENT_LENGTH]
    SignIn.objects.update_or_create(session_key=request.session.session_key, defaults={"user": user, "agent": agent})
    log.info("signed in: %s", user.pk)
    member = getattr(user, "membership", None)
    if member is not None and member.link_id is None and not member.household.is_demo:
        note(member.household, user, "Signed in.")


@receiver(user_logged_out)
def _ended(request: HttpRequest, user: User | None, **_: Any) -> None:
    SignIn.objects.filter(session_key=request.session.session_key or "").delete()
    log.info("signed out: %s", user.pk if user else None)


@receiver(user_login_failed)
def _failed(credentials: dict[str, Any], request: HttpRequest | None = None, **_: Any) -> None:
    log.warning("a sign-in failed from %s", request.META.get("REMOTE_ADDR") if request else "a command")
    member = Membership.objects.filter(user__username__iexact=credentials.get("username") or "").first()
    # Told once in a while: somebody who tries many passwords does not fill the page.
    if member is not None and cache.add(f"kilter-failed-{member.pk}", 1, FAILED_TOLD_EVERY_S):
        note(member.household, None, f"A wrong password was given for {member.user}.")


def sign_ins_of(user: User) -> list[SignIn]:
    """Where somebody is signed in now; what has run out is forgotten."""
    known = list(SignIn.objects.filter(user=user))
    alive = set(Session.objects.filter(session_key__in=[one.session_key for one in known]).values_list("pk", flat=True))
    gone = [one.pk for one in known if one.session_key not in alive]
    if gone:
        SignIn.objects.filter(pk__in=gone).delete()
    return [one for one in known if one.session_key in alive]


def end_sign_ins(user: User, keys: list[str]) -> None:
    """End some of somebody's sessions."""
    Session.objects.filter(pk__in=keys).delete()
    SignIn.objects.filter(user=user, session_key__in=keys).delete()
