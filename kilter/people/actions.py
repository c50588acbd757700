"""Writes on people: sign-up, joining, the household's settings, eaters;
saving and striking one record.
"""

from __future__ import annotations

import secrets
from datetime import timedelta

from django.core.exceptions import PermissionDenied
from django.http import Http404
from django.utils import timezone

from kilter.people.forms import SignUpForm
from kilter.people.guests import known_again, link_ended
from kilter.people.history import Actor, changing, note
from kilter.people.models import (
    INVITE_DAYS,
    BenchLink,
    Change,
    Household,
    Invite,
    Membership,
    Owned,
    Role,
    User,
)
from kilter.people.writing import writing


def sign_up(form: SignUpForm) -> User:
    """Make a user and a household of which they are the owner."""
    with writing():
        user = form.save()
        household = Household.objects.create(
            name=form.cleaned_data["household_name"], time_zone=form.cleaned_data["time_zone"]
        )
        Membership.objects.create(user=user, household=household, role=Role.OWNER)
    return user


def open_invites(household: Household) -> list[Invite]:
    """The links to join that can still be used."""
    since = timezone.now() - timedelta(days=INVITE_DAYS)
    return list(
        Invite.objects.filter(household=household, used_at=None, created_at__gte=since).order_by(
            "pk"
        )
    )


def open_invite(token: str) -> Invite:
    """Find an invite that can still be used."""
    since = timezone.now() - timedelta(days=INVITE_DAYS)
    invite = Invite.objects.select_related("household").filter(
        token=token, used_at=None, created_at__gte=since
    )
    if found := invite.first():
        return found
    raise Http404("This link was used or has run out; ask an owner of the household for a new one.")


def join(invite: Invite, user: User) -> Membership:
    """Use an invite up."""
    with writing():
        if not Invite.objects.filter(pk=invite.pk, used_at=None).update(used_at=timezone.now()):
            raise PermissionDenied("Somebody used this link a moment ago; ask for a new one.")
        user.save()
        note(invite.household, user, f"Joined by a link: {invite.get_role_display()}.")
        return Membership.objects.create(user=user, household=invite.household, role=invite.role)


def make_invite(actor: Actor, invite: Invite) -> Invite:
    """Make a link by which one person joins."""
    with writing():
        invite.household = actor.household
        invite.save()
        note(
            actor.household, actor.user, f"A link was made to join as {invite.get_role_display()}."
        )
    return invite


def make_bench_link(actor: Actor, link: BenchLink) -> None:
    """Make a link by which helpers come to the bench."""
    with writing():
        link.household = actor.household
        link.save()
        note(actor.household, actor.user, f"A link to the bench was made for {link}.")


def open_bench_link(token: str) -> BenchLink:
    """Find a link to the bench that was not ended."""
    link = BenchLink.objects.select_related("household").filter(token=token, ended_at=None).first()
    if link is None:
        raise Http404("This link was ended; ask an owner of the household for a new one.")
    return link


def join_by_link(link: BenchLink, name: str, known: str = "") -> User:
    """Let a helper in by a link: a user of their own without a password, so that each line says who
    wrote it.

    Somebody whom the device knows by the tokens it keeps is the same again, and the lines that wait
    there are sent.
    """
    if again := known_again(known, link, name):
        return again
    with writing():
        user = User(username=f"{name}-{secrets.token_hex(3)}", first_name=name)
        user.set_unusable_password()
        user.save()
        Membership.objects.create(user=user, household=link.household, role=Role.BENCH, link=link)
        note(link.household, user, f"Came to the bench by the link for {link}.")
    return user


def end_bench_link(actor: Actor, link: BenchLink) -> int:
    """End a link; whoever came by it is out at once. Their lines stay."""
    with writing():
        link.ended_at = timezone.now()
        link.save(update_fields=["ended_at"])
        gone = link.memberships.count()
        User.objects.filter(membership__link=link).update(is_active=False)
        link.memberships.all().delete()
        note(actor.household, actor.user, f"The link to the bench for {link} was ended.")
    link_ended(link)
    return gone


def remove_member(actor: Actor, membership: Membership) -> None:
    """End a membership; a household keeps at least one owner."""
    with writing():
        keep_an_owner(actor.household, membership)
        membership.delete()
        says = (
            "Left the household."
            if actor.user == membership.user
            else f"{membership.user} is no member any more."
        )
        note(actor.household, actor.user, says)


def change_role(actor: Actor, membership: Membership, role: str) -> None:
    """Say what a member may do; a household keeps at least one owner."""
    with writing():
        if role != Role.OWNER:
            keep_an_owner(actor.household, membership)
        membership.role = role
        membership.save(update_fields=["role"])
        note(
            actor.household,
            actor.user,
            f"{membership.user} is now {membership.get_role_display()}.",
        )


def withdraw_invite(actor: Actor, invite: Invite) -> None:
    """Take a link to join back."""
    with writing():
        note(
            actor.household,
            actor.user,
            f"The link to join as {invite.get_role_display()} was withdrawn.",
        )
        invite.delete()


def rejoin(invite: Invite, user: User) -> Membership:
    """Let somebody in again who has a name and a password but belongs to no household any more."""
    with writing():
        if not Invite.objects.filter(pk=invite.pk, used_at=None).update(used_at=timezone.now()):
            raise PermissionDenied("Somebody used this link a moment ago; ask for a new one.")
        note(invite.household, user, f"Came back by a link: {invite.get_role_display()}.")
        return Membership.objects.create(user=user, household=invite.household, role=invite.role)


def new_epoch(user: User) -> None:
    """Sign a person out everywhere."""
    with writing():
        user.epoch += 1
        user.save(update_fields=["epoch"])


def keep_an_owner(household: Household, leaving: Membership) -> None:
    """Refuse to take the last owner from a household."""
    if not household.memberships.filter(role=Role.OWNER).exclude(pk=leaving.pk).exists():
        raise PermissionDenied(
            "A household keeps at least one owner; make somebody else an owner first."
        )


def save_owned(actor: Actor, record: Owned, says: str) -> Change:
    """Save one record as this household's."""
    record.household = actor.household
    with changing(actor, says) as recorder:
        recorder.save(record)
    return recorder.change


def strike(actor: Actor, record: Owned, says: str) -> Change:
    """Take a record out of use; it can be put back."""
    record.check_can_be_struck()
    with changing(actor, says) as recorder:
        recorder.strike(record)
    return recorder.change


def save_household(actor: Actor, household: Household) -> Change:
    """Save how a household weighs and reads."""
    with changing(actor, "The household's settings are saved.") as recorder:
        recorder.save(household)
    return recorder.change
