"""Forms of what happened and what was done, each for many places at once."""

from __future__ import annotations

from typing import Any

from django import forms
from django.core.files.uploadedfile import UploadedFile
from django.core.validators import RegexValidator

from kilter.core.growing.care import JOBS
from kilter.ground.models import Part, Place, Site
from kilter.people import clock
from kilter.people.forms import DatedForm, DayField, OfHousehold
from kilter.people.models import Household
from kilter.set_out.models import Planting
from kilter.tending.models import Happening, Job
from kilter.tending.pictures import MAX_FILE_BYTES

#: How a target is written: its kind and its key.


class TargetsField(forms.MultipleChoiceField):
    """Sites, places, parts and plantings, as ``place-12``; gives pairs of a kind and a record."""

    def __init__(self, kinds: tuple[str, ...]) -> None:
        super().__init__(error_messages={"required": "Pick at least one."})
        self.kinds = kinds
        self.found: dict[str, tuple[str, Any]] = {}

    def offer(self, household: Household, also: int | None = None) -> None:
        """Offer what stands, and one planting more where the page is about it."""
        today = clock.today(household)
        if "site" in self.kinds:
            self._add("site", Site.objects.of(household))
        self._add("place", Place.objects.of(household).in_order())
        if "part" in self.kinds:
            self._add("part", Part.objects.of(household).select_related("place"))
        plantings = Planting.objects.of(household)
        standing = plantings.in_reach(today) | plantings.filter(pk=also or 0)
        self._add("planting", standing.with_names().as_they_stand())

    def _add(self, kind: str, records: Any) -> None:
        self.found |= {f"{kind}-{record.pk}": (kind, record) for record in records}

    def valid_value(self, value: str) -> bool:
        return value in self.found

    def clean(self, value: Any) -> list[tuple[str, Any]]:
        return [self.found[key] for key in super().clean(value)]

    def groups(self) -> list[tuple[str, list[tuple[str, str]]]]:
        """What can be picked, under headings: sites, each set of places, parts, crops that stand."""
        named: dict[str, list[tuple[str, str]]] = {}
        for key, (kind, record) in self.found.items():
            heading = {"site": "Whole sites", "part": "Parts", "place": "Places"}.get(kind, "What stands")
            if kind == "place" and record.number is not None:
                heading = record.name
            elif kind == "planting":
                heading = f"What stands: {record.crop}"
            label = f"{record.place}, {record}" if kind == "part" else str(record)
            named.setdefault(heading, []).append((key, label))
        return list(named.items())


class TargetsForm(DatedForm):
    """A dated form for several targets."""

    kinds: tuple[str, ...] = ()

    def __init__(self, *args: Any, also: int | None = None, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["targets"] = targets = TargetsField(self.kinds)
        targets.offer(self.household, also)

    def plain_fields(self) -> list[forms.BoundField]:
        return [field for field in self if field.name != "targets"]

    @property
    def groups(self) -> list[tuple[str, list[tuple[str, str]]]]:
        targets = self.fields["targets"]
        assert isinstance(targets, TargetsField)
        return targets.groups()

    @property
    def picked(self) -> set[str]:
        return set(self["targets"].value() or [])


class HappeningForm(TargetsForm):
    """What happened, to what, how bad, what was done."""

    kinds = ("site", "place", "part", "planting")
    until = DayField(label="until, if it lasted", required=False)
    lost_percent = forms.FloatField(label="% lost", required=False, min_value=0, max_value=100)
    field_order = ("kind", "what", "when", "until", "lost_percent", "done", "helped", "note")

    class Meta:
        model = Happening
        fields = ("kind", "what", "until", "done", "helped", "note")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        if self.instance.pk and self.instance.lost_share is not None:
            self.initial["lost_percent"] = round(self.instance.lost_share * 100, 2)

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean()
        lost, when, until = cleaned.get("lost_percent"), cleaned.get("when"), cleaned.get("until")
        self.instance.lost_share = None if lost is None else lost / 100
        if when and until and until < when.earliest:
            self.add_error("until", f"It cannot have ended on {until} when it began {when}.")
        return cleaned


class HappeningChangeForm(HappeningForm):
    """A happening already written: its target stays."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        del self.fields["targets"]


class JobForm(TargetsForm):
    """A job done, with minutes and litres for all the targets together."""

    kinds = ("place", "planting")
    job = forms.CharField(
        max_length=40, initial="water", validators=[RegexValidator(r"^[^,;=]+$", "One job, in a word or two.")]
    )
    minutes = forms.FloatField(label="minutes in all", required=False, min_value=0, max_value=100_000)
    litres = forms.FloatField(label="litres in all", required=False, min_value=0, max_value=10_000)
    shared = forms.ChoiceField(
        label="shared", required=False, choices=[("volume", "by the volume of the places"), ("equal", "equally")]
    )
    is_skipped = forms.BooleanField(label="put aside, not done", required=False)
    field_order = ("job", "when", "minutes", "litres", "shared", "note")

    class Meta:
        model = Job
        fields = ("job", "is_skipped", "note")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["job"].widget.attrs["list"] = "jobs"
        self.fields["is_skipped"].widget = forms.HiddenInput()


class PhotoForm(OfHousehold, forms.Form):
    """A photograph with its day."""

    photo = forms.FileField(label="A photograph", widget=forms.FileInput(attrs={"accept": "image/*"}))
    caption = forms.CharField(max_length=200, required=False)
    day = DayField(label="taken on")

    def clean_photo(self) -> UploadedFile:
        photo: UploadedFile = self.cleaned_data["photo"]
        if (photo.size or 0) > MAX_FILE_BYTES:
            raise forms.ValidationError("That is larger than 15 MB; send a smaller one.")
        return photo


class BeginForm(forms.Form):
    """What is ticked when the page opens."""

    target = forms.CharField(required=False, max_length=40)
    kind = forms.ChoiceField(required=False, choices=Happening.Kind.choices)


PHOTO_ABOUT = (
    "Its location and all else that the camera wrote into it are removed, and it is made smaller. "
    "Only your household can see it."
)
SUGGESTIONS = {"jobs": list(JOBS)}
