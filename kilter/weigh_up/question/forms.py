"""The question as a form: one field for each gap; and the forms of saving it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, cast

from django import forms
from django.http import QueryDict

from kilter.core.trade.grades import GRADES
from kilter.core.yields.measures import MEASURES
from kilter.ground.models import Site
from kilter.people import clock
from kilter.people.meeting import OfRecord
from kilter.people.models import Household
from kilter.set_out.models import Crop, CropSize, Planting
from kilter.set_out.queries import seasons_of
from kilter.weigh_up.question.gaps import GAPS, Gap, fixed_words, grade_words
from kilter.weigh_up.question.models import ADDRESS_LENGTH, SavedQuestion
from kilter.weigh_up.question.question import Question, attributes_of

#: An id, and a year for what stays over years.
MAX_REF = 70
#: What is said of a word that cannot stand in a gap.
UNKNOWN = {
    "attribute": "“%(value)s” is not recorded here.",
    "crop": "There is no crop “%(value)s” here.",
    "measure": "“%(value)s” is no measure.",
    "season": "Nothing grew here in %(value)s.",
    "site": "There is no site “%(value)s” here.",
    "ref": "“%(value)s” cannot be chosen here.",
}


class RefsField(forms.MultipleChoiceField):
    """Ids of plantings in an address; one that is not there leaves nothing out."""

    def valid_value(self, value: Any) -> bool:
        return 0 < len(value) <= MAX_REF


class RecordsField(forms.MultipleChoiceField):
    """Records already read, by a word of the address in any case; gives them in their own order."""

    def __init__(self, known: Mapping[str, Any]) -> None:
        super().__init__(required=False)
        self.known = {word.lower(): record for word, record in known.items()}

    def valid_value(self, value: str) -> bool:
        return value.lower() in self.known

    def clean(self, value: Any) -> list[Any]:
        said = {word.lower() for word in super().clean(value)}
        return [record for word, record in self.known.items() if word in said]


class QuestionForm(forms.Form):
    """The sentence with its gaps; an address with part of them gets the rest by default."""

    def __init__(self, data: Any, *, household: Household) -> None:
        super().__init__(data)
        self.attributes = attributes_of(household)
        self.seasons = seasons_of(household, clock.today(household).year)
        self.sizes = list(dict.fromkeys(size.key for size in CropSize.objects.of(household)))
        growing = Planting.objects.of(household).order_by().values("crop_id")
        crops = Crop.objects.of(household).filter(pk__in=growing).order_by("name")
        self.records: dict[str, dict[str, Any]] = {
            "crop": {crop.name: crop for crop in crops},
            "site": {site.ref: site for site in Site.objects.of(household)},
        }
        for gap in GAPS:
            self.fields[gap.name] = self._field(gap)
            self.fields[gap.name].label = gap.label
            self.fields[gap.name].error_messages["invalid_choice"] = UNKNOWN.get(
                gap.kind, UNKNOWN["ref"]
            )

    def _field(self, gap: Gap) -> forms.Field:
        choices = self.choices_of(gap)
        match gap.kind:
            case "crop" | "site":
                return RecordsField(self.records[gap.kind])
            case "season":
                return forms.TypedMultipleChoiceField(choices=choices, coerce=int, required=False)
            case "flag":
                return forms.BooleanField(required=False)
            case "ref":
                return RefsField(required=False)
        if gap.is_many:
            return forms.MultipleChoiceField(choices=choices, required=False)
        empty = [] if gap.is_needed or "" in dict(choices) else [("", "nothing else")]
        return forms.ChoiceField(choices=[*empty, *choices], required=gap.is_needed)

    def choices_of(self, gap: Gap) -> list[tuple[str, str]]:
        """What may stand in a gap, in words; empty where that is no list."""
        if gap.kind in self.records:
            return [(word, str(record)) for word, record in self.records[gap.kind].items()]
        if gap.kind == "attribute":
            return list(self.attributes.items())
        if gap.kind == "season":
            return [(str(year), str(year)) for year in self.seasons]
        if gap.kind == "grade":
            return [(key, grade_words(key)) for key in (*GRADES, *self.sizes)]
        return list(fixed_words(gap.kind).items())

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        compared = [cleaned.get("compare"), cleaned.get("also")]
        if cleaned.get("also") and compared[0] == compared[1]:
            self.add_error(
                "also", "The second thing is the same as the first; pick another, or nothing else."
            )
        if any(one in cleaned.get("within", []) for one in compared if one):
            self.add_error(
                "within", "You cannot compare a thing and also keep to one of it; untick it here."
            )
        return cleaned

    def unlike_words(self) -> list[str]:
        """What the answer must be marked as not fair for."""
        return [self.attributes[name] for name in self.cleaned_data["unlike"]]

    def as_far_as_it_can(self, first: Question) -> Question:
        """What stands in the gaps of a question that cannot be asked,
        so that they are shown and can be changed.
        """
        said: dict[str, Any] = {}
        asked = cast(QueryDict, self.data)
        for gap in GAPS:
            known = dict(self.choices_of(gap))
            words = [word for word in asked.getlist(gap.name) if word in known]
            if gap.kind in self.records:
                found = [self.records[gap.kind][word] for word in words]
                said[gap.field] = (
                    tuple(one.ref for one in found) if gap.kind == "site" else tuple(found)
                )
            elif gap.kind == "season":
                said[gap.field] = tuple(map(int, words))
            elif gap.kind not in {"flag", "ref"}:
                default = getattr(first, gap.field) if gap.is_needed else ""
                said[gap.field] = tuple(words) if gap.is_many else next(iter(words), default)
        return first.but(**{**said, "without": (), "unlike": (), "with_estimates": False})

    def question(self) -> Question:
        """The question that was asked, once the form is valid."""
        return Question(**{gap.field: self._value(gap) for gap in GAPS})

    def _value(self, gap: Gap) -> Any:
        said = self.cleaned_data[gap.name]
        if gap.kind == "site":
            return tuple(site.ref for site in said)
        if gap.kind == "grade":
            has_grades = MEASURES[self.cleaned_data["by"]].has_grades
            return tuple(key for key in (*GRADES, *self.sizes) if key in said and has_grades)
        return tuple(said) if gap.is_many else said


class SaveForm(forms.Form):
    """A question to be saved: its name and its address, which must be one that can be asked."""

    name = forms.CharField(max_length=80)
    address = forms.CharField(max_length=ADDRESS_LENGTH)

    def __init__(self, data: Any, *, household: Household) -> None:
        super().__init__(data)
        self.household = household

    def clean_address(self) -> str:
        asked = QuestionForm(QueryDict(self.cleaned_data["address"]), household=self.household)
        if not asked.is_valid():
            raise forms.ValidationError("This address holds no question.")
        return asked.question().address()


class SavedForm(OfRecord, forms.ModelForm):
    class Meta:
        model = SavedQuestion
        fields = ("name", "is_pinned")
