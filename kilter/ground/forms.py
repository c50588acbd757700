"""Forms of sites, places, sets, parts, moves and what a place is filled with."""

from __future__ import annotations

import math
from collections.abc import Collection
from typing import Any

from django import forms

from kilter.core.amounts.units import L_PER_UNIT
from kilter.core.trade.places import OFFERED, place_kind
from kilter.ground.choosing import ChooseField
from kilter.ground.models import (
    SHELTERS,
    Fill,
    Light,
    Mix,
    Move,
    Part,
    Place,
    Site,
)
from kilter.people.forms import CommaNumbers, DatedForm, DayField, Group, OfHousehold, PriceField
from kilter.people.meeting import OfRecord

MAX_SET = 200
#: Parts that are made in one step: name, kind, start, end.
DIVISIONS = {
    "halves": (("west half", "stretch", 0, 0.5), ("east half", "stretch", 0.5, 1)),
    "thirds": (
        ("west third", "stretch", 0, 1 / 3),
        ("middle third", "stretch", 1 / 3, 2 / 3),
        ("east third", "stretch", 2 / 3, 1),
    ),
    "ends": (
        ("west end", "stretch", 0, 0.15),
        ("between the ends", "stretch", 0.15, 0.85),
        ("east end", "stretch", 0.85, 1),
    ),
    "edge and middle": (("edge", "edge", 0, 1), ("middle", "middle", 0, 1)),
}


#: What a bed seldom needs, what a container seldom needs, and what neither does.
OF_CONTAINERS = frozenset(
    {"number", "diameter_m", "depth_m", "volume_l", "volume_unit", "material", "empty_kg"}
    | {"is_above_waist", "is_rooted_through"}
)
OF_BEDS = frozenset({"length_m", "width_m"})
#: What is never the same in all of a set.
OF_ONE = frozenset({"name", "number", "x_m", "y_m", "notes"})
SELDOM = frozenset({"height_m", "shade_side", "moisture", "notes"})


class SiteForm(OfHousehold, forms.ModelForm):
    """A site, its size, its light, its frosts."""

    last_frost_on = DayField(required=False)
    first_frost_on = DayField(required=False)
    groups = (
        Group(
            "The land",
            "Its map is drawn to this size.",
            ("name", "length_m", "width_m", "north_deg"),
        ),
        Group(
            "Sun and frost",
            "Places have this light unless they say otherwise, and it can be compared. Sowing days "
            "and the end of the season follow from the frosts.",
            ("light", "light_when", "shelter", "last_frost_on", "first_frost_on", "latitude"),
        ),
        Group("The way there", "", ("away_min", "notes")),
    )

    def seldom(self) -> Collection[str]:
        return {"light_when", "shelter", "away_min", "north_deg", "notes"}

    class Meta:
        model = Site
        fields = (
            "name",
            "length_m",
            "width_m",
            "light",
            "light_when",
            "shelter",
            "away_min",
            "latitude",
            "last_frost_on",
            "first_frost_on",
            "north_deg",
            "notes",
        )
        widgets = {
            "notes": forms.Textarea(attrs={"rows": 2}),
            "shelter": forms.TextInput(attrs={"list": "shelters"}),
        }

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["north_deg"].required = False
        for name in ("last_frost_on", "first_frost_on"):
            model_field: Any = Site._meta.get_field(name)
            self.fields[name].label, self.fields[name].help_text = (
                model_field.verbose_name,
                model_field.help_text,
            )
            self.fields[name].widget.attrs["placeholder"] = (
                "20 April" if name == "last_frost_on" else "25 October"
            )

    def clean_north_deg(self) -> float:
        return self.cleaned_data["north_deg"] or 0.0


