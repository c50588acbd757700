"""What a reading asks: once for all rows that say the same."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

#: Answers that are no id or name: the rows are left out, or a thing is made.
OUT, NEW = "out", "new"


@dataclass(frozen=True)
class Offer:
    """One answer that can be given."""

    key: str
    words: str


@dataclass(kw_only=True)
class Question:
    """Something that a table says and this household does not know."""

    key: str
    says: str  #: what is asked, as a sentence
    offers: tuple[Offer, ...]
    usual: str = ""  #: taken where nobody answers; empty where somebody must
    answer: str = ""
    rows: list[int] = field(default_factory=list)

    @property
    def taken(self) -> str:
        return self.answer or self.usual

    @property
    def made(self) -> str:
        """The answer by which the thing is added; empty where none can be."""
        keys = (offer.key for offer in self.offers)
        return next((key for key in keys if key == NEW or key.startswith(f"{NEW}:")), "")

    @property
    def is_open(self) -> bool:
        return not self.taken


class Asking:
    """Collects what rows ask, and gives what was answered."""

    def __init__(self, answers: Mapping[str, str]) -> None:
        self.answers = answers
        self.questions: dict[str, Question] = {}

    def about(
        self, key: str, row: int, says: str, offers: tuple[Offer, ...], usual: str = ""
    ) -> Question:
        """What was answered to a question that a row asks, the first time it is asked with all
        that can be answered.
        """
        question = self.questions.get(key)
        if question is None:
            said = self.answers.get(key, "")
            known = said if any(offer.key == said for offer in offers) else ""
            question = Question(key=key, says=says, offers=offers, usual=usual, answer=known)
            self.questions[key] = question
        question.rows.append(row)
        return question
