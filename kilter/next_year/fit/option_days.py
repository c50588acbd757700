"""One option of the fit as days."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date


@dataclass(frozen=True)
class OptionDays:
    """One option as days."""

    begins: date
    lift_from: date
    lift_to: date
