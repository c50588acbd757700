"""A question that a room asks of later ones: it names it, they answer,
and no room imports a later one.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, ParamSpec, TypeVar

Said = ParamSpec("Said")
Answer = TypeVar("Answer")


class LaterRooms(Generic[Said, Answer]):
    """What later rooms are asked; each answers by one function, registered when it starts."""

    def __init__(self) -> None:
        self._answers: list[Callable[Said, Answer]] = []

    def answered_by(self, answer: Callable[Said, Answer]) -> Callable[Said, Answer]:
        """Let a room answer; a function that is named twice answers once."""
        if answer not in self._answers:
            self._answers.append(answer)
        return answer

    def ask(self, *said: Said.args, **more: Said.kwargs) -> list[Answer]:
        """All answers, in the order of the rooms."""
        return [answer(*said, **more) for answer in self._answers]
