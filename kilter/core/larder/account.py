"""What a crop was worth at the household's own prices and what it cost, to the coin.

It shows, and never judges.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from kilter.core.errors import RecordError

MG_PER_KG = 1_000_000


@dataclass(frozen=True)
class Item:
    """One thing that was paid for, and what of it falls on a crop in a year."""

    what: str
    minor: int  #: in the smallest coin


@dataclass(frozen=True)
class Account:
    """One crop in one season, in the smallest coin."""

    value: int  #: of all the food lifted
    saved: int  #: of what was eaten
    given: int  #: of what was given away
    cost: int
    food_mg: int
    items: tuple[Item, ...] = ()

    @property
    def break_even_minor(self) -> float | None:
        """What a kilogram cost; above this price in the shop it paid.

        None where nothing was lifted.
        """
        return self.cost / self.food_mg * MG_PER_KG if self.food_mg else None


@dataclass(frozen=True)
class Amounts:
    """What is valued, in the unit of its price: kilograms or pieces, unrounded."""

    food: Fraction
    eaten: Fraction
    given: Fraction

    @classmethod
    def of_mass(cls, food_mg: int, eaten_mg: int, given_mg: int) -> Amounts:
        """Masses in kilograms."""
        food, eaten, given = (Fraction(mg, MG_PER_KG) for mg in (food_mg, eaten_mg, given_mg))
        return cls(food, eaten, given)


def account_of(food_mg: int, amounts: Amounts, price_minor: int, items: Sequence[Item]) -> Account:
    """Reckon what a crop was worth and what it cost.

    Parameters
    ----------
    food_mg : int
        Milligrams lifted as food.
    amounts : Amounts
        Lifted as food, eaten, and given away, in the unit of the price.
    price_minor : int
        The household's own price of a kilogram or a piece, in the smallest coin; there is no
        conversion.
    items : sequence of Item
        What falls on the crop this season, item by item.

    Returns
    -------
    Account
        Each value rounded to the coin once, at the end; halves go up.

    Raises
    ------
    RecordError
        A negative mass or price.

    Notes
    -----
    Gross value = food × price, saved = eaten × price, gifts apart; break-even = cost / food.
    Kilter's own definitions.

    Examples
    --------
    >>> amounts = Amounts.of_mass(12_000_000, 10_000_000, 2_000_000)
    >>> account_of(12_000_000, amounts, 300, [Item("pot", 140)]).saved
    3000
    """
    whole = amounts.food, amounts.eaten, amounts.given
    if min(whole) < 0 or min(food_mg, price_minor, *(item.minor for item in items)) < 0:
        raise RecordError("Masses and prices are not below zero.")
    value, saved, given = (int(amount * price_minor + Fraction(1, 2)) for amount in whole)
    cost = sum(item.minor for item in items)
    return Account(
        value=value, saved=saved, given=given, cost=cost, food_mg=food_mg, items=tuple(items)
    )
