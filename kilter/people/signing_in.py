"""Who is signed in: the person, their place in a household and the household,
read together; and how it is kept.
"""

from __future__ import annotations

import logging
import os
import sys
import threading
import unicodedata
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

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
from django_ratelimit.core import get_usage

from kilter.core.errors import KilterError
from kilter.people.history import note
from kilter.people.models import Membership, SignIn, User

log = logging.getLogger("kilter.people")
#: A hash takes memory and a core on purpose. One is worked out at a time, by a thread that gives
#: way to all others; one more waits for it, this long at most, and who comes then is asked to come
#: again.
HASHES_HELD, HASH_WAITS_S = 2, 15.0
#: As a search for a fit: lower still, and beside one a sign-in would not come to its end.
NICE = 10
_held = threading.BoundedSemaphore(HASHES_HELD)
#: Wrong passwords over all names, from one address and on the whole server.
ADDRESS_LIMIT, SERVER_LIMIT = "30/10m", "300/10m"
#: What a device keeps that somebody has signed in on: the limit of the whole server does not keep
#: it out.
KNOWN_COOKIE, KNOWN_FOR_S = "kilter-known", 60 * 60 * 24 * 180
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


class TooBusyError(KilterError):
    """More passwords wait to be looked at than can be soon."""


def _give_way() -> None:
    """Let every other thread of the machine go before this one,
    where the system can tell threads apart.
    """
    if sys.platform == "linux":
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), NICE)


_hashing = ThreadPoolExecutor(1, "hash", initializer=_give_way)
_Made = TypeVar("_Made")


def patiently(work: Callable[[], _Made]) -> _Made:
    """Do one piece of hashing when its turn comes; a `TooBusyError` where that is not soon."""
    if not _held.acquire(blocking=False):
        raise TooBusyError
    made = _hashing.submit(work)
    try:
        return made.result(HASH_WAITS_S)
    except TimeoutError:
        made.cancel()
        raise TooBusyError from None
    finally:
        _held.release()


class PatientHasher(Argon2PasswordHasher):
    """Argon2 as Django has it, on one core and one at a time:
    many sign-ins do not take the machine from the bench.
    """

    parallelism = 1

    def encode(self, password: str, salt: str) -> str:
        return patiently(lambda: super(PatientHasher, self).encode(password, salt))

    def verify(self, password: str, encoded: str) -> bool:
        return patiently(lambda: super(PatientHasher, self).verify(password, encoded))


def may_sign_up() -> bool:
    """Whether anybody may begin a household here: always, never,
    or only the first of all (unless said otherwise).
    """
    if settings.KILTER_SIGNUP == "open":
        return True
    return settings.KILTER_SIGNUP != "closed" and not User.objects.exists()


def one_name(request: HttpRequest | None, credentials: dict[str, Any] | None) -> str:
    """A name as wrong passwords are counted for it: however it is written,
    as the sign-in reads it.
    """
    typed = (credentials or {}).get("username") or (
        request.POST.get("username", "") if request else ""
    )
    return unicodedata.normalize("NFKC", str(typed)).casefold()


def _usage(
    request: HttpRequest, rate: str, *, of_server: bool, is_failure: bool
) -> dict[str, Any] | None:
    key = (lambda _group, _request: "server") if of_server else "ip"
    found: dict[str, Any] | None = get_usage(
        request, "sign-in", key=key, rate=rate, increment=is_failure
    )
    return found


def is_known(request: HttpRequest) -> bool:
    """Whether somebody has signed in on this device before."""
    return bool(request.get_signed_cookie(KNOWN_COOKIE, "", salt=KNOWN_COOKIE, max_age=KNOWN_FOR_S))


def remember_device(response: HttpResponse, user: User) -> HttpResponse:
    """Know this device again, whoever fills the server's limit."""
    response.set_signed_cookie(
        KNOWN_COOKIE,
        str(user.pk),
        salt=KNOWN_COOKIE,
        max_age=KNOWN_FOR_S,
        httponly=True,
        samesite="Lax",
        secure=settings.IS_HTTPS,
    )
    return response


def must_wait(request: HttpRequest) -> bool:
    """Whether too many wrong passwords came from this address, or anywhere;
    before any of them is looked at.
    """
    of_address = _usage(request, ADDRESS_LIMIT, of_server=False, is_failure=False)
    of_server = (
        None
        if is_known(request)
        else _usage(request, SERVER_LIMIT, of_server=True, is_failure=False)
    )
    # The one that fills the limit is counted, and from then on the limit is reached.
    return any(
        found is not None and found["count"] >= found["limit"] for found in (of_address, of_server)
    )


def too_often(request: HttpRequest, *_: Any, **__: Any) -> HttpResponse:
    """What is shown after too many wrong passwords."""
    words = (
        "Too many wrong passwords. Wait ten minutes, then try again, or ask an owner for a "
        "link to set a new one."
    )
    answer = render(request, "site/error.html", {"title": "Not now", "words": words}, status=429)
    answer["Retry-After"] = "600"
    return answer


@receiver(user_logged_in)
def _began(request: HttpRequest | None, user: User, **_: Any) -> None:
    if request is None or not request.session.session_key:
        return
    agent = request.headers.get("User-Agent", "")[:AGENT_LENGTH]
    SignIn.objects.update_or_create(
        session_key=request.session.session_key, defaults={"user": user, "agent": agent}
    )
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
    log.warning(
        "a sign-in failed from %s", request.META.get("REMOTE_ADDR") if request else "a command"
    )
    if request is not None:
        _usage(request, ADDRESS_LIMIT, of_server=False, is_failure=True)
        _usage(request, SERVER_LIMIT, of_server=True, is_failure=True)
    member = Membership.objects.filter(
        user__username__iexact=credentials.get("username") or ""
    ).first()
    # Told once in a while: somebody who tries many passwords does not fill the page.
    if member is not None and cache.add(f"kilter-failed-{member.pk}", 1, FAILED_TOLD_EVERY_S):
        note(member.household, None, f"A wrong password was given for {member.user}.")


def sign_ins_of(user: User) -> list[SignIn]:
    """Where somebody is signed in now; what has run out is forgotten."""
    known = list(SignIn.objects.filter(user=user))
    alive = set(
        Session.objects.filter(session_key__in=[one.session_key for one in known]).values_list(
            "pk", flat=True
        )
    )
    gone = [one.pk for one in known if one.session_key not in alive]
    if gone:
        SignIn.objects.filter(pk__in=gone).delete()
    return [one for one in known if one.session_key in alive]


def end_sign_ins(user: User, keys: list[str]) -> None:
    """End some of somebody's sessions."""
    Session.objects.filter(pk__in=keys).delete()
    SignIn.objects.filter(user=user, session_key__in=keys).delete()
