"""Forms of what people say of varieties."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django import forms

from kilter.people.forms import CommaNumbers, OfHousehold
from kilter.people.meeting import OfRecord
from kilter.set_out.models import Variety
from kilter.weigh_up.varieties.models import Criterion, Verdict
from kilter.weigh_up.varieties.queries import MEASURED, SEASONS_BEFORE_DROPPING


class WeightsForm(CommaNumbers, forms.Form):
    """How much each criterion counts in a ranking."""

    def __init__(self, data: Any, *, weights: Mapping[str, float]) -> None:
        super().__init__(data)
        for n, (name, weight) in enumerate(weights.items()):
            self.fields[f"w{n}"] = forms.FloatField(
                label=name, min_value=0, max_value=100, required=False, initial=weight
            )
        self.begin = dict(weights)

    def weights(self) -> dict[str, float]:
        """What was said, else as it began."""
        said = self.cleaned_data if self.is_valid() else {}
        found = {}
        for n, (name, weight) in enumerate(self.begin.items()):
            value = said.get(f"w{n}")
            found[name] = weight if value is None else float(value)
        return found


class CriterionForm(OfHousehold, forms.ModelForm):
    class Meta:
        model = Criterion
        fields = ("name", "weight")

    def clean_name(self) -> str:
        name = " ".join(self.cleaned_data["name"].split())
        others = Criterion.objects.of(self.household).exclude(pk=self.instance.pk)
        if name.lower() in MEASURED or others.filter(name__iexact=name).exists():
            raise forms.ValidationError(f"“{name}” is there already.")
        return name


class ScoresForm(forms.Form):
    """One person's scores of a variety on every criterion; an empty one is no score."""

    season = forms.IntegerField(min_value=1900, max_value=2200)
    judge = forms.CharField(label="who says so", max_length=40, required=False)
    use = forms.CharField(
        label="for",
        max_length=20,
        required=False,
        help_text="bake, fresh, soup, dry; empty: in general.",
        widget=forms.TextInput(attrs={"list": "uses"}),
    )
    note = forms.CharField(max_length=200, required=False)

    def __init__(self, *args: Any, criteria: Sequence[Criterion], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.criteria = criteria
        steps = [
            ("", "no score"),
            (1, "1 poor"),
            (2, "2"),
            (3, "3 middling"),
            (4, "4"),
            (5, "5 excellent"),
        ]
        for criterion in criteria:
            self.fields[f"c{criterion.pk}"] = forms.TypedChoiceField(
                label=criterion.name, choices=steps, coerce=int, empty_value=None, required=False
            )

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if not self.errors and not any(cleaned.get(f"c{c.pk}") for c in self.criteria):
            raise forms.ValidationError("Give at least one score, from 1 to 5.")
        return cleaned

    def said(self) -> list[tuple[Criterion, int]]:
        """Criterion and score of those given."""
        return [(c, value) for c in self.criteria if (value := self.cleaned_data[f"c{c.pk}"])]


class VerdictForm(OfRecord, forms.ModelForm):
    class Meta:
        model = Verdict
        fields = ("season", "kind", "reason")

    def __init__(self, *args: Any, variety: Variety, seasons_known: int, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.variety, self.seasons_known = variety, seasons_known
        self.fields["sure"] = forms.BooleanField(required=False, label="drop it all the same")
        self.order_fields(["season", "kind", "reason", "sure"])

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        hasty = (
            cleaned.get("kind") == Verdict.Kind.NOT_AGAIN
            and self.seasons_known < SEASONS_BEFORE_DROPPING
        )
        if hasty and not cleaned.get("sure"):
            known = "one season is" if self.seasons_known == 1 else "no season is"
            self.add_error(
                "sure",
                f"Only {known} on record for it, and one season may have been against it: try it "
                "in another season or place first, or tick here.",
            )
        return cleaned
