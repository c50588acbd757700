"""What plans promised, and what came of it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from django.db.models import QuerySet

from kilter.drawing.promise import Fell, fell
from kilter.people.models import Household
from kilter.plans.models import PlannedCrop


@dataclass(frozen=True)
class FrozenPromise:
    """One promise of a frozen plan, and what came of it."""

    said: PlannedCrop
    got_kg: float | None  #: None while nothing of it is finished
    plants: float  #: that stood

    @property
    def season(self) -> int:
        return self.said.plan.season

    @property
    def as_planned_kg(self) -> float | None:
        """What would have come of as many plants as were planned,
        so that fewer planted is no broken promise.
        """
        if self.got_kg is None or not self.plants or not self.said.promised_plants:
            return None
        return self.got_kg * self.said.promised_plants / self.plants

    @property
    def is_sure_kept(self) -> bool | None:
        """Whether what was 80 % sure came true."""
        came, promised = self.as_planned_kg, self.said.promised_fifth_kg
        return None if came is None or promised is None else came >= promised

    @property
    def is_in_eighty(self) -> bool | None:
        came, low, high = (
            self.as_planned_kg,
            self.said.promised_tenth_kg,
            self.said.promised_ninetieth_kg,
        )
        return None if came is None or low is None or high is None else low <= came <= high

    @property
    def drawn(self) -> Fell | None:
        """Where it fell in its forecast, drawn."""
        one = self.said
        if (
            one.promised_tenth_kg is None
            or one.promised_half_kg is None
            or one.promised_ninetieth_kg is None
        ):
            return None
        return fell(
            one.promised_tenth_kg,
            one.promised_half_kg,
            one.promised_ninetieth_kg,
            self.as_planned_kg,
        )


@dataclass(frozen=True)
class Promises:
    """All promises of frozen plans."""

    kept: tuple[FrozenPromise, ...]

    @cached_property
    def told(self) -> list[FrozenPromise]:
        """Those of which something came."""
        return [one for one in self.kept if one.is_sure_kept is not None]

    @property
    def sure(self) -> int:
        return sum(bool(one.is_sure_kept) for one in self.told)

    @property
    def in_eighty(self) -> int:
        return sum(bool(one.is_in_eighty) for one in self.told)


def promised(household: Household, season: int | None = None) -> QuerySet[PlannedCrop]:
    """Every promise of the plans that were the plan, of one season or of all, the newest first."""
    said = PlannedCrop.objects.of(household).filter(
        frozen_on__isnull=False, plan__struck_at=None, plan__is_chosen=True, is_out=False
    )
    if season is not None:
        said = said.filter(plan__season=season)
    return said.select_related("plan", "crop").order_by("-plan__season", "crop__name")
