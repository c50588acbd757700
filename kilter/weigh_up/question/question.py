"""The question: what is compared, by which measure, for which crops,
seasons and sites, within what.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from django.db.models import QuerySet
from django.http import QueryDict

from kilter.core.compare import Kind
from kilter.core.compare.kinds import kind_named
from kilter.core.yields.measures import Measure, measure_named
from kilter.ground.models import Site
from kilter.people.models import Household
from kilter.records.facts import PlantingFacts
from kilter.records.harvest import NEEDS
from kilter.set_out.models import Crop, MethodTag, Planting
from kilter.weigh_up.question.gaps import ATTRIBUTES, GAPS, MOON, Gap, fixed_words, grade_words


@dataclass(frozen=True, kw_only=True)
class Question:
    """One comparison to be made; it has an address of its own, and a field for each of `GAPS`."""

    crops: tuple[Crop, ...]  #: empty for all
    compare: str
    by: str
    within: tuple[str, ...] = ()
    seasons: tuple[int, ...] = ()  #: empty for all
    with_estimates: bool = (
        False  #: what was counted and not weighed enters with its reckoned weight
    )
    sites: tuple[str, ...] = ()  #: their ids in the open format; empty for all
    second_factor: str = ""  #: a second thing compared at the same time
    grades: tuple[str, ...] = ()  #: empty for what is food
    cut_off: str = ""  #: of what is picked again and again: ``date`` or ``age``
    without: tuple[str, ...] = ()  #: ids of plantings that the gardener leaves out
    unlike: tuple[
        str, ...
    ] = ()  #: blocks it was asked without, as they cannot be told from what is compared

    def plantings(self, household: Household) -> QuerySet[Planting]:
        """Those of its crops, of any season:
        the others tell how much pots of the same thing differ here.
        """
        found = Planting.objects.of(household)
        if self.crops:
            found = found.filter(crop__in=self.crops)
        return found.as_they_stand()

    def is_about(self, season: int) -> bool:
        return not self.seasons or season in self.seasons

    def asked_of(
        self, household: Household, rows: Iterable[PlantingFacts]
    ) -> tuple[PlantingFacts, ...]:
        """Those of the seasons and sites that are asked about."""
        names: set[str] = set()
        if self.sites:
            names = set(
                Site.objects.of(household).filter(ref__in=self.sites).values_list("name", flat=True)
            )
        return tuple(
            row
            for row in rows
            if self.is_about(row.season) and (not names or row.attributes["site"] in names)
        )

    @property
    def measure(self) -> Measure:
        return measure_named(self.by)

    @property
    def kind(self) -> Kind:
        """On which scale its measure is compared."""
        return kind_named(self.measure.kind)

    @property
    def needs_to_measure(self) -> frozenset[str]:
        """What of the records its measure cannot do without."""
        return frozenset([NEEDS[self.by]] if self.by in NEEDS else [])

    @property
    def needs(self) -> frozenset[str]:
        """What of the records is read: to measure, to say what else differed,
        and of what is picked again when.
        """
        books = [crop.in_handbook for crop in self.crops]
        is_picked = bool(books) and all(book is not None and book.pick_every_days for book in books)
        lifts = {"lifts"} if self.cut_off or is_picked else set()
        return self.needs_to_measure | lifts | {"work", "handling", "kept"}

    @property
    def attributes(self) -> tuple[str, ...]:
        """What each unit must have recorded."""
        return (self.compare, *([self.second_factor] if self.second_factor else []), *self.within)

    def values(self, gap: Gap) -> list[str]:
        """What stands in a gap, as text; by names and ids, so that it can be taken elsewhere."""
        value = getattr(self, gap.field)
        if gap.is_many:
            return [str(one) for one in value]
        if gap.kind == "flag":
            return ["on"] if value else []
        return [value] if value else []

    def address(self) -> str:
        """The question as it stands in an address."""
        data = QueryDict(mutable=True)
        for gap in GAPS:
            if values := self.values(gap):
                data.setlist(gap.name, values)
        return data.urlencode()

    def but(self, **changes: Any) -> Question:
        """The same question with something else in it."""
        return replace(self, **changes)

    def in_words(self, attributes: Mapping[str, str], sites: Mapping[str, str]) -> str:
        """The whole question as a sentence, for a report and the list of those saved."""
        said = ""
        for gap in GAPS:
            known = {"attribute": attributes, "site": sites}.get(gap.kind) or fixed_words(gap.kind)
            if gap.kind == "grade":
                known = {key: grade_words(key) for key in self.grades}
            words = ", ".join(known.get(value, value) for value in self.values(gap))
            said += gap.said.format(words) if words else gap.said_empty
        return f"{said}."


def attributes_of(household: Household) -> dict[str, str]:
    """Every attribute of the household's plantings: the built-in ones and the methods in use."""
    tags = MethodTag.objects.filter(planting__household=household, planting__struck_at=None)
    names = tags.order_by("name").values_list("name", flat=True).distinct()
    moon = MOON if household.is_moon_shown else {}
    return ATTRIBUTES | moon | {f"method:{name}": name for name in names}
