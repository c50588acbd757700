"""Names that are nearly right: found as search finds them, or offered."""

from __future__ import annotations

import re
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Final, Generic, TypeVar

from rapidfuzz.distance import OSA
from rapidfuzz.process import cdist

T = TypeVar("T", bound=Hashable)
#: So much of a name may be other letters before it is no slip of the finger any more (rule).
MOST_OTHER: Final = 0.34
OFFERED: Final = 3


@lru_cache(maxsize=65_536)
def plain_name(text: str) -> str:
    """Write a name so that two of the same are equal.

    Parameters
    ----------
    text : str
        As typed: any case, quotes, several spaces.

    Returns
    -------
    str
        Lower case, without quotes, one space between words, a space before a number.

    Examples
    --------
    >>> plain_name(" Bed4 "), plain_name("‘Brass  Bell’")
    ('bed 4', 'brass bell')
    """
    plain = re.sub(r"[‘’“”\"'`]", "", text.casefold())
    plain = re.sub(r"(?<=[^\W\d])(?=\d)", " ", plain)
    return " ".join(re.split(r"[\s_#]+", plain)).strip(" .,;:")


@dataclass(frozen=True)
class Names(Generic[T]):
    """Things known by name, to be found by what a cell says."""

    known: Mapping[str, T]  #: by plain names

    def find(self, text: str) -> T | None:
        """The thing that is called so; one or many, or all of whose words begin so and no other's.

        A number must be the same number.
        """
        if text not in self._found:
            self._found[text] = self._find(plain_name(text))
        return self._found[text]

    def _find(self, plain: str) -> T | None:
        if not plain:
            return None
        singular = (plain.removesuffix("es"), plain.removesuffix("s"), f"{plain}s", f"{plain}es")
        for form in (plain, *singular):
            if form in self.known:
                return self.known[form]
        words = plain.split()
        found = {
            thing
            for name, thing in self.known.items()
            if all(_begins(word, name.split()) for word in words)
        }
        return found.pop() if len(found) == 1 else None

    def near(self, text: str) -> tuple[T, ...]:
        """Things whose names are a slip of the finger away, the nearest first."""
        if text not in self._nearest:
            self._nearest[text] = self._near(plain_name(text))
        return self._nearest[text]

    def _near(self, plain: str) -> tuple[T, ...]:
        if not plain or not self.known:
            return ()
        far = cdist([plain], self._names, scorer=OSA.normalized_distance)[0]
        order = sorted(
            range(len(self._names)),
            key=lambda i: (far[i], _apart(plain, self._names[i]), self._names[i]),
        )
        found: dict[T, None] = {}
        for i in order:
            if far[i] > MOST_OTHER or len(found) == OFFERED:
                break
            found[self.known[self._names[i]]] = None
        return tuple(found)

    @cached_property
    def _found(self) -> dict[str, T | None]:
        """What was asked before: a table says the same names thousands of times."""
        return {}

    @cached_property
    def _nearest(self) -> dict[str, tuple[T, ...]]:
        return {}

    @cached_property
    def _names(self) -> Sequence[str]:
        return list(self.known)


def _apart(one: str, other: str) -> int:
    """How far the numbers at the end of two names lie apart; of two slips it is the nearer one."""
    numbers = [name.rpartition(" ")[2] for name in (one, other)]
    return abs(int(numbers[0]) - int(numbers[1])) if all(map(str.isdecimal, numbers)) else 0


def _begins(word: str, words: Sequence[str]) -> bool:
    if word.isdigit():
        return word in words
    return len(word) >= 3 and any(one.startswith(word) for one in words)
