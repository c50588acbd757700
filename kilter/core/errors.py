"""Every error the core raises; each message is a sentence that a gardener can act on.

KilterError
├── QuantityError     a mass, count or share that cannot be read or is out of bounds
├── WeighingError     a reading that does not follow from the one before
│   └── FallingReadingError
├── ComparisonError   a question that the records cannot answer
│   ├── AliasedError      the things compared cannot be told apart from a block
│   └── NotSettledError   the fit found no finite answer
├── PlanError         a plan that lacks something it needs
├── VagueDateError    a date that cannot be read
├── RecordError       counts, fills or moves that do not follow from those before
└── StationError      a weather record that cannot be used
"""

from __future__ import annotations


class KilterError(ValueError):
    """Base of all errors of the core; ``str(error)`` is shown to the gardener as it is."""


class QuantityError(KilterError):
    """A typed quantity that cannot be read; ``typed`` holds it as it was written."""

    def __init__(self, message: str, *, typed: str = "") -> None:
        super().__init__(message)
        self.typed = typed


class WeighingError(KilterError):
    """A weighing that does not add up."""

    is_fall = False  #: whether the scale may simply have been emptied


class FallingReadingError(WeighingError):
    """A pile-on reading below the one before it: was the scale emptied?"""

    is_fall = True

    def __init__(self, *, before_mg: int, now_mg: int) -> None:
        super().__init__(
            f"The reading fell from {before_mg / 1e6:.3f} kg to {now_mg / 1e6:.3f} kg. "
            "If the scale was emptied, start a new pile; if not, read it again."
        )
        self.before_mg = before_mg
        self.now_mg = now_mg


class ComparisonError(KilterError):
    """A comparison that the records cannot answer; the message says what is missing."""


class AliasedError(ComparisonError):
    """The compared levels never meet inside a block, so their difference is the block's too."""

    def __init__(self, message: str, *, block_names: tuple[str, ...]) -> None:
        super().__init__(message)
        self.block_names = block_names


class NotSettledError(ComparisonError):
    """The iterations did not converge, as happens when zeros leave a ratio without bound."""


class PlanError(KilterError):
    """A plan for next year that lacks something it needs."""


class VagueDateError(KilterError):
    """A date that cannot be read; ``typed`` holds it as it was written."""

    def __init__(self, message: str, *, typed: str = "") -> None:
        super().__init__(message)
        self.typed = typed


class RecordError(KilterError):
    """Records of a place or planting that do not fit together."""


class StationError(KilterError):
    """Weather that cannot be read or is out of bounds."""
