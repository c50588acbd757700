"""What a row opens to: the ways side by side in plants and metres,
what the forecast rests on, effects as bars.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from django.utils import timezone

from kilter.core.errors import KilterError
from kilter.core.growing.almanac import moon_on
from kilter.core.plan.effects import Effect
from kilter.drawing.effects import EffectBar, effect_bars
from kilter.larder.learnt import LearntStore
from kilter.next_year.dates import DatedJob, InTurn, in_turn, jobs_of
from kilter.next_year.garden import Garden
from kilter.next_year.held import Held, held_crop
from kilter.next_year.need import NeedEstimate
from kilter.next_year.records import CropRecord, FinishedPlanting
from kilter.next_year.rows import CropRow, spacing_of
from kilter.people.models import ChangedRecord
from kilter.plans.models import RISKS, PlannedCrop

#: So many labels of a kind are shown, those that differ most first.
MOST_LABELS = 8


@dataclass(frozen=True)
class WayLine:
    """One way of saying how much, in kilograms, plants and metres."""

    way: str
    words: str
    estimate: NeedEstimate
    plants: int | None
    row_m: float | None
    is_chosen: bool


@dataclass(frozen=True)
class KindOfEffect:
    """Varieties, methods, places or seasons beside each other."""

    kind: str
    words: str
    bars: tuple[EffectBar, ...]
    more: int


@dataclass(frozen=True, kw_only=True)
class Opened:
    """What stands under the row."""

    ways: tuple[WayLine, ...]
    effects: tuple[KindOfEffect, ...]
    used: tuple[FinishedPlanting, ...]  #: plantings that the forecast rests on, newest first
    unused: tuple[FinishedPlanting, ...]  #: those that gave nothing
    held: Held | None  #: last year foretold, and what came
    learnt: LearntStore
    jobs: tuple[DatedJob, ...]
    last_frost: date | None
    first_frost: date | None
    risk_words: str
    warm: date | None
    warm_by: str
    last_sensible: date | None
    moon: str
    log: tuple[str, ...]  #: what was changed since it was frozen
    in_turn: tuple[InTurn, ...]  #: varieties by how early they are, set out on one day

    @property
    def all(self) -> tuple[FinishedPlanting, ...]:
        return self.used + self.unused


KINDS = {"variety": "Varieties", "method": "Methods", "place": "Places", "season": "Seasons"}


def opened(row: CropRow, shared: Garden) -> Opened:
    """Everything a row rests on."""
    past = shared.past.get(row.crop.pk, CropRecord())
    last_frost, first_frost, risk_words = _frosts(row, shared)
    warm, warm_by, last_sensible = _warmth(row)
    return Opened(
        ways=tuple(_ways(row, spacing_of(row.crop, shared.habits))),
        effects=tuple(_kinds(row.one_plant.effects if row.one_plant else ())),
        used=tuple(
            sorted((one for one in past.taken if one.mass_kg > 0), key=lambda one: -one.season)
        ),
        unused=tuple(one for one in past.taken if one.mass_kg <= 0),
        held=held_crop(row.crop, past),
        learnt=shared.learnt.get(row.crop.pk, LearntStore()),
        jobs=tuple(jobs_of(row.crop, row.dates)),
        last_frost=last_frost,
        first_frost=first_frost,
        risk_words=risk_words,
        warm=warm,
        warm_by=warm_by,
        last_sensible=last_sensible,
        moon=_moon(row),
        log=tuple(changed_since(row.said)),
        in_turn=tuple(in_turn(row.said, shared)),
    )


def _frosts(row: CropRow, shared: Garden) -> tuple[date | None, date | None, str]:
    risk = dict(RISKS)[row.said.frost_risk or shared.plan.frost_risk]
    if (when := row.dates.when) is None:
        return None, None, risk
    return row.dates.on(when.last_frost.day), row.dates.on(when.first_frost.day), risk


def _warmth(row: CropRow) -> tuple[date | None, str, date | None]:
    when = row.dates.when
    warm = when.warm if when else None
    by = (
        {"soil": "warmth of the soil", "air": "mean of the air over a week"}[warm[1]]
        if warm
        else ""
    )
    latest = when.last_sensible if when and not row.dates.problem else None
    return row.dates.on(warm[0].day) if warm else None, by, row.dates.on(latest)


def _moon(row: CropRow) -> str:
    """Of the first sowing, where the household has it shown."""
    if not row.crop.household.is_moon_shown or not row.dates.sowings:
        return ""
    day = row.dates.on(row.dates.sowings[0].begins)
    assert day is not None
    moon = moon_on(day)
    return f"{moon.phase}, {moon.trend}, on {day:%-d %B}"


def changed_since(said: PlannedCrop) -> list[str]:
    """What was written of a planned crop after it was frozen."""
    if said.pk is None or said.frozen_on is None:
        return []
    touched = ChangedRecord.objects.filter(model=said._meta.label_lower, record_id=said.pk)
    changes = list(touched.order_by("change_id").select_related("change"))
    froze = max(
        (i for i, one in enumerate(changes) if not (one.before or {}).get("frozen_on")), default=0
    )
    return [
        f"{timezone.localtime(change.change.made_at):%-d %B %Y}: {change.change.says}"
        for change in changes[froze + 1 :]
    ]


def _ways(row: CropRow, spacing_m: float | None) -> list[WayLine]:
    needed = row.needed
    ways = {
        PlannedCrop.Way.PLATE: needed.plate,
        PlannedCrop.Way.OWN: needed.own,
        PlannedCrop.Way.RULE: needed.rule,
    }
    if needed.by == PlannedCrop.Way.MIX:
        ways[PlannedCrop.Way.MIX] = needed.chosen
    found = []
    for way, estimate in ways.items():
        plants = estimate.plants
        if plants is None and estimate.chain is not None and row.one_plant is not None:
            plants = _plants(row, estimate.chain.lifted_kg + needed.beside_kg)
        row_m = plants * spacing_m if plants is not None and spacing_m else None
        found.append(WayLine(way.value, way.label, estimate, plants, row_m, way == needed.by))
    return found


def _plants(row: CropRow, lift_kg: float) -> int | None:
    if lift_kg <= 0:
        return 0
    assert row.one_plant is not None
    try:
        found = row.one_plant.enough(lift_kg, row.said.certainty / 100)
    except KilterError:
        return None
    return found.plants if found else None


def _kinds(effects: Sequence[Effect]) -> list[KindOfEffect]:
    found = []
    for kind, words in KINDS.items():
        mine = sorted(
            (effect for effect in effects if effect.kind == kind), key=lambda one: -one.times
        )
        if mine:
            shown = _extremes(mine)
            found.append(KindOfEffect(kind, words, effect_bars(shown), len(mine) - len(shown)))
    return found


def _extremes(effects: list[Effect]) -> list[Effect]:
    """Where there are many, those that differ most, at both ends."""
    if len(effects) <= MOST_LABELS:
        return effects
    half = MOST_LABELS // 2
    return effects[:half] + effects[-half:]
