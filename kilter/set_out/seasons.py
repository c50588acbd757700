"""To which year a planting belongs that does not say so itself."""

from __future__ import annotations

from datetime import date

from kilter.core.amounts.vague import VagueDate, format_date
from kilter.core.growing.ready import LiftWindow, due_window, season_of
from kilter.core.handbook import HandbookCrop, Span, crop_called
from kilter.people.models import Household
from kilter.set_out.models import Variety
from kilter.set_out.queries import find_crop

#: Of a crop whose days nobody knows: what is planted from September on is lifted the year after.
AUTUMN = 9


def season_by(
    planted: date, book: HandbookCrop | None, own: Span | None = None, *, is_southern: bool = False
) -> tuple[int, LiftWindow | None]:
    """The year in which it is expected to be lifted most; and its window where that is too close to
    call.
    """
    days, autumn = (own, None) if own else (book.days, book.autumn_days) if book else (None, None)
    start = VagueDate(planted)
    due = due_window(start, days, autumn, planted, is_southern=is_southern) if days else None
    if due is None:
        return planted.year + (planted.month >= AUTUMN), None
    season, is_close = season_of(due)
    return season, due if is_close else None


def season_asked(
    household: Household, crop_name: str, variety_name: str, planted: date, *, is_southern: bool
) -> tuple[int, str]:
    """The season of what is set out, and what is to be asked of it; empty where it is clear."""
    crop = find_crop(household, crop_name)
    book = crop.in_handbook if crop else crop_called(crop_name)
    variety = Variety.objects.of(household).filter(crop=crop, name__iexact=variety_name).first()
    own = None
    if variety and variety.days_min and variety.days_max:
        own = Span(variety.days_min, variety.days_max)
    season, due = season_by(planted, book, own, is_southern=is_southern)
    if due is None:
        return season, ""
    first, last = (format_date(VagueDate(day)) for day in (due.first, due.last))
    return season, f"It is lifted about {first} to {last}: of which year is that harvest?"
