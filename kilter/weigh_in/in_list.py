"""Lines put right where they stand in the list: day, grade, count and weight of each, and several
moved to another planting, as one change.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, ClassVar, Final

from django import forms
from django.core.exceptions import ValidationError
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from kilter.people.access import Who, page_for
from kilter.people.forms import BackForm, MassField, OfHousehold, PicksField, VagueDateField
from kilter.people.middleware import HouseholdRequest
from kilter.people.undo import flash_change
from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import Planting
from kilter.set_out.telling import PlantingField
from kilter.weigh_in import actions
from kilter.weigh_in.forms import LinesForm
from kilter.weigh_in.models import WeighIn
from kilter.weigh_in.visits import not_yet_there

MOST_AT_ONCE: Final = 100


class LineInListForm(OfHousehold, forms.ModelForm):
    """What of one line is put right in the list."""

    when = VagueDateField(label="day")
    shown = MassField(label="weight", required=False)

    class Meta:
        model = WeighIn
        fields = ("grade", "count")
        field_classes: ClassVar[dict[str, Any]] = {}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        line = self.instance
        self.fields["when"].initial = line.when
        self.fields["shown"].initial = self.weight_was
        self.was = (line.when, self.weight_was, line.grade, line.count)
        for field in self.fields.values():
            field.label = f"{field.label}: {line.planting}, {line.when}"
        if line.pile:  # a running total is put right on the line's own page
            del self.fields["shown"]

    @property
    def in_order(self) -> list[forms.BoundField]:
        """Its fields as the columns of the list have them."""
        return [self[name] for name in ("when", "grade", "count", "shown") if name in self.fields]

    @property
    def weight_was(self) -> int | None:
        """As the scale showed it."""
        line = self.instance
        if line.pile:
            reading: int | None = line.reading_mg
            return reading
        return None if line.mass_mg is None else line.mass_mg + line.tare_mg

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        if self.instance.pile:
            cleaned["shown"] = self.weight_was
        said = [cleaned.get("count"), cleaned.get("shown"), self.instance.measures]
        if not self.errors and all(one is None for one in said):
            raise forms.ValidationError("A line is a weight, a count, or both.")
        return cleaned

    def differs(self) -> bool:
        """Whether anything of it was changed."""
        said = self.cleaned_data
        return (said["when"], said.get("shown"), said["grade"], said.get("count")) != self.was


class MovedForm(OfHousehold, forms.Form):
    """Which lines are moved, and to which planting."""

    moved = PicksField(WeighIn.objects.none(), required=False)
    to = PlantingField(
        Planting.objects.none(), required=False, label="Move those that are ticked to"
    )

    def __init__(self, *args: Any, lines: Sequence[WeighIn], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        crops = {line.planting.crop_id for line in lines}
        plantings = Planting.objects.of(self.household).filter(crop__in=crops).as_choices()
        moved, to = self.fields["moved"], self.fields["to"]
        assert isinstance(moved, PicksField)
        assert isinstance(to, PlantingField)
        moved.queryset = WeighIn.objects.of(self.household).filter(
            pk__in=[line.pk for line in lines]
        )
        to.queryset = plantings

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or self.cleaned_data
        moved, to = cleaned.get("moved"), cleaned.get("to")
        if moved and to is None and "to" not in self.errors:
            self.add_error("to", "Say to which planting.")
        if to is not None and not moved:
            self.add_error("to", "Tick the lines that are moved.")
        if to is not None and any(line.planting.crop_id != to.crop_id for line in moved or ()):
            self.add_error("to", f"Only lines of {to.crop} can be moved there.")
        return cleaned


@page_for(reads=Who.WRITER, writes=Who.WRITER)
def correct_list(request: HouseholdRequest) -> HttpResponse:
    """Put lines right in the list; all that was changed is one change."""
    asked = LinesForm(request.GET, household=request.household)
    asked.is_valid()
    lines = _lines(request, asked.cleaned_data)
    data = request.POST or None
    rows = [
        LineInListForm(data, instance=line, prefix=str(line.pk), household=request.household)
        for line in lines
    ]
    moved = MovedForm(data, lines=lines, household=request.household)
    if request.method == "POST" and all([moved.is_valid(), *(row.is_valid() for row in rows)]):
        changed = _changed(rows, moved.cleaned_data)
        if not any(row.errors for row in rows):
            try:
                if changed:
                    flash_change(request, actions.correct_many(request.actor, changed))
                return redirect(_back(request))
            except ValidationError as error:
                moved.add_error(None, error)
    has_errors = bool(moved.errors) or any(row.errors for row in rows)
    context = {
        "rows": rows,
        "moved": moved,
        "most": MOST_AT_ONCE,
        "back": _back(request),
    }
    return render(request, "weigh_in/in_list.html", context, status=422 if has_errors else 200)


def _lines(request: HouseholdRequest, asked: dict[str, Any]) -> list[WeighIn]:
    """What a blinded trial keeps back is put right on the page of each line alone."""
    found = WeighIn.objects.of(request.household).select_related(
        "planting__place", "planting__part", "planting__crop", "planting__variety", "bowl", "size"
    )
    found = found.exclude(planting__in=[*blinded_of(request.household)])
    if crop := asked.get("crop"):
        found = found.filter(planting__crop=crop)
    if day := asked.get("day"):
        found = found.filter(weighed_on=day)
    if pot := asked.get("pot"):
        found = found.filter(planting=pot)
    return list(found.order_by("-weighed_on", "-pk")[:MOST_AT_ONCE])


def _changed(
    rows: Sequence[LineInListForm], said: dict[str, Any]
) -> list[tuple[WeighIn, dict[str, Any]]]:
    """The lines that differ from what they were, each with what is said of it now."""
    moved = {line.pk for line in said.get("moved") or ()}
    changed = []
    for row in rows:
        line: WeighIn = row.instance
        is_moved = line.pk in moved and line.planting_id != said["to"].pk
        if not is_moved and not row.differs():
            continue
        if is_moved:
            line.planting = said["to"]
        if before := not_yet_there(line.planting, row.cleaned_data["when"].latest):
            row.add_error("when", before)
            continue
        if line.size is not None and line.size.grade != line.grade:
            line.size = None
        changed.append((line, {**row.cleaned_data, "tare_mg": line.tare_mg}))
    return changed


def _back(request: HouseholdRequest) -> str:
    form = BackForm(request.GET, host=request.get_host())
    here: str = form.cleaned_data["back"] if form.is_valid() else ""
    return here or reverse("weigh_in:lines")
