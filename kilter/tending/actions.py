"""Writes of what happened and what was done."""

from __future__ import annotations

import secrets
from collections import defaultdict
from collections.abc import Mapping
from datetime import timedelta
from functools import reduce
from operator import or_
from types import MappingProxyType
from typing import Any

from django.core.files.base import ContentFile
from django.db.models import Q

from kilter.core.growing.ready import CUT_BACK_DAYS
from kilter.core.yields.costs import split_whole
from kilter.ground.models import Place, Site
from kilter.people.actions import save_owned
from kilter.people.history import Actor, Recorder, changing
from kilter.people.models import Change
from kilter.set_out.models import Planting
from kilter.tending.models import Happening, Job, Photo, Repeat
from kilter.tending.pictures import plain_jpeg

#: Of these, foliage is cut for blight and the crop waits in the ground.
LIFTED_LATER = {"potato"}
FIELDS = ("day", "precision", "kind", "what", "until", "lost_share", "done", "helped", "note")


def happened(
    actor: Actor,
    entry: Happening,
    targets: list[tuple[str, Any]],
    lost_each: Mapping[int, float] = MappingProxyType({}),
) -> Change:
    """Write down what happened to each of the targets; a cut-back sets the day to lift from, and
    says so.

    Where it was worse in some places than in others, ``lost_each`` tells their shares by the
    place's key.
    """
    with changing(actor, "") as recorder:
        said = {name: getattr(entry, name) for name in FIELDS}
        made = [
            Happening(household=actor.household, **{kind: record}, **said)
            for kind, record in targets
        ]
        for one, (kind, record) in zip(made, targets, strict=True):
            place = record.pk if kind == "place" else getattr(record, "place_id", None)
            if place is not None and place in lost_each:
                one.lost_share = lost_each[place]
        recorder.make(Happening, made)
        where = str(targets[0][1]) if len(targets) == 1 else f"{len(targets)} places"
        says = f"{entry.words} is noted for {where}, {entry.when}."
        if entry.kind == Happening.Kind.CUT_BACK:
            says += _wait(recorder, actor, entry, targets)
        recorder.change.says = says[:200]
    return recorder.change


def _wait(
    recorder: Recorder, actor: Actor, entry: Happening, targets: list[tuple[str, Any]]
) -> str:
    lift_from = entry.when.latest + timedelta(days=CUT_BACK_DAYS)
    standing = Planting.objects.of(actor.household).filter(
        finished_on=None, crop__name__in=LIFTED_LATER
    )
    by_kind: dict[str, list[int]] = defaultdict(list)
    for kind, record in targets:
        by_kind[_through(kind)].append(record.pk)
    found = standing.filter(
        reduce(or_, (Q(**{f"{way}__in": keys}) for way, keys in by_kind.items()))
    )
    count = len(found)
    recorder.update(found, lift_from=lift_from)
    return (
        f" To be lifted from {lift_from.day} {lift_from:%B}: {count} planting{'s' * (count != 1)}."
        if count
        else ""
    )


def _through(kind: str) -> str:
    return {"site": "place__site", "place": "place", "part": "part", "planting": "pk"}[kind]


def change_happening(actor: Actor, entry: Happening) -> Change:
    """Save a changed happening."""
    return save_owned(actor, entry, f"{entry} is saved.")


def do(actor: Actor, entry: Job, targets: list[tuple[str, Any]], cleaned: dict[str, Any]) -> Change:
    """Write down a job for each of the targets; minutes and litres are shared among them."""
    by_volume = cleaned.get("shared") != "equal"
    weights = [_volume(record) for _, record in targets] if by_volume else []
    if not weights or not all(weights):
        weights = [1.0] * len(targets)
    seconds = _shared(cleaned.get("minutes"), 60, [1.0] * len(targets))
    water_ml = _shared(cleaned.get("litres"), 1000, weights)
    with changing(actor, "") as recorder:
        made = [
            Job(
                household=actor.household,
                day=entry.day,
                precision=entry.precision,
                job=entry.job.strip().lower(),
                is_skipped=entry.is_skipped,
                note=entry.note,
                seconds=s,
                water_ml=ml,
                **{kind: record},
            )
            for (kind, record), s, ml in zip(targets, seconds, water_ml, strict=True)
        ]
        recorder.make(Job, made)
        where = str(targets[0][1]) if len(targets) == 1 else f"{len(targets)} of them"
        recorder.change.says = f"{made[0]}: {where}."[:200]
    return recorder.change


def repeat(actor: Actor, entry: Repeat, targets: list[tuple[str, Any]]) -> Change:
    """Let a job come back for each of the targets."""
    entry.job = entry.job.strip().lower()
    where = str(targets[0][1]) if len(targets) == 1 else f"{len(targets)} of them"
    with changing(actor, f"{entry}: {where}.") as recorder:
        said = {
            name: getattr(entry, name)
            for name in ("job", "first_on", "every_days", "until", "note")
        }
        made = [
            Repeat(household=actor.household, **said, **{kind: record}) for kind, record in targets
        ]
        recorder.make(Repeat, made)
    return recorder.change


def _shared(amount: float | None, scale: int, weights: list[float]) -> list[int | None]:
    if amount is None:
        return [None] * len(weights)
    return list(split_whole(round(amount * scale), weights))


def _volume(record: Site | Place | Planting) -> float:
    place = record.place if isinstance(record, Planting) else record
    return (isinstance(place, Place) and place.volume_l) or 0.0


def add_photo(actor: Actor, photo: Any, cleaned: dict[str, Any], **of: Any) -> Change:
    """Keep a photograph: upright, smaller, without its location."""
    jpeg, width, height = plain_jpeg(photo)
    kept = Photo(
        household=actor.household,
        day=cleaned["day"],
        caption=cleaned["caption"],
        width=width,
        height=height,
        **of,
    )
    kept.file.save(f"{secrets.token_hex(12)}.jpg", ContentFile(jpeg), save=False)
    try:
        return save_owned(
            actor, kept, f"The photograph is kept{f': {kept.caption}' if kept.caption else ''}."
        )
    except BaseException:
        kept.file.delete(save=False)  # a file that no record tells of is nobody's
        raise
