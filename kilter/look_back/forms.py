"""Forms of a review: what becomes of a line, what is decided, what a judge says."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django import forms

from kilter.core.review.aims import Aim
from kilter.look_back.models import AIMS, WORDS_LENGTH, Decision, Remark, Review
from kilter.look_back.sitting import Sitting
from kilter.people.forms import OfHousehold
from kilter.people.meeting import OfRecord
from kilter.set_out.models import Variety
from kilter.weigh_up.varieties.models import Criterion, Verdict
from kilter.weigh_up.varieties.queries import SEASONS_BEFORE_DROPPING

#: What can be done with a drafted line.
ACTS = {
    "keep": Remark.State.KEPT,
    "reword": Remark.State.REWORDED,
    "strike": Remark.State.STRUCK,
    "ask again": Remark.State.OWN,
}
AMOUNTED: frozenset[Aim] = frozenset({"more", "less"})


class RemarkForm(forms.Form):
    """What becomes of a drafted line."""

    season = forms.IntegerField(min_value=1900, max_value=2200)
    key = forms.CharField(max_length=200)
    act = forms.ChoiceField(choices=[(act, act) for act in ACTS])
    words = forms.CharField(max_length=WORDS_LENGTH, required=False)
    cause = forms.CharField(max_length=200, required=False)
    of = forms.CharField(max_length=10, required=False)  # the page that the line stands on

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if cleaned.get("act") == "reword" and not cleaned.get("words"):
            self.add_error("words", "Write the line in your own words, or keep it as it is.")
        return cleaned


class OwnRemarkForm(OfHousehold, forms.ModelForm):
    """A line of one's own."""

    class Meta:
        model = Remark
        fields = ("season", "crop", "side", "words", "cause")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["cause"].help_text = "Where you know it, or “not known”."
        self.fields["crop"].empty_label = "the whole garden"  # type: ignore[attr-defined]


class ReviewForm(OfRecord, forms.ModelForm):
    """The season in one's own words."""

    class Meta:
        model = Review
        fields = ("note",)


class SeasonForm(forms.Form):
    """The season that is asked for, and on which paper it is printed."""

    season = forms.IntegerField(required=False, min_value=1900, max_value=2200)
    paper = forms.ChoiceField(required=False, choices=[("a4", "A4"), ("letter", "Letter")])
    crop = forms.IntegerField(required=False, min_value=1, max_value=2**63 - 1)
    judge = forms.CharField(required=False, max_length=40)
    whole = forms.BooleanField(required=False)

    @property
    def is_whole(self) -> bool:
        """Whether the page is wanted with all that is on it, by whoever has no scripts."""
        return self.is_valid() and bool(self.cleaned_data["whole"])


class VarietyChoice(forms.ModelChoiceField):
    """A variety under the name of its crop."""

    def label_from_instance(self, obj: Any) -> str:
        return f"{obj.crop} ‘{obj}’"


class DecisionForm(OfHousehold, forms.ModelForm):
    """What is to change, and why."""

    variety = VarietyChoice(Variety.objects.none(), required=False, empty_label="any")

    class Meta:
        model = Decision
        fields = (
            "season",
            "crop",
            "variety",
            "place",
            "aim",
            "percent",
            "number",
            "detail",
            "reason",
        )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for name, label in (("crop", "of the whole garden or a place"), ("place", "anywhere")):
            self.fields[name].empty_label = label  # type: ignore[attr-defined]
        self.fields["percent"].help_text = "Of more or less. Empty: by some."
        self.fields["number"].help_text = "How many set out in all, instead of per cent."

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        aim, variety, crop = cleaned.get("aim"), cleaned.get("variety"), cleaned.get("crop")
        if variety is not None and crop is None:
            cleaned["crop"] = self.instance.crop = variety.crop
        elif variety is not None and crop is not None and variety.crop_id != crop.pk:
            self.add_error("variety", f"‘{variety}’ is a variety of {variety.crop}, not of {crop}.")
        for name in ("percent", "number"):
            if cleaned.get(name) is not None and aim and aim not in AMOUNTED:
                self.add_error(name, f"An amount goes with more or less, not with “{AIMS[aim]}”.")
        if cleaned.get("percent") is not None and cleaned.get("number") is not None:
            self.add_error("number", "Say it in per cent or to a number, not both.")
        if aim == "less" and (cleaned.get("percent") or 0) > 100:
            self.add_error("percent", "It cannot be less by more than all of it.")
        if (
            aim in {"drop", "split", "method", "store"}
            and not crop
            and not variety
            and not cleaned.get("place")
        ):
            self.add_error("crop", f"Say of which crop: “{AIMS[aim]}”.")
        return cleaned


