"""The question: what is compared, by which measure, for which crops, seasons and sites, within what."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from django import forms
from django.db.models import QuerySet
from django.http import QueryDict

from kilter.core.yields.bearing import BY
from kilter.core.yields.measures import MEASURES
from kilter.ground.models import Site
from kilter.people.models import Household
from kilter.set_out.models import Crop, MethodTag, Planting
from kilter.weigh_in.forms import PicksField
from kilter.weigh_in.models import Grade

#: Attributes every planting may have, in the gardener's words.
ATTRIBUTES = {
    "variety": "variety",
    "crop": "crop",
    "season": "season",
    "site": "site",
    "place": "place",
    "place_kind": "kind of place",
    "material": "material",
    "volume": "volume of the container",
    "part": "part of the bed",
    "edge": "edge or middle",
    "along": "end or middle along it",
    "light": "light",
    "density": "plants per square metre",
    "planting_time": "time of planting",
    "lot": "seed lot",
    "before": "what grew there before",
    "origin": "origin",
    "year_of_life": "year of life",
    "cleaned": "washed or as lifted",
    "topped": "topped or with leaves",
}
#: Offered only where the household has the moon shown.
MOON = {"moon": "moon waxing or waning", "moon_phase": "phase of the moon"}
#: An id, and a year for what stays over years.
MAX_REF = 70
UPTO_WORDS = {"": "over the whole season", "date": "up to the same date", "age": "up to the same age"}
assert set(BY) < set(UPTO_WORDS)


@dataclass(frozen=True)
class Question:
    """One comparison to be made; it has an address of its own."""

    crops: tuple[Crop, ...]  #: empty for all
    compare: str
    by: str
    within: tuple[str, ...] = ()
    seasons: tuple[int, ...] = ()  #: empty for all
    with_estimates: bool = False  #: what was counted and not weighed enters with its reckoned weight
    sites: tuple[str, ...] = ()  #: their refs; empty for all
    also: str = ""  #: a second thing compared at the same time
    grades: tuple[str, ...] = ()  #: empty for what is food
    upto: str = ""  #: of what is picked again and again: ``date`` or ``age``
    without: tuple[str, ...] = ()  #: refs of plantings that the gardener leaves out
    unlike: tuple[str, ...] = ()  #: blocks it was asked without, as they cannot be told from what is compared

    def plantings(self, household: Household) -> QuerySet[Planting]:
        """Those of its crops, of any season: the others tell how much pots of the same thing differ here."""
        found = Planting.objects.of(household)
        if self.crops:
            found = found.filter(crop__in=self.crops)
        return found.as_they_stand()

    def is_about(self, season: int) -> bool:
        return not self.seasons or season in self.seasons

    @property
    def attributes(self) -> tuple[str, ...]:
        """What each unit must have recorded."""
        return (self.compare, *([self.also] if self.also else []), *self.within)

    def address(self) -> str:
        """The question as it stands in an address; by names and refs, so that it can be taken elsewhere."""
        data = QueryDict(mutable=True)
        data.update({"compare": self.compare, "by": self.by})
        estimates = "on" if self.with_estimates else ""
        for name, value in (("also", self.also), ("upto", self.upto), ("estimates", estimates)):
            if value:
                data[name] = value
        lists = {
            "crop": [crop.name for crop in self.crops], "season": self.seasons, "site": self.sites,
            "within": self.within, "grade": self.grades, "without": self.without, "unlike": self.unlike,
        }  # fmt: skip
        for name, values in lists.items():
            data.setlist(name, [str(value) for value in values])
        return data.urlencode()

    def but(self, **changes: Any) -> Question:
        """The same question with something else in it."""
        return replace(self, **changes)

    def in_words(self, words: Mapping[str, str], sites: Mapping[str, str]) -> str:
        """The whole question as a sentence, for a report and the list of those kept."""
        grades = dict(Grade.choices)
        of = f" of {', '.join(grades[g] for g in self.grades)}" if self.grades else ""
        said = f"Compare {words[self.compare]}" + (f" and {words[self.also]}" if self.also else "")
        said += f" by {MEASURES[self.by].words}{of}"
        said += f" for {', '.join(str(crop) for crop in self.crops) or 'all crops'}"
        said += f" in {', '.join(map(str, self.seasons)) or 'all seasons'}"
        if self.sites:
            said += f" at {', '.join(sites.get(ref, '?') for ref in self.sites)}"
        if self.upto:
            said += f", {UPTO_WORDS[self.upto]}"
        alike = f", like with like within {', '.join(words[name] for name in self.within)}" if self.within else ""
        return f"{said}{alike}."


def attributes_of(household: Household) -> dict[str, str]:
    """Every attribute of the household's plantings: the built-in ones and the methods in use."""
    tags = MethodTag.objects.filter(planting__household=household, planting__struck_at=None)
    names = tags.order_by("name").values_list("name", flat=True).distinct()
    moon = MOON if household.is_moon_shown else {}
    return ATTRIBUTES | moon | {f"method:{name}": name for name in names}


