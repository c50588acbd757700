"""Forms of what happened and what was done, each for many places at once."""

from __future__ import annotations

from typing import Any

from django import forms
from django.core.files.uploadedfile import UploadedFile
from django.core.validators import RegexValidator

from kilter.core.growing.care import JOBS
from kilter.people.forms import DatedForm, DayField, Group, OfHousehold
from kilter.set_out.choosing import ChoosePlantings
from kilter.tending.models import Happening, Job, Repeat
from kilter.tending.pictures import MAX_FILE_BYTES


class TargetsForm(DatedForm):
    """A dated form for several targets."""

    kinds: tuple[str, ...] = ()

    def __init__(self, *args: Any, also: int | None = None, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["targets"] = targets = ChoosePlantings(self.kinds, label="which")
        targets.know(self.household)
        targets.offer_also(also)


class HappeningForm(TargetsForm):
    """What happened, to what, how bad, what was done."""

    kinds = ("site", "place", "part", "planting")
    until = DayField(label="until, if it lasted", required=False)
    lost_percent = forms.FloatField(label="% lost", required=False, min_value=0, max_value=100)
    lost_each = forms.CharField(
        label="% lost where it differs",
        required=False,
        max_length=300,
        help_text="crock 3-5: 40; bed 2: 10",
    )
    field_order = (
        "kind",
        "what",
        "when",
        "until",
        "lost_percent",
        "lost_each",
        "done",
        "helped",
        "note",
    )
    groups = (
        Group("What it was", "", ("kind", "what", "when", "until")),
        Group(
            "How much it took",
            (
                "A comparison says where one side lost more than the other; next year's plan knows "
                "how often it comes."
            ),
            ("lost_percent", "lost_each"),
        ),
        Group("What you did", "Look back shows what helped.", ("done", "helped", "note")),
        Group("Where", "", ("targets",)),
    )

    class Meta:
        model = Happening
        fields = ("kind", "what", "until", "done", "helped", "note")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        if self.instance.pk and self.instance.lost_share is not None:
            self.initial["lost_percent"] = round(self.instance.lost_share * 100, 2)

    def clean_lost_each(self) -> dict[int, float]:
        """Shares lost by place, where they are told apart."""
        targets = self.fields["targets"]
        assert isinstance(targets, ChoosePlantings)
        found: dict[int, float] = {}
        for piece in filter(
            None, (piece.strip() for piece in self.cleaned_data["lost_each"].split(";"))
        ):
            names, _, figure = piece.rpartition(":")
            try:
                percent = float(figure.replace(",", ".").replace("%", ""))
            except ValueError:
                percent = -1.0
            if not names or not 0 <= percent <= 100:
                raise forms.ValidationError(
                    f"“{piece}”: write the places, a colon and a share from 0 to 100."
                )
            found |= {targets.found[key][1].pk: percent / 100 for key in targets.typed_keys(names)}
        return found

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean()
        lost, when, until = cleaned.get("lost_percent"), cleaned.get("when"), cleaned.get("until")
        self.instance.lost_share = None if lost is None else lost / 100
        if lost and cleaned.get("kind") == Happening.Kind.NATURAL:
            self.add_error("lost_percent", "A natural sign takes nothing; choose another kind.")
        if when and until and until < when.earliest:
            self.add_error("until", f"It cannot have ended on {until} when it began {when}.")
        chosen = {
            record.pk if kind == "place" else getattr(record, "place_id", None)
            for kind, record in self.picked
        }
        if "targets" in cleaned and set(cleaned.get("lost_each") or ()) - chosen:
            self.add_error("lost_each", "One of these places is not among those chosen below.")
        return cleaned

    @property
    def picked(self) -> list[tuple[str, Any]]:
        """What was chosen; of a happening that is changed, nothing."""
        return self.cleaned_data.get("targets") or []


class HappeningChangeForm(HappeningForm):
    """A happening already written: its target stays."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        del self.fields["targets"], self.fields["lost_each"]


class JobForm(TargetsForm):
    """A job done, with minutes and litres for all the targets together."""

    kinds = ("site", "place", "planting")
    job = forms.CharField(
        max_length=40,
        initial="water",
        validators=[RegexValidator(r"^[^,;=]+$", "One job, in a word or two.")],
    )
    minutes = forms.FloatField(
        label="minutes in all", required=False, min_value=0, max_value=100_000
    )
    litres = forms.FloatField(label="litres in all", required=False, min_value=0, max_value=10_000)
    shared = forms.ChoiceField(
        label="shared",
        required=False,
        choices=[("volume", "by the volume of the places"), ("equal", "equally")],
    )
    is_skipped = forms.BooleanField(label="put aside, not done", required=False)
    field_order = ("job", "when", "minutes", "litres", "shared", "note")
    groups = (
        Group("What was done", "", ("job", "when", "note")),
        Group(
            "What it took",
            (
                "For all the places together; each gets its share, for harvest per minute of work "
                "and litre of water."
            ),
            ("minutes", "litres", "shared"),
        ),
        Group("Where", "", ("targets",)),
    )

    class Meta:
        model = Job
        fields = ("job", "is_skipped", "note")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["job"].widget.attrs["list"] = "jobs"
        self.fields["is_skipped"].widget = forms.HiddenInput()


class RepeatForm(OfHousehold, forms.ModelForm):
    """A job that comes back, or once on a day ahead."""

    job = forms.CharField(
        max_length=40,
        validators=[RegexValidator(r"^[^,;=]+$", "One job, in a word or two.")],
        widget=forms.TextInput(attrs={"list": "jobs"}),
    )
    first_on = DayField(label="first on", is_ahead=True, help_text="14 May, tomorrow, in 14 days")
    every_days = forms.IntegerField(
        label="and then every … days",
        required=False,
        min_value=1,
        max_value=400,
        help_text="Empty: only once.",
    )
    until = DayField(
        label="until", required=False, is_ahead=True, help_text="Empty: until it is taken out."
    )
    targets = ChoosePlantings(("place", "planting"), label="for")

    class Meta:
        model = Repeat
        fields = ("job", "first_on", "every_days", "until", "note")

    def __init__(self, *args: Any, also: int | None = None, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        targets = self.fields["targets"]
        assert isinstance(targets, ChoosePlantings)
        targets.offer_also(also)
        self.initial = {"first_on": self.today, **self.initial}

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        first_on, until = cleaned.get("first_on"), cleaned.get("until")
        if first_on and until and until < first_on:
            self.add_error("until", f"It cannot end on {until} when it begins on {first_on}.")
        return cleaned


class PhotoForm(OfHousehold, forms.Form):
    """A photograph with its day."""

    photo = forms.FileField(
        label="A photograph", widget=forms.FileInput(attrs={"accept": "image/*"})
    )
    caption = forms.CharField(max_length=200, required=False)
    day = DayField(label="taken on")

    def clean_photo(self) -> UploadedFile:
        photo: UploadedFile = self.cleaned_data["photo"]
        if (photo.size or 0) > MAX_FILE_BYTES:
            raise forms.ValidationError("That is larger than 15 MB; send a smaller one.")
        return photo


class TickedForm(forms.Form):
    """What is ticked when the page opens."""

    target = forms.CharField(required=False, max_length=40)
    kind = forms.ChoiceField(required=False, choices=Happening.Kind.choices)
    job = forms.CharField(required=False, max_length=40)


PHOTO_ABOUT = (
    "Its location and all else that the camera wrote into it are removed, and it is made smaller. "
    "Only your household can see it."
)
SUGGESTIONS = {"jobs": list(JOBS)}
