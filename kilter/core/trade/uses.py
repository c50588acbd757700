"""Uses: what becomes of what lies in the larder, and what follows for its pages."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final


@dataclass(frozen=True, kw_only=True)
class Use:
    """One use, with all that depends on it."""

    key: str  #: as it is stored, and written in the open format
    words: str  #: what became of it
    done: str  #: what the gardener did, on a button
    letter: str  #: the key of that button; none of them is a key of every page
    series: int  #: the texture it is drawn in
    at_once: str = ""  #: how it is said of what goes into no crate; empty: it cannot be
    is_paced: bool = False  #: it was wanted, so it tells how fast a store goes
    is_loss: bool = False  #: it was lost in store
    is_meal: bool = False  #: what is taken of several crates together is one meal
    said: str = ""  #: as a device says it, where that is not the key

    @property
    def word(self) -> str:
        """As a form or a device says it."""
        return self.said or self.key


@dataclass(frozen=True, kw_only=True)
class Preserving:
    """A way of preserving: it moves what is preserved into another crate."""

    key: str  #: as a device says it
    done: str  #: what the gardener did, on a button
    letter: str  #: the key of that button
    store: str  #: the kind of store that it goes to
    state: str  #: the state of the crate that it goes into

    @property
    def word(self) -> str:
        """As a form or a device says it."""
        return self.key


EATEN: Final = "eaten"
GIVEN: Final = "given"
KEPT_TO_PLANT: Final = "kept_to_plant"
COMPOSTED: Final = "composted"
SPOILED: Final = "spoiled"
#: A crate is weighed again: what it lost is dried away.
WEIGHED: Final = "weighed"
#: Into another crate; it is no use, as it still lies in the larder.
MOVED: Final = "moved"
#: What a crate lost in weight, found where it is weighed again.
DRIED_AWAY: Final = "dried_away"

#: Every use by its key, in the order in which they are shown.
USES: Final[Mapping[str, Use]] = {
    use.key: use
    for use in (
        Use(
            key=EATEN,
            words="eaten",
            done="Ate",
            letter="a",
            series=1,
            at_once="eaten already",
            is_paced=True,
            is_meal=True,
        ),
        Use(
            key=GIVEN,
            words="given",
            done="Gave",
            letter="v",
            series=2,
            at_once="given away",
            is_paced=True,
        ),
        Use(
            key="fed",
            words="fed to animals",
            done="Fed",
            letter="f",
            series=6,
            at_once="fed to animals",
            is_paced=True,
        ),
        Use(
            key=KEPT_TO_PLANT,
            words="kept to plant",
            done="Kept to plant",
            letter="k",
            series=4,
            at_once="kept as seed to plant",
        ),
        Use(
            key=COMPOSTED,
            words="composted",
            done="Composted",
            letter="c",
            series=5,
            at_once="composted",
        ),
        Use(key=SPOILED, words="spoiled", done="Spoiled", letter="s", series=3, is_loss=True),
        Use(
            key=DRIED_AWAY,
            words="lost in weight",
            done="Weighed again",
            letter="w",
            series=7,
            is_loss=True,
            said=WEIGHED,
        ),
    )
}
#: Every way of preserving by its key, in the order in which they are shown.
PRESERVING: Final[Mapping[str, Preserving]] = {
    way.key: way
    for way in (
        Preserving(key="froze", done="Froze", letter="r", store="freezer", state="frozen"),
        Preserving(key="dried", done="Dried", letter="d", store="jars", state="dried"),
        Preserving(key="bottled", done="Bottled", letter="b", store="jars", state="bottled"),
    )
}
#: What can be said of a crate, in the order of its buttons: what is wanted, what is preserved, all
#: else.
SAYINGS: Final[tuple[Use | Preserving, ...]] = (
    *(use for use in USES.values() if use.is_paced),
    *PRESERVING.values(),
    *(use for use in USES.values() if not use.is_paced),
)
CHOICES: Final = tuple((use.key, use.words) for use in USES.values())
PACED: Final = frozenset(key for key, use in USES.items() if use.is_paced)
LOSSES: Final = frozenset(key for key, use in USES.items() if use.is_loss)


def use_said(word: str) -> str:
    """Find the use that is stored for what a device said.

    Parameters
    ----------
    word : str
        A use, a way of preserving, `WEIGHED` or `MOVED`.

    Returns
    -------
    str
        A key of `USES`, or `MOVED` for what goes into another crate.

    Raises
    ------
    KeyError
        A word that cannot be said of a crate.

    Examples
    --------
    >>> use_said("weighed"), use_said("froze"), use_said("eaten")
    ('dried_away', 'moved', 'eaten')
    """
    if word == MOVED or word in PRESERVING:
        return MOVED
    return {use.word: use.key for use in USES.values()}[word]