class RefsField(forms.MultipleChoiceField):
    """Ids of plantings in an address; one that is not there leaves nothing out."""

    def valid_value(self, value: Any) -> bool:
        return 0 < len(value) <= MAX_REF


class QuestionForm(forms.Form):
    """The sentence with its gaps; an address with part of them gets the rest by default."""

    compare = forms.ChoiceField()
    also = forms.ChoiceField(required=False)
    by = forms.ChoiceField(choices=[(key, measure.words) for key, measure in MEASURES.items()])
    grade = forms.MultipleChoiceField(choices=Grade.choices, required=False)
    crop = PicksField(Crop.objects.none(), required=False, to_field_name="name")
    season = forms.TypedMultipleChoiceField(coerce=int, required=False, label="seasons")
    site = PicksField(Site.objects.none(), required=False, to_field_name="ref")
    within = forms.MultipleChoiceField(required=False)
    upto = forms.ChoiceField(choices=list(UPTO_WORDS.items()), required=False)
    estimates = forms.BooleanField(required=False)
    #: Plantings left out by hand, and blocks left out since they cannot be told from what is compared.
    without = RefsField(required=False)
    unlike = forms.MultipleChoiceField(required=False)

    def __init__(self, data: Any, *, household: Household, seasons: list[int]) -> None:
        super().__init__(data)
        self.attributes = attributes = attributes_of(household)
        choices = list(attributes.items())
        for name, options in (
            ("compare", choices), ("also", [("", "nothing else"), *choices]), ("within", choices), ("unlike", choices),
            ("season", [(year, str(year)) for year in seasons]),
        ):  # fmt: skip
            field = self.fields[name]
            assert isinstance(field, forms.ChoiceField)
            field.choices = options
        growing = Planting.objects.of(household).order_by().values("crop_id")
        for name, kept in (
            ("crop", Crop.objects.of(household).filter(pk__in=growing).order_by("name")),
            ("site", Site.objects.of(household)),
        ):
            model_field = self.fields[name]
            assert isinstance(model_field, forms.ModelMultipleChoiceField)
            model_field.queryset = kept

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        compared = [cleaned.get("compare"), cleaned.get("also")]
        if cleaned.get("also") and compared[0] == compared[1]:
            self.add_error("also", "The second thing is the same as the first; pick another, or nothing else.")
        if any(one in cleaned.get("within", []) for one in compared if one):
            self.add_error("within", "What is compared cannot also be held alike; untick it here.")
        return cleaned

    def unlike_words(self) -> list[str]:
        """What the answer must be marked as not fair for."""
        return [self.attributes[name] for name in self.cleaned_data["unlike"]]

    def question(self) -> Question:
        cleaned = self.cleaned_data
        grades = tuple(grade for grade in Grade.values if grade in cleaned["grade"])
        return Question(
            tuple(cleaned["crop"]), cleaned["compare"], cleaned["by"], tuple(cleaned["within"]),
            tuple(cleaned["season"]), cleaned["estimates"], tuple(site.ref for site in cleaned["site"]),
            cleaned["also"], grades if MEASURES[cleaned["by"]].has_grades else (), cleaned["upto"],
            tuple(cleaned["without"]), tuple(cleaned["unlike"]),
        )  # fmt: skip