class PlaceForm(OfHousehold, forms.ModelForm):
    """One place, new or to be changed."""

    volume_unit = forms.ChoiceField(
        label="that volume is in",
        required=False,
        choices=[("L", "litres"), ("US gal", "US gallons"), ("imp gal", "imperial gallons")],
    )
    groups = (
        Group(
            "What it is",
            "",
            ("how_many", "kind", "name", "number", "first_number", "site", "material"),
        ),
        Group(
            "How large",
            (
                "Yields per square metre and per litre, and how many plants it takes, are reckoned "
                "from these."
            ),
            ("length_m", "width_m", "diameter_m", "depth_m", "volume_l", "volume_unit"),
        ),
        Group(
            "Where it stands",
            (
                "What is on the map can be compared by edge and middle, and seen in the plan for "
                "next year."
            ),
            ("layout", "x_m", "y_m", "gap_m", "per_row", "height_m", "shade_side"),
        ),
        Group(
            "Light and water",
            "Places that differ in these are told apart in a comparison.",
            ("light", "moisture", "is_above_waist", "is_rooted_through", "empty_kg"),
        ),
    )

    class Meta:
        model = Place
        fields: tuple[str, ...] = (
            "site",
            "kind",
            "name",
            "number",
            "length_m",
            "width_m",
            "diameter_m",
            "depth_m",
            "volume_l",
            "material",
            "x_m",
            "y_m",
            "light",
            "moisture",
            "height_m",
            "shade_side",
            "empty_kg",
            "is_above_waist",
            "is_rooted_through",
            "notes",
        )
        labels = {"volume_l": "volume on the label"}
        help_texts = {
            "x_m": "Of its south-west corner, from the site's.",
            "y_m": "Empty if it is not on the map yet.",
        }
        widgets = {"notes": forms.Textarea(attrs={"rows": 2})}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["site"].empty_label = None  # type: ignore[attr-defined]
        self.order_fields(
            [*list(self.Meta.fields[: self.Meta.fields.index("volume_l") + 1]), "volume_unit"]
        )
        self.fields["kind"].widget.attrs["list"] = "kinds"

    def seldom(self) -> Collection[str]:
        """By the kind: a bed has no bottom for roots to grow out of."""
        return SELDOM | (
            OF_CONTAINERS if place_kind(self["kind"].value() or "").is_bed else OF_BEDS
        )

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if cleaned.get("volume_l"):
            in_litres = L_PER_UNIT[cleaned.get("volume_unit") or "L"]
            litres = (
                cleaned["volume_l"]
                if in_litres == 1
                else round(cleaned["volume_l"] * float(in_litres), 3)
            )
            cleaned["volume_l"] = self.instance.volume_l = litres
        return cleaned


class PlaceChangeForm(PlaceForm):
    """A place to be changed, and with it the others of its set."""

    is_for_set = forms.BooleanField(label="change the same in every one of the set", required=False)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        if self.instance.number is None:
            del self.fields["is_for_set"]
        else:
            self.fields["is_for_set"].label = f"change the same in every {self.instance.name}"

    @property
    def changed_of_set(self) -> list[str]:
        """What was changed here and may be alike in all of a set."""
        changed = {"volume_l" if name == "volume_unit" else name for name in self.changed_data}
        return [name for name in self.Meta.fields if name in changed and name not in OF_ONE]


class SetForm(PlaceForm):
    """A numbered set of alike containers, made in one step and laid out in a line or a block."""

    how_many = forms.IntegerField(min_value=1, max_value=MAX_SET, initial=6)
    first_number = forms.IntegerField(min_value=1, max_value=100_000, initial=1)
    layout = forms.ChoiceField(
        required=False,
        initial="block",
        choices=[("line", "in one line"), ("block", "in a block"), ("hand", "by hand, on the map")],
    )
    gap_m = forms.FloatField(
        label="from one to the next, m", min_value=0, max_value=100, initial=0.5
    )
    per_row = forms.IntegerField(
        min_value=1, max_value=MAX_SET, initial=12, label="in a row of the block"
    )

    class Meta(PlaceForm.Meta):
        fields = (
            "site",
            "kind",
            "name",
            "volume_l",
            "diameter_m",
            "material",
            "x_m",
            "y_m",
            "light",
            "empty_kg",
        )
        labels = {"name": "called", "volume_l": "volume on the label"}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["volume_l"].required = True
        self.order_fields(
            [
                "how_many",
                "kind",
                "name",
                "first_number",
                "volume_l",
                "volume_unit",
                "diameter_m",
                "material",
                "site",
                "layout",
                "x_m",
                "y_m",
                "gap_m",
                "per_row",
                "light",
                "empty_kg",
            ]
        )

    def seldom(self) -> Collection[str]:
        return {"material", "empty_kg"}

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if {"name", "first_number", "how_many"} <= cleaned.keys():
            last = cleaned["first_number"] + cleaned["how_many"] - 1
            taken = Place.objects.of(self.household).filter(
                name=cleaned["name"], number__range=(cleaned["first_number"], last)
            )
            if number := taken.order_by("number").values_list("number", flat=True).first():
                self.add_error(
                    "first_number",
                    f"There is a {cleaned['name']} {number} already; start after it.",
                )
        return cleaned


