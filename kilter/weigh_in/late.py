"""Lines that came after their link was ended: kept apart until an owner says yes or no."""

from __future__ import annotations

from typing import Any, cast

from django.core.exceptions import ValidationError
from django.db.models import QuerySet
from django.utils import timezone

from kilter.core.errors import KilterError
from kilter.people.events import MAX_EVENTS, EventError
from kilter.people.history import Actor, changing
from kilter.people.models import BenchLink, Change, Household, User
from kilter.people.writing import writing
from kilter.weigh_in.events import BENCH
from kilter.weigh_in.models import LateLine, WeighIn

#: Of one link; more than a harvest day's worth is no harvest.
MOST_LATE = MAX_EVENTS


def keep_late(user: User, link: BenchLink, sent: list[Any]) -> list[str]:
    """Keep what a guest sends late, each once; gives the ids that are kept.

    What is no line is left where it is.
    """
    kept = []
    with writing():
        room = MOST_LATE - LateLine.objects.filter(link=link).count()
        for one in sent:
            raw = one.get("event") if isinstance(one, dict) else None
            try:
                event = BENCH.event(raw)
            except KilterError:
                continue
            known = LateLine.objects.filter(
                household=link.household, client_id=event.client_id
            ).exists()
            known = (
                known
                or WeighIn.objects.ever_of(link.household)
                .filter(client_id=event.client_id)
                .exists()
            )
            if not known:
                if room <= 0:
                    break
                room -= 1
                words = (
                    str(one.get("words") or "")[:200].encode("utf-8", "replace").decode()
                    or "a line"
                )
                line = LateLine(
                    household=link.household, client_id=event.client_id, by=user, link=link
                )
                line.event, line.words = cast(dict[str, Any], raw), words
                line.save()
            kept.append(event.client_id)
    return kept


def waiting_late(household: Household) -> QuerySet[LateLine]:
    """What waits for an owner's yes or no, oldest first."""
    return LateLine.objects.filter(household=household, settled_at=None).select_related(
        "by", "link"
    )


def accept(actor: Actor, late: LateLine) -> Change:
    """Take a late line onto the tape, as its guest's; a late striking strikes."""
    with writing():
        if late.by is None:
            raise ValidationError("Who wrote it is not known any more; write the line yourself.")
        try:
            event = BENCH.event({**late.event, "is_sure": True})
        except EventError as error:
            raise ValidationError(str(error)) from error
        _, refused = BENCH.store(Actor(actor.household, late.by), [event])
        if refused:
            raise ValidationError(f"{late}: {refused[0].reason}")
        return _settle(actor, late, f"Kept on the tape: {late} of {late.by}.")


def refuse(actor: Actor, late: LateLine) -> Change:
    """Leave a late line out; undoing brings it back to be asked about."""
    return _settle(actor, late, f"Left out: {late} of {late.by}.")


def _settle(actor: Actor, late: LateLine, says: str) -> Change:
    late.settled_at = timezone.now()
    with changing(actor, says) as recorder:
        recorder.save(late)
    return recorder.change
