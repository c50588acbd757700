"""The sentence of a planting, the forms to change or finish one,
and those of counts, lots and costs.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable
from typing import Any, ClassVar

from django import forms

from kilter.core.amounts.vague import VagueDate
from kilter.core.growing.growth import KINDS
from kilter.core.handbook import crop_called, handbook, other_names
from kilter.core.handbook.own import OWN_VALUES
from kilter.core.trade.units import UNIT_KINDS
from kilter.ground.choosing import ChooseField, spot_key, spots_of
from kilter.ground.forms import InPart
from kilter.ground.models import Part, Place
from kilter.people.forms import (
    DatedForm,
    DayField,
    Group,
    MassField,
    OfHousehold,
    PriceField,
    VagueDateField,
)
from kilter.people.meeting import OfRecord
from kilter.people.models import Household
from kilter.set_out.choosing import ChoosePlantings
from kilter.set_out.models import (
    Cost,
    Crop,
    MethodTag,
    PlantCount,
    Planting,
    SeedLot,
    Variety,
    YearSaid,
)
from kilter.set_out.queries import find_crop, set_out_with
from kilter.set_out.seasons import AUTUMN, season_asked

#: Of a piece whose blanks are single.
_TAG = re.compile(r"([^=;]{1,40}?) ?= ?([^=;]{1,80})")
#: What the empty gaps of the sentence say.
HINTS = {
    "units": "how many",
    "units_pm": "0",
    "crop_name": "crop",
    "variety_name": "unknown variety",
    "lot_name": "any lot",
    "season": "by its date",
    "in_row_cm": "…",
    "row_gap_cm": "…",
    "rows": "…",
    "methods_text": "no methods noted",
    "planted": "unknown day",
}
MORE = (
    "like",
    "is_variety_doubtful",
    "depth_cm",
    "spread_cm",
    "share_percent",
    "lot_mass",
    "price",
    "is_volunteer",
    "is_perennial",
    "notes",
)
#: What is seldom changed of a planting.
SELDOM_CHANGED = frozenset(
    {
        "is_variety_doubtful",
        "units_pm",
        "part",
        "share_percent",
        "lot_mass",
        "layout",
        "rows",
        "depth_cm",
        "spread_cm",
    }
    | {"is_volunteer", "is_perennial", "lift_from", "notes"}
)
#: Said of a crop that the handbook knows nothing like.
NOTHING_LIKE = "-"
CM = ("in_row", "row_gap", "depth", "spread")


def parse_methods(text: str) -> dict[str, str]:
    """Read ``setting=autumn; mulch=straw``; the error names the piece that cannot be read."""
    methods: dict[str, str] = {}
    for piece in filter(None, (part.strip() for part in text.split(";"))):
        match = _TAG.fullmatch(" ".join(piece.split()))
        if match is None:
            raise forms.ValidationError(
                f"“{piece}” is no method; write name=value, and ; between several."
            )
        if match[1] in methods:
            raise forms.ValidationError(f"“{match[1]}” is said twice; a method has one value.")
        methods[match[1]] = match[2]
    return methods


def format_methods(methods: dict[str, str]) -> str:
    """Write methods as `parse_methods` reads them."""
    return ";".join(f"{name}={value}" for name, value in sorted(methods.items()))


class NamesCrop(forms.ModelForm):
    """What is of a crop, and maybe of a variety, said by name; one not yet known is made."""

    crop_name = forms.CharField(max_length=60, label="crop")
    variety_name = forms.CharField(
        max_length=80, label="variety", required=False, help_text="Leave empty if unknown."
    )
    #: The lists of words that the page offers for a field.
    offers: ClassVar[dict[str, str]] = {"crop_name": "crops", "variety_name": "varieties"}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for name, words in self.offers.items():
            self.fields[name].widget.attrs["list"] = words
        if self.instance.crop_id:
            self.initial = {**self.initial, **names_of(self.instance)}


def names_of(record: Planting | SeedLot) -> dict[str, str]:
    """The names of its crop and variety, as a form shows them."""
    return {
        "crop_name": record.crop.name,
        "variety_name": record.variety.name if record.variety else "",
    }


class PlantingForm(InPart, NamesCrop):
    """One planting, to be changed."""

    lot_name = forms.CharField(max_length=80, label="lot", required=False)
    planted = VagueDateField(
        label="planted on", required=False, help_text="As exactly as it is known."
    )
    season = forms.IntegerField(
        required=False,
        min_value=1900,
        max_value=2200,
        help_text="Year of harvest; empty: by the date.",
    )
    lift_from = DayField(label="not to be lifted before", required=False)
    finished_on = DayField(label="finished on", required=False)
    until = DayField(
        label="stands until",
        required=False,
        help_text="As far as you know: its place is free then.",
    )
    in_row_cm = forms.FloatField(
        label="apart in the row, cm", required=False, min_value=0.5, max_value=5000
    )
    row_gap_cm = forms.FloatField(
        label="between rows, cm", required=False, min_value=0.5, max_value=5000
    )
    depth_cm = forms.FloatField(label="how deep, cm", required=False, min_value=0.5, max_value=5000)
    spread_cm = forms.FloatField(
        label="spreads beyond itself by, cm", required=False, min_value=0.5, max_value=5000
    )
    share_percent = forms.FloatField(
        label="% of the space", required=False, min_value=0.1, max_value=100
    )
    lot_mass = MassField(
        label="weight sown or set", required=False, help_text="12 g, 1.2 kg: for harvest per gram."
    )
    methods_text = forms.CharField(
        label="methods", required=False, max_length=600, help_text="setting=autumn; mulch=straw"
    )

    offers: ClassVar[dict[str, str]] = {
        **NamesCrop.offers,
        "unit_kind": "unit-kinds",
        "lot_name": "lots",
    }
    groups = (
        Group(
            "What was planted",
            "",
            ("crop_name", "variety_name", "is_variety_doubtful", "lot_name", "lot_mass"),
        ),
        Group(
            "How many, and where",
            "What each plant gave is reckoned over these, until plants are counted.",
            ("units", "units_pm", "unit_kind", "place", "part", "share_percent"),
        ),
        Group(
            "When",
            (
                "Days to the first lift count from the day of planting; the vaguer it is, the more "
                "doubt they carry."
            ),
            ("planted", "season", "lift_from", "until", "finished_on"),
        ),
        Group(
            "How it was done",
            "Methods and spacing can be compared: a method is a name and its value.",
            ("layout", "rows", "in_row_cm", "row_gap_cm", "depth_cm", "spread_cm", "methods_text"),
        ),
        Group("And besides", "", ("is_volunteer", "is_perennial", "notes", "is_for_set")),
    )
    field_order = (
        "crop_name",
        "variety_name",
        "is_variety_doubtful",
        "units",
        "units_pm",
        "unit_kind",
        "place",
        "part",
        "share_percent",
        "lot_name",
        "lot_mass",
        "planted",
        "season",
        "layout",
        "rows",
        "in_row_cm",
        "row_gap_cm",
        "depth_cm",
        "spread_cm",
        "methods_text",
        "is_volunteer",
        "is_perennial",
        "lift_from",
        "until",
        "finished_on",
        "notes",
    )

    class Meta:
        model = Planting
        fields: tuple[str, ...] = (
            "units",
            "units_pm",
            "unit_kind",
            "is_variety_doubtful",
            "place",
            "part",
            "season",
            "layout",
            "rows",
            "is_volunteer",
            "is_perennial",
            "lift_from",
            "until",
            "finished_on",
            "notes",
        )
        widgets = {"notes": forms.Textarea(attrs={"rows": 2})}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        if "place" in self.fields:
            self.fields["place"].empty_label = None  # type: ignore[attr-defined]
        if self.instance.pk:
            self._show(self.instance)

    def _show(self, planting: Planting) -> None:
        self.initial = {
            **self.initial,
            "lot_name": planting.lot.name if planting.lot else "",
            "lot_mass": planting.lot_mg,
            "planted": planting.planted,
            "share_percent": planting.share and round(planting.share * 100, 2),
            "methods_text": format_methods({tag.name: tag.value for tag in planting.methods.all()}),
        } | {f"{name}_cm": _cm(getattr(planting, f"{name}_m")) for name in CM}

    def _season(self, cleaned: dict[str, Any], planted: VagueDate | None) -> int:
        """The year in which it is lifted most; asked where the turn of a year is near."""
        if planted is None:
            return self.today.year
        if cleaned.get("is_perennial"):
            return planted.day.year + (planted.day.month >= AUTUMN)
        crop, variety = (cleaned.get(name) or "" for name in ("crop_name", "variety_name"))
        spots = cleaned.get("places") or [(cleaned.get("place"), None)]
        is_southern = any(place is not None and place.site.is_southern for place, _ in spots)
        season, question = season_asked(
            self.household, crop, variety, planted.day, is_southern=is_southern
        )
        kin = cleaned.get("kin")
        if question and kin is not None:  # it belongs with what it was sown into, or replaces
            return int(kin.season)
        if question:
            self.add_error("season", question)
        return season

    def clean_methods_text(self) -> dict[str, str]:
        return parse_methods(self.cleaned_data["methods_text"])

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        one = self.instance
        for name in CM:
            cm = cleaned.get(f"{name}_cm")
            setattr(one, f"{name}_m", cm and cm / 100)
        planted, share = cleaned.get("planted"), cleaned.get("share_percent")
        one.planted_on, one.planted_precision = (
            (planted.day, planted.precision) if planted else (None, "day")
        )
        one.share, one.lot_mg = share and share / 100, cleaned.get("lot_mass")
        finished = cleaned.get("finished_on")
        if finished and finished > self.today:  # it is not finished yet: it stands until then
            cleaned["until"], cleaned["finished_on"] = finished, None
        if not cleaned.get("season") and "season" not in self.errors:
            cleaned["season"] = self._season(cleaned, planted)
        if (
            cleaned.get("units") is None
            and not cleaned.get("is_volunteer")
            and "units" not in self.errors
        ):
            self.add_error(
                "units", "How many? If nobody knows, write a guess and how far it may be off."
            )
        return cleaned


def said_of(planting: Planting) -> dict[str, Any]:
    """What was said of a planting, to be said again of the next one; the day is not."""
    return {
        "units": planting.units,
        "unit_kind": planting.unit_kind,
        **names_of(planting),
        "lot_name": planting.lot.name if planting.lot else "",
        "layout": planting.layout,
        "rows": planting.rows,
        "methods_text": format_methods({tag.name: tag.value for tag in planting.methods.all()}),
        "places": [spot_key(planting.place_id, planting.part_id)],
    } | {f"{name}_cm": _cm(getattr(planting, f"{name}_m")) for name in CM}


class PlantingChangeForm(PlantingForm):
    """A planting to be changed, and with it those set out alike in its set."""

    is_for_set = forms.BooleanField(
        label="change the same in those set out with it", required=False
    )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.others = list(set_out_with(self.instance))
        if not self.others:
            del self.fields["is_for_set"]
            return
        shown = ", ".join(planting.where for planting in self.others[:3])
        more = f" and {len(self.others) - 3} more" if len(self.others) > 3 else ""
        self.fields["is_for_set"].label = f"change the same in {shown}{more}, set out alike"

    def seldom(self) -> Collection[str]:
        return SELDOM_CHANGED


def _pairs(names: Iterable[str]) -> list[tuple[str, str]]:
    return [(name, name) for name in sorted(names)]


def _cm(metres: float | None) -> float | None:
    return metres and round(metres * 100, 2)


class SetOutForm(PlantingForm):
    """A new planting: the same in each of the places picked."""

    places = ChooseField(
        label="in each of", error_messages={"required": "Pick at least one place to plant in."}
    )
    like = forms.ChoiceField(label="a crop new to Kilter is most like", required=False)
    kin = forms.ModelChoiceField(Planting.objects.none(), required=False, widget=forms.HiddenInput)
    kinship = forms.ChoiceField(
        choices=[("", ""), *Planting.Kinship.choices], required=False, widget=forms.HiddenInput
    )
    price = PriceField(label="price of each", required=False)

    class Meta(PlantingForm.Meta):
        fields: tuple[str, ...] = (
            "units",
            "units_pm",
            "unit_kind",
            "is_variety_doubtful",
            "season",
            "layout",
            "rows",
            "is_volunteer",
            "is_perennial",
            "notes",
        )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        like = self.fields["like"]
        assert isinstance(like, forms.ChoiceField)
        like.choices = [
            ("", "as its name says"),
            (NOTHING_LIKE, "nothing in the handbook"),
            *_pairs(handbook()),
        ]
        layout = self.fields["layout"]
        assert isinstance(layout, forms.ChoiceField)
        layout.choices = [("", "rows, unstated"), *Planting.Layout.choices]
        for name, hint in HINTS.items():
            self.fields[name].widget.attrs["placeholder"] = hint

    def clean_places(self) -> list[tuple[Place, Part | None]]:
        return spots_of(self.cleaned_data["places"])

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean()
        name, like = cleaned.get("crop_name", ""), cleaned.get("like")
        is_known = crop_called(name) is not None or find_crop(self.household, name) is not None
        if name and not is_known and not like and "like" not in self.errors:
            self.add_error(
                "like",
                f"The handbook does not know “{name}”. Say what it is most like: its days, spacing "
                "and yield are taken from that until you have your own.",
            )
        cleaned["like"] = "" if like == NOTHING_LIKE else like
        return cleaned

    @property
    def more_fields(self) -> list[forms.BoundField]:
        """What seldom needs saying."""
        return [self[name] for name in MORE]

    @property
    def has_more(self) -> bool:
        return any(self[name].value() or self[name].errors for name in MORE)


class RestForm(forms.Form):
    """After a part lift: what became of the plants that it did not take."""

    rest = forms.ChoiceField(choices=Planting.Rest.choices, required=False)
    is_sure = forms.BooleanField(required=False)  #: of which nothing was written, all the same


class FinishForm(OfHousehold, RestForm):
    """The date of the last lift, and what became of the rest."""

    finished_on = DayField(
        label="last lift on", help_text="A day still ahead: it stands until then."
    )


class YearSaidForm(forms.Form):
    """What came of a year of a lasting planting."""

    year = forms.IntegerField(min_value=1900, max_value=2200)
    came = forms.ChoiceField(choices=YearSaid.Came.choices)


class SeasonForm(forms.Form):
    """The season a page shows."""

    season = forms.IntegerField(min_value=1900, max_value=2200, required=False)


class SentenceStartForm(forms.Form):
    """What a new sentence begins with: the planting it follows, or a place."""

    kin = forms.IntegerField(required=False)
    kinship = forms.ChoiceField(choices=[("", ""), *Planting.Kinship.choices], required=False)
    place = forms.IntegerField(required=False, min_value=1)
    places = forms.RegexField(
        r"^(place|part)-\d{1,18}(,(place|part)-\d{1,18})*$", required=False, max_length=4000
    )
    again = forms.IntegerField(required=False)
    crop = forms.CharField(required=False, max_length=60)
    variety = forms.CharField(required=False, max_length=80)
    units = forms.IntegerField(required=False, min_value=1, max_value=100_000)
    unit_kind = forms.ChoiceField(
        choices=[("", ""), *((kind, kind) for kind in UNIT_KINDS)], required=False
    )


class BeforeForm(OfHousehold, forms.Form):
    """A sentence as typed so far, to be told who stood there before."""

    crop_name = forms.CharField(required=False, max_length=60)
    planted = VagueDateField(required=False)
    places = ChooseField(required=False)


class KeepForm(forms.Form):
    """The planting that seed is kept from."""

    kept_from = forms.IntegerField(required=False, min_value=1, max_value=2**63 - 1)


class CountForm(DatedForm):
    """A count of what stands, came up, was thinned, died."""

    class Meta:
        model = PlantCount
        fields = ("kind", "count", "note")

    field_order = ("kind", "count", "when", "note")


class LotForm(OfHousehold, NamesCrop):
    """A seed lot."""

    weight = MassField(label="weight bought", required=False)
    price = PriceField(required=False)
    sow_by = DayField(label="last sowing date", required=False)
    groups = (
        Group("What is in it", "", ("name", "crop_name", "variety_name")),
        Group(
            "Where it is from",
            (
                "Lots of one variety can be compared; one that is past its last sowing date is "
                "marked among the lots."
            ),
            ("source", "kept_from", "packed_year", "sow_by"),
        ),
        Group(
            "How much",
            (
                "What is left is this less what each sowing took; its price is shared over what "
                "was sown from it."
            ),
            ("bought_count", "weight", "price", "notes"),
        ),
    )
    field_order = (
        "name",
        "crop_name",
        "variety_name",
        "source",
        "kept_from",
        "packed_year",
        "sow_by",
        "bought_count",
        "weight",
        "price",
        "notes",
    )

    class Meta:
        model = SeedLot
        fields = ("name", "source", "kept_from", "packed_year", "sow_by", "bought_count", "notes")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["kept_from"].empty_label = "not own seed"  # type: ignore[attr-defined]
        bought = {"weight": self.instance.bought_mg, "price": self.instance.price_minor}
        self.initial = {**self.initial, **bought}

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        self.instance.bought_mg, self.instance.price_minor = (
            cleaned.get("weight"),
            cleaned.get("price"),
        )
        return cleaned


class VarietyForm(OfRecord, forms.ModelForm):
    """A variety's name and its own days to the first lift."""

    class Meta:
        model = Variety
        fields = ("name", "days_min", "days_max")

    def clean_name(self) -> str:
        """Two varieties of a crop called alike could not be told apart."""
        name: str = self.cleaned_data["name"]
        others = Variety.objects.of(self.instance.household, crop=self.instance.crop_id, name=name)
        if others.exclude(pk=self.instance.pk).exists():
            raise forms.ValidationError(f"There is a {self.instance.crop} ‘{name}’ already.")
        return name

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        low, high = cleaned.get("days_min"), cleaned.get("days_max")
        if (low is None) != (high is None) or (low and high and low > high):
            self.add_error("days_max", "Days run from less to more, and both are needed.")
        return cleaned


