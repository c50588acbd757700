"""What a text can hold."""

from __future__ import annotations

import json


def is_text(value: object) -> bool:
    """Whether every text in what JSON gave can be written down.

    Parameters
    ----------
    value : object
        Anything made of objects, lists, texts, numbers, true, false and null.

    Returns
    -------
    bool
        False where a text holds half of a pair that stands for one character: it has no form in
        UTF-8 (RFC 3629, 3).

    Notes
    -----
    JSON writes such a half as an escape, so that it can come in by any text of an event.

    Examples
    --------
    >>> is_text({"note": "ripe"}), is_text(["\\ud800"])
    (True, False)
    """
    try:
        json.dumps(value, ensure_ascii=False).encode()
    except UnicodeEncodeError:
        return False
    return True
