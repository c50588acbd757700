"""Botanical families as a gardener calls them."""

from __future__ import annotations

from typing import Final

#: Botanical families of crops (names of APG IV, from memory), which tell what may not follow what,
#: and what a gardener calls each.
FAMILIES: Final = {
    "Aizoaceae": "New Zealand spinach family",
    "Amaranthaceae": "beetroot family",
    "Amaryllidaceae": "onion family",
    "Apiaceae": "carrot family",
    "Asparagaceae": "asparagus family",
    "Asteraceae": "lettuce family",
    "Brassicaceae": "cabbage family",
    "Convolvulaceae": "sweet potato family",
    "Cucurbitaceae": "cucumber family",
    "Ericaceae": "heather family",
    "Fabaceae": "bean family",
    "Grossulariaceae": "currant family",
    "Lamiaceae": "mint family",
    "Malvaceae": "mallow family",
    "Poaceae": "grass family",
    "Polygonaceae": "rhubarb family",
    "Rosaceae": "rose family",
    "Solanaceae": "potato family",
    "Valerianaceae": "valerian family",
    "Vitaceae": "grape family",
}


def family_words(family: str) -> str:
    """What a gardener calls a family.

    Parameters
    ----------
    family : str
        The botanical name, or the crop's own where the handbook does not know it.

    Returns
    -------
    str
        Such as ``potato family``.

    Notes
    -----
    Common names, from memory.

    Examples
    --------
    >>> family_words("Solanaceae"), family_words("oca")
    ('potato family', 'oca')
    """
    return FAMILIES.get(family, family)
