"""Writes beside the events of the bench: weighing later, putting right, from memory,
renaming, photographs.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date
from typing import Any

from django.core.exceptions import ValidationError
from django.db.models import Max, QuerySet

from kilter.core.amounts.units import BenchLine, format_mass
from kilter.core.amounts.weighing import net_mass_mg, pile_on, unripe_left
from kilter.core.errors import KilterError
from kilter.core.yields.costs import split_whole
from kilter.core.yields.visits import FIRST
from kilter.people import clock
from kilter.people.actions import save_owned
from kilter.people.history import Actor, changing
from kilter.people.models import Change
from kilter.people.writing import writing
from kilter.set_out.actions import variety_named
from kilter.set_out.models import Planting
from kilter.tending.actions import add_photo
from kilter.weigh_in.models import (
    CORRECTED,
    Bowl,
    OwnMeasure,
    Renaming,
    SinglePlant,
    SplitBy,
    WeighIn,
)


def add_photo_to(actor: Actor, line: WeighIn, cleaned: dict[str, Any]) -> Change:
    """Keep a photograph with a line; taken out again, it is out of the line too."""
    with writing():
        change = add_photo(actor, cleaned["photo"], cleaned, planting=line.planting)
        line.photos.add(change.saved[0])
    return change


def weigh(actor: Actor, line: WeighIn, said: BenchLine, bowl: Bowl | None) -> Change:
    """Give a line that waited its weight."""
    if said.mass is None:
        raise ValidationError("Type what the scale shows, such as 940 g.")
    line.loads, line.bowl = said.loads, bowl
    line.tare_mg = bowl.mass_mg * said.loads if bowl else 0
    line.reading_mg = said.mass.mass_mg
    line.mass_mg = _net(line.reading_mg, line.tare_mg)
    line.count = line.count if said.count is None else said.count
    line.waits = False
    return save_owned(actor, line, f"{line} was weighed.")


def weigh_together(
    actor: Actor, lines: Sequence[WeighIn], said: BenchLine, bowl: Bowl | None, day: date | None
) -> Change:
    """Give lines that waited the weight of one basket, split by their counts; they become its
    lines, so that nothing is counted twice.
    """
    counts = [line.count or 0 for line in lines]
    if len({(line.planting.crop_id, line.grade, line.size_id) for line in lines}) > 1:
        raise ValidationError(
            "Only pieces of one crop and grade weigh alike; weigh the others by themselves."
        )
    if len(lines) < 2 or not all(counts):
        raise ValidationError("A basket is split by count: tick two lines or more, each counted.")
    if said.mass is None:
        raise ValidationError("Type what the scale shows, such as 940 g.")
    if said.count not in (None, sum(counts)):
        raise ValidationError(f"These lines say {sum(counts)}; edit the one that is wrong first.")
    tare_mg = bowl.mass_mg * said.loads if bowl else 0
    masses = split_whole(_net(said.mass.mass_mg, tare_mg), counts)
    tares = split_whole(tare_mg, counts)
    says = f"One basket of {len(lines)} lines was weighed: {format_mass(sum(masses))}."
    with changing(actor, says) as recorder:
        for line, mass_mg, tare in zip(lines, masses, tares, strict=True):
            line.mass_mg, line.tare_mg, line.reading_mg = mass_mg, tare, mass_mg + tare
            line.bowl, line.loads, line.waits = bowl, said.loads, False
            line.basket, line.split_by = lines[0].client_id, SplitBy.COUNT
            if day is not None:
                line.weighed_on, line.precision = day, "day"
                _join_visit(line)
            recorder.save(line)
    return recorder.change


def leave_counted(actor: Actor, line: WeighIn) -> Change:
    """Say that a line will never be weighed: its count stands, its weight is reckoned."""
    line.waits = False
    return save_owned(actor, line, f"{line} stays counted; its weight is an estimate.")


def leave_all_counted(actor: Actor, lines: QuerySet[WeighIn]) -> Change:
    """Say of all lines that wait that they will never be weighed."""
    waiting = list(lines)
    says = (
        f"{len(waiting)} line{'s stay' if len(waiting) != 1 else ' stays'} counted; their "
        "weights are estimates."
    )
    with changing(actor, says) as recorder:
        for line in waiting:
            line.waits = False
            recorder.save(line)
    return recorder.change


def correct(actor: Actor, line: WeighIn, cleaned: dict[str, Any]) -> Change:
    """Put a line right; in a pile the line after it is taken anew too."""
    changed = _put_right(line, cleaned)
    with changing(actor, f"{CORRECTED}{line}.") as recorder:
        recorder.save(*changed)
    return recorder.change


def correct_many(actor: Actor, lines: Sequence[tuple[WeighIn, dict[str, Any]]]) -> Change:
    """Put several lines right at once, each with what is said of it."""
    changed = [one for line, cleaned in lines for one in _put_right(line, cleaned)]
    with changing(actor, f"{CORRECTED}{len(lines)} lines.") as recorder:
        recorder.save(*changed)
    return recorder.change


def _put_right(line: WeighIn, cleaned: dict[str, Any]) -> list[WeighIn]:
    """What changes with a line: itself, and in a pile the line after it where its weight does."""
    line.weighed_on, line.precision = cleaned["when"].day, cleaned["when"].precision
    line.is_remembered = line.pm_mg is not None
    _join_visit(line)
    shown = cleaned["shown"]
    after, is_after_new = _next_in_pile(line), False
    if line.pile and shown is not None:
        before = _reading_before(line)
        line.mass_mg = _difference(shown, before)
        if after is not None:
            was = after.mass_mg
            after.mass_mg = _difference(after.reading_mg or 0, shown)
            is_after_new = after.mass_mg != was
    elif shown is not None:
        line.tare_mg = line.bowl.mass_mg * line.loads if line.bowl else cleaned.get("tare_mg") or 0
        line.mass_mg = _net(shown, line.tare_mg)
    else:
        line.mass_mg, line.tare_mg = None, 0
    line.reading_mg = shown if line.reading_mg is not None or line.pile else None
    line.waits = line.waits and line.mass_mg is None
    line.typed = ""
    return [line, after] if after is not None and is_after_new else [line]


def remember(actor: Actor, cleaned: dict[str, Any]) -> Change:
    """Write a harvest down from memory."""
    said: BenchLine = cleaned["line"]
    line = WeighIn(
        household=actor.household,
        planting=cleaned["planting"],
        weighed_on=cleaned["when"].day,
        precision=cleaned["when"].precision,
        grade=cleaned["grade"],
        count=said.count,
        mass_mg=said.mass.mass_mg if said.mass else None,
        pm_mg=said.pm_mg,
        is_remembered=True,
        measure=_measure_named(actor, said.measure),
        measures=said.measures,
        note=cleaned["note"],
        visit=FIRST,
        written_at=clock.now(actor.household),
        written_by=actor.user,
    )
    return save_owned(actor, line, f"From memory: {line}.")


def turn(actor: Actor, lot: WeighIn, cleaned: dict[str, Any]) -> Change:
    """Take ripe or lost fruit off the ripening shelf: a line of its own,
    and so much less Unripe.
    """
    said: BenchLine = cleaned["line"]
    off = (
        WeighIn.objects.of(actor.household).filter(turned_from=lot).values_list("mass_mg", "count")
    )
    _, left = unripe_left(lot.mass_mg or 0, lot.count or 0, list(off))
    if lot.count and said.count is not None and said.count > left:
        raise ValidationError(f"Only {left} of them are left on the shelf.")
    if cleaned["when"].latest < lot.when.earliest:
        raise ValidationError(f"It was laid down on {lot.when}; it cannot have turned before.")
    line = WeighIn(
        household=actor.household,
        planting=lot.planting,
        weighed_on=cleaned["when"].day,
        precision=cleaned["when"].precision,
        grade=cleaned["grade"],
        count=said.count,
        mass_mg=said.mass.mass_mg if said.mass else None,
        turned_from=lot,
        visit=lot.visit,
        cleaned=lot.cleaned,
        topped=lot.topped,
        written_at=clock.now(actor.household),
        written_by=actor.user,
    )
    return save_owned(actor, line, f"Off the ripening shelf: {line}.")


def tare_after(actor: Actor, bowl: Bowl, lines: Iterable[WeighIn]) -> Change:
    """Take a bowl off lines that were written with it on the scale;
    of a pile it is on the first only.
    """
    with changing(actor, f"{bowl} was on the scale: its tare is taken off.") as recorder:
        for line in lines:
            shown = (
                line.reading_mg
                if line.reading_mg is not None
                else (line.mass_mg or 0) + line.tare_mg
            )
            before = _reading_before(line) if line.pile else 0
            line.bowl, line.tare_mg = bowl, 0 if before else bowl.mass_mg * line.loads
            line.mass_mg = _net(shown - before, line.tare_mg)
            recorder.save(line)
    return recorder.change


def rename(actor: Actor, planting: Planting, cleaned: dict[str, Any]) -> Change:
    """Say what variety a planting turned out to be; what it was taken for is kept with the day."""
    with changing(actor, "") as recorder:
        renaming = Renaming(
            household=actor.household,
            planting=planting,
            was=planting.variety,
            day=cleaned["when"].day,
            precision=cleaned["when"].precision,
            note=cleaned["note"],
        )
        before = str(planting.label)
        planting.variety = variety_named(recorder, planting.crop, cleaned["variety_name"])
        planting.is_variety_doubtful = cleaned["is_doubtful"] and planting.variety is not None
        recorder.save(renaming, planting)
        recorder.change.says = f"{before} in {planting.place} is {planting.label}."[:200]
    return recorder.change


def save_single(actor: Actor, single: SinglePlant, planting: Planting) -> Change:
    """Note one plant that stood out."""
    single.planting = planting
    return save_owned(actor, single, f"{planting}: {single}.")


def _measure_named(actor: Actor, name: str) -> OwnMeasure | None:
    return OwnMeasure.objects.of(actor.household).filter(name=name).first() if name else None


def _join_visit(line: WeighIn) -> None:
    """A line moved to another planting or day belongs to the last visit there."""
    was = WeighIn.objects.ever_of(line.household).get(pk=line.pk)
    if (was.planting_id, was.weighed_on) == (line.planting_id, line.weighed_on):
        return
    there = WeighIn.objects.of(line.household).filter(
        planting=line.planting_id, weighed_on=line.weighed_on
    )
    if line.visit is not None:
        line.visit = there.aggregate(last=Max("visit"))["last"] or FIRST


def _pile_of(line: WeighIn) -> Any:
    return WeighIn.objects.of(line.household).filter(
        device=line.device, pile=line.pile, reading_mg__isnull=False
    )


def _reading_before(line: WeighIn) -> int:
    before = (
        _pile_of(line).filter(number_in_pile__lt=line.number_in_pile).order_by("-number_in_pile")
    )
    return before.values_list("reading_mg", flat=True).first() or 0


def _next_in_pile(line: WeighIn) -> WeighIn | None:
    if not line.pile or line.struck_at is not None:
        return None
    after: WeighIn | None = (
        _pile_of(line)
        .filter(number_in_pile__gt=line.number_in_pile)
        .order_by("number_in_pile")
        .first()
    )
    return after


def _net(shown_mg: int, tare_mg: int) -> int:
    try:
        return net_mass_mg(shown_mg, tare_mg)
    except KilterError as error:
        raise ValidationError(str(error)) from error


def _difference(shown_mg: int, before_mg: int) -> int:
    try:
        return pile_on([shown_mg], before_mg).nets_mg[0]
    except KilterError as error:
        raise ValidationError(str(error)) from error