class AsideForm(forms.Form):
    """Why a decision is put aside."""

    aside = forms.CharField(label="why", max_length=200)


class WhoForm(forms.Form):
    """Who judges."""

    judge = forms.CharField(
        label="who says so", max_length=40, widget=forms.TextInput(attrs={"list": "judges"})
    )


class SittingForm(WhoForm):
    """One judge's scores of a crop's varieties, and the household's verdicts."""

    steps = (("", "–"), (1, "1 poor"), (2, "2"), (3, "3"), (4, "4"), (5, "5 excellent"))

    def __init__(self, *args: Any, sitting: Sitting, may_judge: bool, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.sitting, self.may_judge = sitting, may_judge
        for row in sitting.rows:
            for criterion in sitting.criteria:
                self.fields[self.score_name(row.variety, criterion)] = forms.TypedChoiceField(
                    label=criterion.name,
                    choices=self.steps,
                    coerce=int,
                    empty_value=None,
                    required=False,
                    initial=sitting.said.get((row.variety.pk, criterion.pk), ""),
                )
            if may_judge:
                self._add_verdict(row.variety)

    def _add_verdict(self, variety: Variety) -> None:
        known = self.sitting.verdicts.get(variety.pk)
        self.fields[f"verdict-{variety.pk}"] = forms.ChoiceField(
            label="verdict",
            choices=[("", "no verdict"), *Verdict.Kind.choices],
            required=False,
            initial=known.kind if known else "",
        )
        self.fields[f"reason-{variety.pk}"] = forms.CharField(
            label="why", max_length=200, required=False, initial=known.reason if known else ""
        )
        self.fields[f"sure-{variety.pk}"] = forms.BooleanField(
            label="drop it all the same", required=False
        )

    @staticmethod
    def score_name(variety: Variety, criterion: Criterion) -> str:
        return f"s{variety.pk}-{criterion.pk}"

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        for row in self.sitting.rows:
            pk = row.variety.pk
            known = self.sitting.seasons_known(row.variety)
            is_hasty = (
                cleaned.get(f"verdict-{pk}") == Verdict.Kind.NOT_AGAIN
                and known < SEASONS_BEFORE_DROPPING
            )
            if is_hasty and not cleaned.get(f"sure-{pk}"):
                says = "Only one season is" if known == 1 else "No season is"
                self.add_error(
                    f"verdict-{pk}",
                    f"{says} on record for it, and one season may have been against it: try it in "
                    "another season or place first, or tick “drop it all the same”.",
                )
        return cleaned

    def rows(self) -> list[dict[str, Any]]:
        """Each variety with its fields, as the page shows them."""
        found = []
        for row in self.sitting.rows:
            pk = row.variety.pk
            scores = [
                self[self.score_name(row.variety, criterion)] for criterion in self.sitting.criteria
            ]
            verdict = (
                [self[f"{name}-{pk}"] for name in ("verdict", "reason", "sure")]
                if self.may_judge
                else []
            )
            found.append(
                {
                    "row": row,
                    "scores": scores,
                    "verdict": verdict,
                    "said": self.sitting.verdicts.get(pk),
                }
            )
        return found

    def scores(self) -> list[tuple[Variety, Criterion, int | None]]:
        """Every score as it stands now, None where there is none."""
        return [
            (row.variety, criterion, self.cleaned_data[self.score_name(row.variety, criterion)])
            for row in self.sitting.rows
            for criterion in self.sitting.criteria
        ]

    def verdicts(self) -> Sequence[tuple[Variety, str, str]]:
        """Variety, verdict and reason; an empty verdict takes one back."""
        if not self.may_judge:
            return ()
        said = self.cleaned_data
        return [
            (row.variety, said[f"verdict-{row.variety.pk}"], said[f"reason-{row.variety.pk}"])
            for row in self.sitting.rows
        ]
