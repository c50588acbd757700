"""Choosing where: on the small map, in a list, or by typing ``crock 3-9``."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from django import forms
from django.db.models import Model

from kilter.core.errors import RecordError
from kilter.core.growing.places import places_typed
from kilter.drawing.ground_map import GroundMap, ground_map
from kilter.ground.maps import map_spot
from kilter.ground.models import Part, Place, Site
from kilter.people.forms import HouseholdField
from kilter.people.models import Household

MAP_PX = 900.0
#: So many can be ticked without a fold.
SHORT_LIST = 16
MOST_TYPED = 200
#: So many are named one by one.
MOST_NAMED = 4


@dataclass(frozen=True)
class Chosen:
    """What was sent: ticked keys such as ``place-12``, and what was typed."""

    keys: tuple[str, ...] = ()
    typed: str = ""


class ChooseWidget(forms.CheckboxSelectMultiple):
    """Boxes of one name, and a line to type in beside them."""

    def value_from_datadict(self, data: Any, _files: Any, name: str) -> Chosen:
        keys = data.getlist(name) if hasattr(data, "getlist") else data.get(name, ())
        return Chosen(tuple(keys), data.get(f"{name}_typed", "").strip())

    def format_value(self, value: Any) -> list[str]:
        return list(value.keys if isinstance(value, Chosen) else value or ())

    def value_omitted_from_data(self, *_: Any) -> bool:
        return False


class ChooseBound(forms.BoundField):
    """The field as a page shows it."""

    field: ChooseField
    is_choose = True

    @property
    def chosen(self) -> Chosen:
        value = self.value()
        return value if isinstance(value, Chosen) else Chosen(tuple(value or ()))

    @property
    def picked(self) -> frozenset[str]:
        return frozenset(self.chosen.keys)

    @property
    def ticked_words(self) -> str:
        """What is ticked, in words."""
        labels = [
            self.field.label_of(*pair)
            for key, pair in self.field.found.items()
            if key in self.picked
        ]
        more = f" and {len(labels) - MOST_NAMED} more" if len(labels) > MOST_NAMED else ""
        return f"Ticked: {', '.join(labels[:MOST_NAMED])}{more}" if labels else ""

    @property
    def is_long(self) -> bool:
        return len(self.field.found) > SHORT_LIST

    @property
    def groups(self) -> list[tuple[str, list[tuple[str, str]]]]:
        """What can be ticked, under headings."""
        named: dict[str, list[tuple[str, str]]] = {}
        for key, (kind, record) in self.field.found.items():
            named.setdefault(self.field.heading(kind, record), []).append(
                (key, self.field.label_of(kind, record))
            )
        return list(named.items())

    def maps(self) -> Iterator[tuple[Site, GroundMap]]:
        """A small map of each site that has two places or more on it."""
        by_site: dict[Site, list[Place]] = {}
        for kind, record in self.field.found.values():
            if kind == "place" and record.x_m is not None and record.y_m is not None:
                by_site.setdefault(record.site, []).append(record)
        for site, places in by_site.items():
            if len(places) > 1:
                yield site, ground_map(map(map_spot, places), site.length_m, site.width_m, MAP_PX)


class ChooseField(HouseholdField):
    """Some of the household's places and what lies in them;
    gives pairs of a kind and a record, as they stand.
    """

    widget = ChooseWidget
    found: dict[str, tuple[str, Any]]
    bound_field_class = ChooseBound  #: how Django 5.2 lets a field bring its own
    example = "crock 3-9, bed 2"

    def __init__(self, kinds: Iterable[str] = ("place", "part"), **kwargs: Any) -> None:
        messages = {"required": "Pick at least one place."} | kwargs.pop("error_messages", {})
        super().__init__(error_messages=messages, **kwargs)
        self.kinds = tuple(kinds)
        self.found = {}

    def know(self, household: Household) -> None:
        # A dict of its own: a form's fields are shallow copies, and another household's must not
        # shine through.
        self.found = {}
        if "site" in self.kinds:
            self.add("site", Site.objects.of(household))
        if "place" in self.kinds:
            self.add("place", Place.objects.of(household).in_order())
        if "part" in self.kinds:
            self.add(
                "part",
                Part.objects.of(household)
                .filter(place__struck_at=None)
                .select_related("place__site"),
            )

    def add(self, kind: str, records: Iterable[Model]) -> None:
        """Offer records more."""
        self.found |= {f"{kind}-{record.pk}": (kind, record) for record in records}
        self.label_all()
        self.widget.choices = [(key, self.label_of(*pair)) for key, pair in self.found.items()]

    def label_all(self) -> None:
        """What is known of the records together, before each is labelled."""

    def heading(self, kind: str, record: Any) -> str:
        """What a record is listed under."""
        if kind == "place" and record.number is not None:
            return str(record.name)
        return {"site": "Whole sites", "part": "Parts of beds"}.get(kind, "Places")

    def label_of(self, kind: str, record: Any) -> str:
        """What its box says."""
        return f"{record.place}, {record}" if kind == "part" else str(record)

    def typed_keys(self, text: str) -> list[str]:
        """The places that a text names, as keys; says in a sentence what it does not understand."""
        keys = [key for key, (kind, _) in self.found.items() if kind == "place"]
        return [keys[i] for i in self.places_typed(text, [self.found[key][1] for key in keys])]

    def places_typed(self, text: str, places: Sequence[Place]) -> tuple[int, ...]:
        """Which of some places a text names."""
        try:
            return places_typed(text, [(place.name, place.number) for place in places])
        except RecordError as error:
            raise forms.ValidationError(str(error)) from error

    def clean(self, value: Any) -> list[tuple[str, Any]]:
        chosen = value if isinstance(value, Chosen) else Chosen(tuple(value or ()))
        if len(chosen.typed) > MOST_TYPED:
            raise forms.ValidationError(f"Type at most {MOST_TYPED} letters; tick the rest.")
        unknown = [key for key in chosen.keys if key not in self.found]
        if unknown:
            raise forms.ValidationError(
                "One of those ticked is not one of the available; tick again."
            )
        wanted = {*chosen.keys, *(self.typed_keys(chosen.typed) if chosen.typed else ())}
        if self.required and not wanted:
            raise forms.ValidationError(self.error_messages["required"], "required")
        return [pair for key, pair in self.found.items() if key in wanted]


def spots_of(pairs: Iterable[tuple[str, Any]]) -> list[tuple[Place, Part | None]]:
    """Chosen places and parts as pairs of a place and a part of it or None."""
    return [(record.place, record) if kind == "part" else (record, None) for kind, record in pairs]


def spot_key(place_id: int, part_id: int | None) -> str:
    """The key under which a place or its part is ticked."""
    return f"part-{part_id}" if part_id else f"place-{place_id}"


def understood(field: ChooseField, text: str) -> tuple[str, list[str]]:
    """What a text is understood to mean, or what it is not:
    a sentence to show while it is typed, and the keys.
    """
    if not text.strip():
        return "", []
    try:
        keys = field.typed_keys(text)
    except forms.ValidationError as error:
        return " ".join(error.messages), []
    labels = [str(field.found[key][1]) for key in keys]
    shown = (
        ", ".join(labels)
        if len(labels) <= MOST_NAMED
        else f"{labels[0]}, {labels[1]} … {labels[-1]}"
    )
    return f"{len(labels)} place{'s' * (len(labels) != 1)}: {shown}.", keys
