"""Deleting a household or an account: asked for by name, a week to think it over,
then gone from tables and folder.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta
from typing import Any

from django.apps import apps
from django.core.exceptions import ValidationError
from django.db import models, transaction
from django.db.models import QuerySet
from django.utils import timezone

from kilter.people.actions import keep_an_owner
from kilter.people.history import Actor, note
from kilter.people.models import Household, Membership, User
from kilter.people.writing import writing

DAYS_TO_UNDO = 7


def ask_to_delete_household(actor: Actor, typed: str) -> None:
    """Mark a household to be deleted in a week; its name is typed, so that it is no slip."""
    if typed.strip() != actor.household.name:
        raise ValidationError(
            f"Type the name as it stands here, “{actor.household.name}”, to delete it."
        )
    with writing():
        actor.household.goes_at = timezone.now() + timedelta(days=DAYS_TO_UNDO)
        actor.household.save(update_fields=["goes_at"])
        note(actor.household, actor.user, "The household is to be deleted in a week.")


def keep_household(actor: Actor) -> None:
    """Think it over: the household stays."""
    with writing():
        actor.household.goes_at = None
        actor.household.save(update_fields=["goes_at"])
        note(actor.household, actor.user, "The household stays; it is not deleted.")


def ask_to_delete_account(member: Membership, typed: str) -> None:
    """Mark an account to be deleted in a week;
    what was written stays with the household, without the name.
    """
    user = member.user
    if typed.strip() != user.username:
        raise ValidationError(f"Type the name you sign in with, “{user.username}”, to delete it.")
    with writing():
        if not member.household.goes_at:
            keep_an_owner(member.household, member)
        user.goes_at = timezone.now() + timedelta(days=DAYS_TO_UNDO)
        user.save(update_fields=["goes_at"])


def keep_account(user: User) -> None:
    """Think it over: the account stays."""
    with writing():
        user.goes_at = None
        user.save(update_fields=["goes_at"])


def delete_what_is_due() -> tuple[int, int]:
    """Delete the households and accounts whose week is over; gives how many of each."""
    now = timezone.now()
    households = list(Household.objects.filter(goes_at__lte=now))
    for household in households:
        with writing():  # thought over until the last moment
            if Household.objects.filter(pk=household.pk, goes_at__lte=now).exists():
                delete_household(household)
    users = list(User.objects.filter(goes_at__lte=now).select_related("membership__household"))
    gone = 0
    for user in users:
        with writing():
            member = getattr(user, "membership", None)
            if not User.objects.filter(pk=user.pk, goes_at__lte=now).exists():
                continue
            if member and member.is_owner and not _another_owner(member):
                continue  # the last owner meanwhile: a household is not left without one
            user.delete()
            gone += 1
    return len(households), gone


def _another_owner(member: Membership) -> bool:
    return member.household.memberships.filter(role=member.role).exclude(pk=member.pk).exists()


def delete_household(household: Household) -> None:
    """Delete every row and file of a household; its members keep their names and may join another,
    guests go with it.

    Rows refer to each other in all directions, which the database checks when all of them are gone.
    """
    with writing():
        files: list[tuple[Any, str]] = []
        seen: set[int] = set()
        for rows in _rows_of(household):
            for field in rows.model._meta.concrete_fields:
                if field.related_model is User:
                    seen |= set(
                        rows.exclude(**{field.name: None}).values_list(field.attname, flat=True)
                    )
                if isinstance(field, models.FileField):
                    files += [
                        (field.storage, name) for name in rows.values_list(field.name, flat=True)
                    ]
            rows._raw_delete(rows.db)
        Household.objects.filter(pk=household.pk)._raw_delete("default")
        for person in User.objects.filter(pk__in=seen, membership=None):
            if (
                not person.has_usable_password()
            ):  # who came by a link is nobody without the household
                person.delete()
        transaction.on_commit(lambda: [storage.delete(name) for storage, name in files])


def _rows_of(household: Household) -> Iterator[QuerySet[Any]]:
    """The rows of a household in every table, those first that are found by way of others."""
    found: dict[type[models.Model], str] = {}
    left = [
        model
        for model in apps.get_models(include_auto_created=True)
        if model not in {Household, User}
    ]
    paths = {Household: ""}
    while True:
        grown = {
            model: path
            for model in left
            if model not in found and (path := _path(model, paths | found))
        }
        if not grown:
            break
        found |= grown
    for model in reversed(found):
        keys = model._default_manager.filter(**{found[model]: household}).order_by().values("pk")
        yield model._default_manager.filter(pk__in=list(keys.values_list("pk", flat=True)))


def _path(model: type[models.Model], known: dict[Any, str]) -> str:
    """By which of its keys a table's rows belong to a household; empty where they do not."""
    keys = [field for field in model._meta.concrete_fields if isinstance(field, models.ForeignKey)]
    for field in sorted(keys, key=lambda field: field.related_model is not Household):
        if field.related_model in known and not field.null:
            beyond = known[field.related_model]
            return f"{field.name}__{beyond}" if beyond else field.name
    return ""
