"""Every planting as the core's plain record, with all that it can be compared by."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from django.core.exceptions import EmptyResultSet
from django.db.models import QuerySet

from kilter.core.trade.places import place_kind
from kilter.core.yields.bands import bands
from kilter.core.yields.harvest import Lift
from kilter.core.yields.lacks import Lack
from kilter.core.yields.record import PlantingRecord, density_per_m2
from kilter.ground.models import place_label
from kilter.people import clock
from kilter.people.models import Household
from kilter.people.unchanged import while_unchanged
from kilter.records.attributes import attributes_of
from kilter.records.harvest import given_of, record_of
from kilter.records.rows import FactRow, ground_of, handling_of, methods_of, rows_of
from kilter.set_out.models import Crop, Planting, planting_label


@dataclass(frozen=True, kw_only=True)
class PlantingFacts:
    """A planting with its record and all it can be compared by; plain values, as there are many.

    A planting that stays over years is one of these for each year.
    """

    pk: int
    label: str
    place: str
    place_kind: str
    season: int
    record: PlantingRecord
    attributes: dict[str, str | None]
    methods: Mapping[str, str] = field(default_factory=dict)
    lifts: tuple[Lift, ...] = ()  #: each with its day, where days were asked for
    is_perennial: bool = False  #: one of the years of what stays over years
    doubtful: frozenset[str] = frozenset()  #: attributes that were written down, but are in doubt

    @property
    def is_bed(self) -> bool:
        return place_kind(self.place_kind).is_bed

    def attribute(self, name: str) -> str | None:
        """The value of an attribute, None where it was not recorded or is in doubt."""
        if name in self.doubtful:
            return None
        if name.startswith("method:"):
            return self.methods.get(name.removeprefix("method:"))
        return self.attributes[name] or None

    def lack(self, names: Iterable[str], words: Mapping[str, str]) -> Lack | None:
        """Which of these attributes were not recorded or are in doubt; None where all are known."""
        unknown = [
            f"its {words[name]} {'is in doubt' if name in self.doubtful else 'was not recorded'}"
            for name in names
            if self.attribute(name) is None
        ]
        return Lack("attribute unknown", " and ".join(unknown), "write down") if unknown else None


def levels_among(rows: Sequence[PlantingFacts], name: str) -> set[str | None]:
    """Every value an attribute has among some rows, None for what is not recorded or in doubt."""
    if name.startswith("method:"):
        method = name.removeprefix("method:")
        return {row.methods.get(method) for row in rows}
    return {None if name in row.doubtful else row.attributes[name] or None for row in rows}


def facts(
    household: Household, plantings: QuerySet[Planting], needs: frozenset[str] = frozenset()
) -> list[PlantingFacts]:
    """Plantings as the core's records, in the order given; a fixed number of queries,
    none if nothing was written.
    """
    try:
        rows = plantings.query.sql_with_params()
    except EmptyResultSet:
        return []
    key = (household.pk, clock.today(household), rows, needs)
    return list(while_unchanged(key, lambda: _facts(household, plantings, needs)))


def _facts(
    household: Household, plantings: QuerySet[Planting], needs: frozenset[str]
) -> list[PlantingFacts]:
    rows = rows_of(plantings, clock.today(household).year)
    crops = Crop.objects.ever_of(household).in_bulk({row.crop_id for row in rows})
    handling = handling_of(household, plantings) if "handling" in needs else {}
    methods, ground = methods_of(plantings), ground_of(household, plantings)
    given = given_of(household, plantings, rows, needs)
    small_eaten = {crop.pk: crop.is_small_eaten(household) for crop in crops.values()}
    found = []
    for row in rows:
        name = crops[row.crop_id].name
        lifts = given.lifts_of(row)
        record = record_of(row, lifts, given, ground, is_small_food=small_eaten[row.crop_id])
        attributes = attributes_of(row, name, ground, handling.get(row.pk), given.kept.get(row.pk))
        kept_lifts = lifts if "lifts" in needs else ()
        found.append(_fact(row, name, record, attributes, methods.get(row.pk, {}), kept_lifts))
    for fact, label in zip(
        found, bands([density_per_m2(f.record) for f in found], "per m²"), strict=True
    ):
        fact.attributes["density"] = label
    return found


def _fact(
    row: FactRow,
    crop: str,
    record: PlantingRecord,
    attributes: dict[str, str | None],
    methods: Mapping[str, str],
    lifts: tuple[Lift, ...],
) -> PlantingFacts:
    label = planting_label(crop, row.variety or "", is_doubtful=row.is_variety_doubtful)
    doubtful = frozenset({"variety"} if row.is_variety_doubtful else ())
    place = place_label(row.name, row.number)
    return PlantingFacts(
        pk=row.pk,
        label=label,
        place=place,
        place_kind=row.kind,
        season=row.season,
        record=record,
        attributes=attributes,
        methods=methods,
        lifts=lifts,
        is_perennial=row.is_perennial,
        doubtful=doubtful,
    )
