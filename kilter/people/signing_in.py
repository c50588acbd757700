"""Who is signed in: the person, their place in a household and the household, read together."""

from __future__ import annotations

from django.contrib.auth.backends import ModelBackend
from django.core.exceptions import ObjectDoesNotExist

from kilter.people.models import User


class HouseholdBackend(ModelBackend):
    """Signs in by name and password; every request then reads person and household in one query."""

    def get_user(self, user_id: int) -> User | None:
        try:
            user = User.objects.select_related("membership__household").get(pk=user_id)
        except ObjectDoesNotExist:
            return None
        return user if self.user_can_authenticate(user) else None
