"""What tells plantings apart in a list: the one rule for every page that shows several."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable
from typing import Any

from django import forms

from kilter.set_out.models import Planting


def told_apart(
    plantings: Iterable[Planting],
    name: Callable[[Planting], str] = str,
    blinded: Collection[int] = (),
) -> dict[int, str]:
    """What each planting of a list is called there, by its key.

    By its name, and where several would be called the same by no more than tells them apart: what
    it is, the season, the day it was set out, then its place in the row of those that are still
    alike. Of what is ``blinded`` neither variety nor day is told.
    """
    by_key = {planting.pk: planting for planting in plantings}
    called = {pk: name(planting) for pk, planting in by_key.items()}
    for more in (_label, _season, _day):
        for alike in _alike(called):
            said = {pk: "" if pk in blinded else more(by_key[pk]) for pk in alike}
            if len(set(said.values())) > 1:
                called |= {pk: f"{called[pk]}{words}" for pk, words in said.items()}
    for alike in _alike(called):
        called |= {pk: f"{called[pk]}, row {n}" for n, pk in enumerate(alike, start=1)}
    return called


def _alike(called: dict[int, str]) -> list[list[int]]:
    """Those that are called the same, in the order of their list."""
    keys: dict[str, list[int]] = defaultdict(list)
    for pk, words in called.items():
        keys[words].append(pk)
    return [group for group in keys.values() if len(group) > 1]


def _label(planting: Planting) -> str:
    return f", {planting.label if planting.variety_id else planting.crop}"


def _season(planting: Planting) -> str:
    return f", {planting.season}"


def _day(planting: Planting) -> str:
    return f", set out {planting.planted}" if planting.planted else ", day unknown"


class _Labels(forms.models.ModelChoiceIterator):
    """The choices of a list, labelled as a whole."""

    def __iter__(self) -> Any:
        plantings = list(self.queryset)
        called = told_apart(plantings)
        if self.field.empty_label is not None:
            yield "", self.field.empty_label
        for planting in plantings:
            yield (
                forms.models.ModelChoiceIteratorValue(self.field.prepare_value(planting), planting),
                called[planting.pk],
            )


class PlantingField(forms.ModelChoiceField):
    """One of the household's plantings, each told apart from the others of the list."""

    iterator = _Labels

    def __init__(self, queryset: Any = None, **kwargs: Any) -> None:
        super().__init__(Planting.objects.none() if queryset is None else queryset, **kwargs)


class PlantingsField(forms.ModelMultipleChoiceField):
    """Some of the household's plantings, each told apart from the others of the list."""

    iterator = _Labels

    def __init__(self, queryset: Any = None, **kwargs: Any) -> None:
        super().__init__(Planting.objects.none() if queryset is None else queryset, **kwargs)