class CropValuesForm(OfHousehold, forms.ModelForm):
    """A crop: what it is like, and the household's own values in place of the handbook's."""

    like = forms.ChoiceField(label="is like", required=False)
    groups = (
        Group(
            "What it is",
            "Whatever is left empty is as the handbook says.",
            ("like", "is_counted", "is_small_food"),
        ),
        Group(
            "When",
            "Today says from these when to look at it; Next year, when to sow.",
            (
                *("own_days_min", "own_days_max", "own_autumn_days_min", "own_autumn_days_max"),
                "own_pick_every_days",
            ),
        ),
        Group(
            "What it gives, and takes",
            "Next year begins with these, and trusts your own harvests the more of them there are.",
            ("own_kg_per_plant", "own_germination_percent", "own_in_row_cm", "own_row_gap_cm"),
        ),
        Group(
            "At the table, and kept",
            "How much is enough, and how long the larder counts on it.",
            ("own_servings_per_week", "own_serving_g", "own_keep_weeks", "own_fresh_days"),
        ),
    )

    class Meta:
        model = Crop
        fields = ("like", "is_counted", "is_small_food", *(f"own_{name}" for name in OWN_VALUES))

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        like = self.fields["like"]
        assert isinstance(like, forms.ChoiceField)
        like.choices = [("", "as its name says"), *_pairs(handbook())]
        book = crop_called(self.instance.like or self.instance.name)
        for name, value in OWN_VALUES.items():
            said = value.read(book) if book else None
            self.fields[f"own_{name}"].help_text = (
                "" if said is None else f"The handbook says {said:g}."
            )

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        for low, high in (
            ("own_days_min", "own_days_max"),
            ("own_autumn_days_min", "own_autumn_days_max"),
        ):
            if cleaned.get(low) and cleaned.get(high) and cleaned[low] > cleaned[high]:
                self.add_error(high, "Days run from less to more.")
        name, like = self.instance.name, cleaned.get("like")
        if (
            not like
            and crop_called(name) is None
            and any(cleaned.get(f"own_{own}") is not None for own in OWN_VALUES)
        ):
            self.add_error(
                "like",
                f"The handbook does not know {name}: say what it is like, then change its values.",
            )
        return cleaned


