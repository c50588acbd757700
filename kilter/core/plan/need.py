"""How much a household needs of a crop: from servings and by rule of thumb,
and back to the soil.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from kilter.core.errors import PlanError
from kilter.core.handbook import HandbookCrop

MAX_WEEKS: Final = 104


@dataclass(frozen=True)
class Chain:
    """What is needed at each step from the table back to the fork; kilograms."""

    table_kg: float  #: on the plate
    kitchen_kg: float  #: before trimming
    laid_in_kg: float  #: before losses in store
    lifted_kg: float  #: before what is hurt or lost at lifting


@dataclass(frozen=True)
class Losses:
    """Shares lost between the fork and the plate, each from 0 to below 1."""

    edible_share: float = 1.0  #: of what reaches the kitchen, what reaches the plate
    store_loss_per_week: float = 0.0
    store_weeks: int = 0  #: weeks eaten from store; 0 for eaten as it comes
    lift_loss: float = 0.0  #: share lost or hurt at lifting


def plate_need_kg(
    servings_per_week: float, serving_g: float, weeks: float, appetites: Sequence[float]
) -> float:
    """Reckon the kilograms that the plates take.

    Parameters
    ----------
    servings_per_week : float
        Of a person of appetite 1.
    serving_g : float
        Grams on the plate, ready to eat.
    weeks : float
        Weeks at the table.
    appetites : sequence of float
        One for each eater; 1 is a grown person.

    Returns
    -------
    float
        Kilograms at the table.

    Raises
    ------
    PlanError
        A negative figure, or nobody to eat.

    Notes
    -----
    servings × g × weeks × Σ appetite (Kilter's own, rule).

    Examples
    --------
    >>> plate_need_kg(2, 100, 30, [1, 1, 0.5])
    15.0
    """
    if min(servings_per_week, serving_g, weeks, *appetites, 0.0) < 0:
        raise PlanError("Servings, grams, weeks and appetites are zero or more.")
    if not appetites:
        raise PlanError(
            "Nobody is named as eating yet; add who eats, then the plate can be reckoned."
        )
    return servings_per_week * serving_g / 1000 * weeks * sum(appetites)


def rule_row_m(crop: HandbookCrop, appetites: Sequence[float], *, is_kept: bool) -> float | None:
    """Reckon the row that the rule of thumb gives a household.

    Parameters
    ----------
    crop : HandbookCrop
        With row or plants per person.
    appetites : sequence of float
        One for each eater.
    is_kept : bool
        Whether the crop is to last through winter.

    Returns
    -------
    float or None
        Metres of row, the middle of the rule's range; None where there is no rule.

    Notes
    -----
    Common practice, no source; the table is from memory.

    Examples
    --------
    >>> from kilter.core.handbook import handbook
    >>> rule_row_m(handbook()["shallot"], [1, 1], is_kept=True)
    6.0
    """
    span = (
        (crop.rule_row_m_keep if is_kept else None) or crop.rule_row_m_fresh or crop.rule_row_m_keep
    )
    if span is not None:
        return span.middle * sum(appetites)
    if crop.rule_plants is not None:
        return crop.rule_plants.middle * sum(appetites) * crop.in_row_m
    return None


def lay_in_kg(weekly_kg: float, weeks: int, loss_per_week: float) -> float:
    """Reckon what must go into store to eat so much a week while some spoils.

    Parameters
    ----------
    weekly_kg : float
        Kilograms eaten a week.
    weeks : int
        Weeks it must last, the first eaten before any loss.
    loss_per_week : float
        Share of what is left that spoils in a week, 0 to below 1.

    Returns
    -------
    float
        Kilograms to lay in.

    Raises
    ------
    PlanError
        A share outside 0 to 1, or weeks outside 0 to 104.

    Notes
    -----
    w·Σ_{i<T} (1−d)^−i, a geometric sum (Kilter's own derivation).

    Examples
    --------
    >>> round(lay_in_kg(1, 20, 0.01), 4)
    22.0407
    """
    if not 0 <= loss_per_week < 1:
        raise PlanError("The loss a week is a share from 0 to below 100 %.")
    if not 0 <= weeks <= MAX_WEEKS:
        raise PlanError(f"Weeks in store are from 0 to {MAX_WEEKS}.")
    return weekly_kg * sum((1 - loss_per_week) ** -i for i in range(weeks))


def back_to_the_soil(table_kg: float, losses: Losses) -> Chain:
    """Go from the table back through trimming, store and lifting.

    Parameters
    ----------
    table_kg : float
        Kilograms wanted on the plate.
    losses : Losses
        Shares lost on the way.

    Returns
    -------
    Chain
        Kilograms at each step.

    Raises
    ------
    PlanError
        A share that leaves nothing.

    Notes
    -----
    table ← edible share ← storage ← hurt and lost ← lifted (docs/method.md, N6).

    Examples
    --------
    >>> back_to_the_soil(9.0, Losses(edible_share=0.9)).lifted_kg
    10.0
    """
    if not 0 < losses.edible_share <= 1 or not 0 <= losses.lift_loss < 1:
        raise PlanError("Each loss must leave something: shares are from 0 to below 100 %.")
    kitchen = table_kg / losses.edible_share
    laid_in = kitchen * _store_factor(losses)
    return Chain(table_kg, kitchen, laid_in, laid_in / (1 - losses.lift_loss))


def forward_to_the_table(lifted_kg: float, losses: Losses) -> Chain:
    """Go the other way: what a lifted harvest comes to on the plate.

    Parameters
    ----------
    lifted_kg : float
        Kilograms lifted.
    losses : Losses
        Shares lost on the way.

    Returns
    -------
    Chain
        Kilograms at each step.

    Raises
    ------
    PlanError
        As `back_to_the_soil`.

    Notes
    -----
    The inverse of `back_to_the_soil`, which is linear.

    Examples
    --------
    >>> forward_to_the_table(10.0, Losses(edible_share=0.9)).table_kg
    9.0
    """
    per_table_kg = back_to_the_soil(1.0, losses)
    return back_to_the_soil(lifted_kg / per_table_kg.lifted_kg, losses)


def _store_factor(losses: Losses) -> float:
    if losses.store_weeks == 0:
        return 1.0
    return lay_in_kg(1.0, losses.store_weeks, losses.store_loss_per_week) / losses.store_weeks
