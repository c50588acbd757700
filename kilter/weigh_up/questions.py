"""The question: what is compared, by which measure, for which crop, within what."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django import forms
from django.db.models import Q, QuerySet

from kilter.core.measures import MEASURES
from kilter.people.models import Household
from kilter.set_out.models import Crop, MethodTag, Planting

#: Attributes every planting may have, in the gardener's words.
ATTRIBUTES = {
    "variety": "variety",
    "season": "season",
    "site": "site",
    "place": "place",
    "place_kind": "kind of place",
    "material": "material",
    "part": "part of the bed",
    "light": "light",
    "lot": "seed lot",
    "before": "what grew there before",
    "origin": "origin",
    "year_of_life": "year of life",
}
#: Offered only where the household has the moon shown.
MOON = {"moon": "moon waxing or waning", "moon_phase": "phase of the moon"}
MEASURE_WORDS = {m.key: f"{'number' if m.is_count else 'weight'} per {m.per}" for m in MEASURES.values()}


@dataclass(frozen=True)
class Question:
    """One comparison to be made; it has an address of its own."""

    crop: Crop
    compare: str
    by: str
    within: tuple[str, ...] = ()
    seasons: tuple[int, ...] = ()  #: empty for all
    with_estimates: bool = False  #: what was counted and not weighed enters with its reckoned weight

    def plantings(self, household: Household) -> QuerySet[Planting]:
        found = Planting.objects.of(household).filter(crop=self.crop)
        if self.seasons:
            # What stays over years is asked about in each of them; `is_about` picks the years.
            found = found.filter(Q(season__in=self.seasons) | Q(is_perennial=True, season__lte=max(self.seasons)))
        return found.as_they_stand()

    def is_about(self, season: int) -> bool:
        return not self.seasons or season in self.seasons


def attributes_of(household: Household) -> dict[str, str]:
    """Every attribute of the household's plantings: the built-in ones and the methods in use."""
    tags = MethodTag.objects.filter(planting__household=household, planting__struck_at=None)
    names = tags.order_by("name").values_list("name", flat=True).distinct()
    moon = MOON if household.is_moon_shown else {}
    return ATTRIBUTES | moon | {f"method:{name}": name for name in names}


class QuestionForm(forms.Form):
    """The sentence with its gaps; an address with part of them gets the rest by default."""

    compare = forms.ChoiceField()
    by = forms.ChoiceField(choices=[(key, MEASURE_WORDS[key]) for key in MEASURES])
    crop = forms.ModelChoiceField(Crop.objects.none(), empty_label=None)
    season = forms.TypedMultipleChoiceField(
        coerce=int, required=False, widget=forms.CheckboxSelectMultiple, label="seasons"
    )
    within = forms.MultipleChoiceField(required=False, widget=forms.CheckboxSelectMultiple)
    #: Blocks left out since they cannot be told from what is compared; in the address, not in the sentence.
    unlike = forms.MultipleChoiceField(required=False)
    estimates = forms.BooleanField(required=False)

    def __init__(self, data: Any, *, household: Household, seasons: list[int]) -> None:
        super().__init__(data)
        self.attributes = attributes = attributes_of(household)
        compare, season, within = (self.fields[name] for name in ("compare", "season", "within"))
        assert isinstance(compare, forms.ChoiceField)
        assert isinstance(season, forms.ChoiceField)
        assert isinstance(within, forms.ChoiceField)
        compare.choices = list(attributes.items())
        within.choices = list(attributes.items())
        unlike = self.fields["unlike"]
        assert isinstance(unlike, forms.ChoiceField)
        unlike.choices = list(attributes.items())
        season.choices = [(year, str(year)) for year in seasons]
        crop = self.fields["crop"]
        assert isinstance(crop, forms.ModelChoiceField)
        growing = Planting.objects.of(household).order_by().values("crop_id")
        crop.queryset = Crop.objects.of(household).filter(pk__in=growing).order_by("name")

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if cleaned.get("compare") in cleaned.get("within", []):
            self.add_error("within", "What is compared cannot also be held alike; untick it here.")
        return cleaned

    @property
    def picked_seasons(self) -> list[str]:
        return [str(label) for label in self["season"].value() or []]

    @property
    def picked_within(self) -> list[str]:
        return [self.attributes.get(name, name) for name in self["within"].value() or []]

    @property
    def unlike_words(self) -> list[str]:
        """What the answer must be marked as not fair for."""
        return [self.attributes[name] for name in self.cleaned_data["unlike"]]

    def question(self) -> Question:
        cleaned = self.cleaned_data
        return Question(
            cleaned["crop"], cleaned["compare"], cleaned["by"], tuple(cleaned["within"]), tuple(cleaned["season"]),
            cleaned["estimates"],
        )  # fmt: skip
