"""A review as it is read: the draft with what the gardener kept,
reworded or struck, and own lines.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from kilter.look_back.draft import draft
from kilter.look_back.draft.line import DraftLine
from kilter.look_back.models import NOT_KNOWN, Remark, Review
from kilter.look_back.season import Season
from kilter.people import clock
from kilter.people.models import Household
from kilter.people.unchanged import is_known, while_unchanged
from kilter.set_out.models import Crop

#: A season's page and a crop's page fit a sheet of paper (rules).
MOST_OF_SEASON, MOST_OF_CROP = 16, 10
#: Of each crop so many lines stand on the season's page too.
MOST_OF_EACH = 2


@dataclass(frozen=True, kw_only=True)
class ReviewLine:
    """One line of a review."""

    key: str
    side: str
    words: str
    state: str  #: empty while nothing was said of it
    cause: str
    address: str
    rests: str
    telling: float
    crop: int | None
    causes: tuple[str, ...]
    remark: int | None
    now: str = ""  #: what the record says now, where that is something else than what was kept

    @property
    def is_struck(self) -> bool:
        return self.state == Remark.State.STRUCK

    @property
    def anchor(self) -> str:
        """Where a page goes back to."""
        return (
            f"line-{self.remark}"
            if not self.key
            else f"line-{self.key.replace(':', '-').replace(' ', '-')}"
        )


@dataclass(frozen=True)
class Sheet:
    """A season's or a crop's lines: what went well, what badly, what else there is to know."""

    lines: tuple[ReviewLine, ...]
    less: tuple[ReviewLine, ...]  #: what finds no room on the sheet

    @property
    def sides(self) -> list[tuple[str, list[ReviewLine]]]:
        """By side, in this order."""
        named = [
            (str(side.label), [line for line in self.lines if line.side == side])
            for side in Remark.Side
        ]
        return [(label, lines) for label, lines in named if lines]

    @property
    def undecided(self) -> int:
        return sum(not line.state for line in self.lines)


@dataclass(frozen=True)
class Read:
    """A season's review with all that it is drafted from."""

    season: Season
    review: Review
    shown: tuple[ReviewLine, ...]

    @property
    def is_open(self) -> bool:
        return self.review.written_on is None

    @property
    def crops(self) -> list[Crop]:
        """Crops that grew in the season or that something is said of."""
        said = {one.crop for one in self.shown if one.crop}
        grown = {crop.pk for crop in self.season.grown}
        return sorted((self.season.crops[pk] for pk in said | grown), key=lambda crop: crop.name)

    def of_season(self) -> Sheet:
        """The season's own lines and the most telling of each crop;
        where there is room, more of them.
        """
        ordered = sorted((one for one in self.shown if not one.is_struck), key=_turn)
        of_each: Counter[int] = Counter()
        first: list[ReviewLine] = []
        more: list[ReviewLine] = []
        for one in ordered:
            of_each[one.crop or 0] += one.crop is not None
            (more if of_each[one.crop or 0] > MOST_OF_EACH else first).append(one)
        chosen = sorted(
            [*first[:MOST_OF_SEASON], *more[: max(MOST_OF_SEASON - len(first), 0)]], key=_turn
        )
        rest = [*first[MOST_OF_SEASON:], *(one for one in self.shown if one.is_struck)]
        return Sheet(tuple(chosen), tuple(one for one in rest if one.crop is None or one.is_struck))

    def of_crop(self, crop: Crop) -> Sheet:
        """A crop's lines."""
        ordered = sorted((one for one in self.shown if one.crop == crop.pk), key=_turn)
        kept = [one for one in ordered if not one.is_struck]
        struck = [one for one in ordered if one.is_struck]
        return Sheet(tuple(kept[:MOST_OF_CROP]), (*kept[MOST_OF_CROP:], *struck))


def _turn(one: ReviewLine) -> tuple[bool, float, str]:
    """What the gardener said stands first, then what tells most."""
    return not one.state or one.is_struck, -one.telling, one.key


def review_of(household: Household, year: int) -> Review:
    """The review of a season, or one that nothing is said in yet."""
    found = Review.objects.of(household).filter(season=year).first()
    return found or Review(household=household, season=year)


def key_of(household: Household, year: int, system: str) -> tuple[object, ...]:
    """By what a draft is remembered for as long as nothing is written."""
    return "look back", household.pk, year, system, clock.today(household)


def is_drafted(household: Household, year: int, system: str) -> bool:
    """Whether the draft is at hand already, so that its page is there at once."""
    return is_known(key_of(household, year, system))


def _drafted_of(household: Household, year: int, system: str) -> tuple[Season, list[DraftLine]]:
    season = Season(household, year, system)
    return season, draft(season)


def read_review(household: Household, year: int, system: str = "metric") -> Read:
    """A season's review: of one that is written only what was said;
    of one being written the draft too.
    """
    season, lines = while_unchanged(
        key_of(household, year, system), lambda: _drafted_of(household, year, system)
    )
    review = review_of(household, year)
    remarks = list(Remark.objects.of(household).filter(season=year))
    drafted = {line.key: line for line in lines}
    shown = [_remarked(remark, drafted.get(remark.key)) for remark in remarks]
    if review.written_on is None:
        said = {remark.key for remark in remarks if remark.key}
        shown += [_drafted(line) for key, line in drafted.items() if key not in said]
    return Read(season, review, tuple(shown))


def _drafted(line: DraftLine) -> ReviewLine:
    return ReviewLine(
        key=line.key,
        side=line.side,
        words=line.words,
        state="",
        cause="",
        address=line.address,
        rests=line.rests,
        telling=line.telling,
        crop=line.crop,
        causes=_offered(line),
        remark=None,
    )


def _remarked(remark: Remark, line: DraftLine | None) -> ReviewLine:
    now = (
        line.words
        if line is not None and remark.state == Remark.State.KEPT and line.words != remark.words
        else ""
    )
    return ReviewLine(
        key=remark.key,
        side=remark.side,
        words=remark.words,
        state=remark.state,
        cause=remark.cause,
        address=line.address if line else "",
        rests=line.rests
        if line
        else "own words"
        if remark.state == Remark.State.OWN
        else "no longer in the record",
        telling=line.telling if line else 50.0,
        crop=remark.crop_id,
        causes=_offered(line),
        remark=remark.pk,
        now=now,
    )


def _offered(line: DraftLine | None) -> tuple[str, ...]:
    return (*(line.causes if line else ()), NOT_KNOWN)


def seasons_to_review(household: Household, years: list[int]) -> list[tuple[int, bool]]:
    """Each season with whether its review is written."""
    written = set(
        Review.objects.of(household).exclude(written_on=None).values_list("season", flat=True)
    )
    return [(year, year in written) for year in years]