class CostForm(OfHousehold, forms.ModelForm):
    """A price of a planting, or of a pot over its years."""

    day = DayField(label="paid on", required=False)
    price = PriceField()
    of_each = forms.ChoiceField(
        label="that price is",
        required=False,
        choices=[("each", "of each of them"), ("all", "of all together")],
    )
    targets = ChoosePlantings(("place", "planting"), label="paid for", required=False)
    field_order = ("what", "price", "of_each", "day", "over_years", "targets")

    class Meta:
        model = Cost
        fields = ("what", "day", "over_years")

    def __init__(self, *args: Any, about: tuple[str, Any], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.about = about
        kind, record = about
        targets = self.fields["targets"]
        assert isinstance(targets, ChoosePlantings)
        targets.add(kind, [record])
        self.initial = {"targets": [f"{kind}-{record.pk}"], **self.initial}

    def clean_targets(self) -> list[tuple[str, Any]]:
        """What is said; what the page is about where nothing is."""
        return self.cleaned_data["targets"] or [self.about]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        self.instance.price_minor = cleaned.get("price") or 0
        return cleaned


def known_words(household: Household) -> dict[str, list[str]]:
    """What the form offers as one types: crops, varieties, lots, unit kinds, methods in use."""
    crops = Crop.objects.of(household).prefetch_related("varieties")
    own = {crop.name for crop in crops}
    varieties = sorted(
        {v.name for crop in crops for v in crop.varieties.all() if v.struck_at is None}
    )
    lots = SeedLot.objects.of(household).order_by("name").values_list("name", flat=True).distinct()
    tags = MethodTag.objects.filter(planting__household=household, planting__struck_at=None)
    methods = tags.order_by("name", "value").values_list("name", "value").distinct()
    return {
        "crops": sorted(own | set(handbook()) | set(other_names())),
        "varieties": varieties,
        "lots": list(lots),
        "unit-kinds": list(UNIT_KINDS),
        "methods": [f"{name}={value}" for name, value in methods],
        "counted": list(KINDS),
    }
