"""Choosing among what stands, beside the places it stands in."""

from __future__ import annotations

from typing import Any

from kilter.ground.choosing import ChooseField
from kilter.people import clock
from kilter.people.models import Household
from kilter.set_out.models import Planting
from kilter.set_out.telling import told_apart


class ChoosePlantings(ChooseField):
    """Sites, places, parts and plantings that stand; gives pairs of a kind and a record."""

    household: Household
    called: dict[int, str]

    def __init__(self, kinds: tuple[str, ...], **kwargs: Any) -> None:
        super().__init__(kinds, error_messages={"required": "Pick at least one."}, **kwargs)

    def know(self, household: Household) -> None:
        super().know(household)
        self.household = household
        if "planting" in self.kinds:
            self.add(
                "planting",
                Planting.objects.of(household)
                .in_reach(clock.today(household))
                .with_names()
                .as_they_stand(),
            )

    def offer_also(self, pk: int | None) -> None:
        """Offer one planting more, over or not: the one that a page is about."""
        if pk:
            self.add("planting", Planting.objects.of(self.household).filter(pk=pk).with_names())

    def typed_keys(self, text: str) -> list[str]:
        """Places; where only plantings are asked for, what stands in them,
        of the latest season in each.
        """
        if "place" in self.kinds:
            return super().typed_keys(text)
        standing = [(key, record) for key, (_, record) in self.found.items()]
        places = list({record.place_id: record.place for _, record in standing}.values())
        wanted = {places[i].pk for i in self.places_typed(text, places)}
        latest: dict[int, int] = {}
        for _, record in standing:
            latest[record.place_id] = max(latest.get(record.place_id, 0), record.season)
        return [
            key
            for key, one in standing
            if one.place_id in wanted and one.season == latest[one.place_id]
        ]

    def label_all(self) -> None:
        self.called = told_apart([one for kind, one in self.found.values() if kind == "planting"])

    def label_of(self, kind: str, record: Any) -> str:
        return self.called[record.pk] if kind == "planting" else super().label_of(kind, record)

    def heading(self, kind: str, record: Any) -> str:
        return (
            f"What stands: {record.crop}" if kind == "planting" else super().heading(kind, record)
        )