class PartForm(OfRecord, CommaNumbers, forms.ModelForm):
    """A part of a bed: a stretch in metres along it, its edge or its middle."""

    from_m = forms.FloatField(
        label="from, m along it", required=False, min_value=0, max_value=10_000
    )
    to_m = forms.FloatField(label="to, m along it", required=False, min_value=0, max_value=10_000)

    class Meta:
        model = Part
        fields = ("name", "kind", "light", "moisture", "notes")

    def __init__(self, *args: Any, place: Place, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.place = place
        self.long_m = place.length_m or 1.0
        if self.instance.pk:
            self.initial = {
                **self.initial,
                "from_m": round(self.instance.start * self.long_m, 2),
                "to_m": round(self.instance.end * self.long_m, 2),
            }
        self.order_fields(["name", "kind", "from_m", "to_m", "light", "moisture", "notes"])

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if cleaned.get("kind") != Part.Kind.STRETCH:
            self.instance.start, self.instance.end = 0.0, 1.0
            return cleaned
        start, end = cleaned.get("from_m") or 0.0, cleaned.get("to_m")
        end = self.long_m if end is None else end
        if not 0 <= start < end <= self.long_m * 1.0001:
            self.add_error(
                "to_m",
                (
                    f"A stretch runs from less to more, within the {self.long_m:g} m that "
                    f"{self.place} is long."
                ),
            )
        else:
            self.instance.start, self.instance.end = (
                start / self.long_m,
                min(end / self.long_m, 1.0),
            )
        return cleaned


class DivideForm(forms.Form):
    """Several parts in one step."""

    into = forms.ChoiceField(choices=[(name, name) for name in DIVISIONS])


class PutOnMapForm(forms.Form):
    """Where a place is put on its map: set right, or moved on a day."""

    x_m = forms.FloatField(min_value=-10_000, max_value=10_000)
    y_m = forms.FloatField(min_value=-10_000, max_value=10_000)
    is_move = forms.BooleanField(required=False)


class MoveForm(DatedForm):
    """A move of one place to a new spot, with its date."""

    site = forms.ModelChoiceField(Site.objects.none(), empty_label=None, label="to site")
    x_m = forms.FloatField(label="east, m", required=False, min_value=-10_000, max_value=10_000)
    y_m = forms.FloatField(label="north, m", required=False, min_value=-10_000, max_value=10_000)
    light = forms.ChoiceField(
        choices=[("", "as the site's"), *Light.choices], required=False, label="light there"
    )
    field_order = ("when", "site", "x_m", "y_m", "light", "note")

    class Meta:
        model = Move
        fields = ("note",)

    def __init__(self, *args: Any, place: Place, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.initial = {
            **self.initial,
            "site": place.site_id,
            "x_m": place.x_m,
            "y_m": place.y_m,
            "light": place.light,
        }


class MixForm(OfRecord, CommaNumbers, forms.ModelForm):
    """A mix by its parts."""

    class Meta:
        model = Mix
        fields = ("name", "recipe")


class FillForm(DatedForm):
    """Filled, topped up, reused, measured, emptied: one place or a whole set."""

    price = PriceField(label="price", required=False)
    places = ChooseField(("place",), label="the same in", required=False)
    field_order = (
        "kind",
        "when",
        "litres",
        "mix",
        "came_from",
        "price",
        "over_uses",
        "note",
        "places",
    )
    groups = (
        Group(
            "How full",
            "Filling sets the litres, topping up adds to them, measuring tells what is left.",
            ("kind", "when", "litres"),
        ),
        Group("With what", "", ("mix", "came_from", "note")),
        Group(
            "What it cost",
            "A part of the price goes to each season that uses it.",
            ("price", "over_uses"),
        ),
        Group("Where", "", ("places",)),
    )

    class Meta:
        model = Fill
        fields = ("kind", "litres", "mix", "came_from", "over_uses", "note")

    def __init__(self, *args: Any, place: Place, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.place = place
        self.initial = {"places": [f"place-{place.pk}"], **self.initial}

    def clean_places(self) -> list[Place]:
        """The places said; the page's own where none is."""
        return [place for _, place in self.cleaned_data["places"]] or [self.place]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        kind, litres = cleaned.get("kind"), cleaned.get("litres")
        if (
            kind in {"filled", "topped up", "measured"}
            and litres is None
            and "litres" not in self.errors
        ):
            self.add_error("litres", f"Say how many litres; {self.place} can be “emptied” without.")
        if litres is not None and not math.isfinite(litres):
            self.add_error("litres", "That is no number of litres.")
        if cleaned.get("came_from") == self.place:
            self.add_error("came_from", "Its own medium is reused when nothing is chosen here.")
        self.instance.price_minor = cleaned.get("price")
        return cleaned


SUGGESTIONS = {"kinds": OFFERED, "shelters": SHELTERS}


class InPart(OfHousehold):
    """A form with a place and, where it has any, one of its parts.

    Stands among the bases as `OfHousehold` does.
    """

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        if isinstance(part := self.fields.get("part"), forms.ModelChoiceField):
            part.queryset = Part.objects.of(self.household).select_related("place")
            part.label_from_instance = lambda obj: f"{obj.place}, {obj}"  # type: ignore[method-assign]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        part, place = cleaned.get("part"), cleaned.get("place")
        if part and place and part.place_id != place.pk:
            self.add_error("part", f"This part is of {part.place}, not of {place}.")
        return cleaned
