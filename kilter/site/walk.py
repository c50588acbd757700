"""A walk round Kilter in six stops: offered by itself in the demo only,
elsewhere to whoever asks for it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from django.http import HttpRequest, HttpResponse
from django.urls import reverse

from kilter.people.look import YEAR_S

COOKIE = "kilter_walk"


class Stop(NamedTuple):
    """A room with what there is to see and try."""

    room: str
    label: str
    words: str


STOPS = (
    Stop(
        "today:index",
        "Today",
        (
            "The yard at a glance: brass is ready to lift, green grows on. Below stands what asks "
            "for you today."
        ),
    ),
    Stop(
        "weigh_in:bench",
        "Weigh in",
        (
            "Type 940 12 and press Enter, or tap it: 940 grams, 12 pieces, for the pot in hand. "
            "Undo takes the line back."
        ),
    ),
    Stop(
        "weigh_up:index",
        "Weigh up",
        "Change a word of the question. The balance says which gave more and how sure that is; "
        "below it stands what else differed.",
    ),
    Stop(
        "larder:index",
        "Larder",
        "Press a crate, then what became of it. What was lifted is what was used, what lies here "
        "and what nobody wrote down.",
    ),
    Stop(
        "look_back:index",
        "Look back",
        (
            "The season drafted from what was written. Keep a line, say it in your words, or "
            "strike it out."
        ),
    ),
    Stop(
        "next_year:index",
        "Next year",
        "Slide how sure you want to be of a crop, and the plants it takes follow. “Does it fit” "
        "lays it all out in your beds.",
    ),
)


@dataclass(frozen=True)
class Walk:
    """Where one is on the walk."""

    nth: int  #: from 1
    is_here: bool  #: the page that is open is this stop's

    @property
    def stop(self) -> Stop:
        return STOPS[self.nth - 1]

    @property
    def of(self) -> int:
        return len(STOPS)

    @property
    def following(self) -> int:
        """The number of the next stop; 0 after the last."""
        return self.nth + 1 if self.nth < len(STOPS) else 0

    @property
    def following_label(self) -> str:
        return STOPS[self.nth].label if self.following else ""


def walk_of(request: HttpRequest, *, is_demo: bool) -> Walk | None:
    """The stop that this browser is at; None for who does not walk."""
    said = request.COOKIES.get(COOKIE, "1" if is_demo else "0")
    nth = int(said) if said.isdecimal() and len(said) < 3 else 0
    if not 1 <= nth <= len(STOPS):
        return None
    return Walk(nth, request.path == reverse(STOPS[nth - 1].room))


def go_on(answer: HttpResponse, nth: int, *, is_https: bool) -> HttpResponse:
    """Remember in this browser which stop is next; 0 ends the walk."""
    answer.set_cookie(COOKIE, str(nth), YEAR_S, httponly=True, samesite="Lax", secure=is_https)
    return answer
