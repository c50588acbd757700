"""The token that a link to the bench leaves on a device: it makes a guest known again,
and late lines theirs.
"""

from __future__ import annotations

import json

from django.core import signing
from django.core.cache import cache

from kilter.people.models import BenchLink, User

SALT = "kilter.guest"
MOST_TOKENS = 20
#: A device is known for half a year after it was last at the bench.
HOLDS_S = 60 * 60 * 24 * 180
KEPT_S = 60 * 60 * 25


def token_of(user: User, link: BenchLink) -> str:
    """What the device keeps of a guest: who they are and by which link they came, signed."""
    return signing.dumps([user.pk, link.pk], salt=SALT)


def guest_of(token: str) -> tuple[User, BenchLink] | None:
    """Whose token it is; None where it was not given here."""
    try:
        user_pk, link_pk = signing.loads(token, salt=SALT, max_age=HOLDS_S)
    except (signing.BadSignature, ValueError, TypeError):
        return None
    user, link = (
        User.objects.filter(pk=user_pk).first(),
        BenchLink.objects.filter(pk=link_pk).first(),
    )
    return (user, link) if user and link else None


def link_ended(link: BenchLink) -> None:
    """Remember that a link is ended for as long as a key to the scale that it gave could still be
    shown.
    """
    cache.set(f"kilter-ended-{link.pk}", 1, KEPT_S)


def is_ended(link_pk: int) -> bool:
    """Whether a link was ended since the server started; asks no database."""
    return cache.get(f"kilter-ended-{link_pk}") is not None


def known_again(tokens: str, link: BenchLink, name: str) -> User | None:
    """Of the guests that a device knows, a JSON list of their tokens,
    the one of this link and name.
    """
    try:
        kept = json.loads(tokens or "[]")
    except (ValueError, RecursionError):
        return None
    for token in kept[:MOST_TOKENS] if isinstance(kept, list) else []:
        found = guest_of(str(token))
        if found is None or found[1] != link:
            continue
        user = found[0]
        if (
            user.is_active
            and user.first_name.casefold() == name.casefold()
            and link.memberships.filter(user=user)
        ):
            return user
    return None
