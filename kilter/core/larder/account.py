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


def account_of(
    food_mg: int, eaten_mg: int, given_mg: int, price_minor_per_kg: int, items: Sequence[Item]
) -> Account:
    """Reckon what a crop was worth and what it cost.

    Parameters
    ----------
    food_mg, eaten_mg, given_mg : int
        Milligrams lifted as food, eaten, and given away.
    price_minor_per_kg : int
        The household's own price of a kilogram, in the smallest coin; there is no conversion.
    items : sequence of Item
        What falls on the crop this season, item by item.

    Returns
    -------
    Account
        Each value rounded to the coin; halves go up.

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
    >>> account_of(12_000_000, 10_000_000, 2_000_000, 300, [Item("pot", 140)]).saved
    3000
    """
    if min(food_mg, eaten_mg, given_mg, price_minor_per_kg, *(item.minor for item in items), 0) < 0:
        raise RecordError("Masses and prices are not below zero.")

    def worth(mass_mg: int) -> int:
        return int(Fraction(mass_mg * price_minor_per_kg, MG_PER_KG) + Fraction(1, 2))

    cost = sum(item.minor for item in items)
    return Account(worth(food_mg), worth(eaten_mg), worth(given_mg), cost, food_mg, tuple(items))
