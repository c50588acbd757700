"""How the maps are to be painted."""

from __future__ import annotations

from typing import Any

from django import forms

from kilter.core.handbook.families import family_words

COLOURS = (("crop", "what stands there"), ("yield", "yield"), ("plain", "nothing"))


class AtlasForm(forms.Form):
    """What the maps show; anything else shows what stands there."""

    colour = forms.ChoiceField(label="painted by", required=False)
    season = forms.TypedChoiceField(label="season", coerce=int, required=False)

    def __init__(
        self, data: Any, *, seasons: list[int], families: list[str], today_year: int
    ) -> None:
        super().__init__(data)
        colour, season = self.fields["colour"], self.fields["season"]
        assert isinstance(colour, forms.ChoiceField)
        assert isinstance(season, forms.ChoiceField)
        colour.choices = [
            *COLOURS,
            *((f"family:{f}", f"years since the {family_words(f)}") for f in families),
        ]
        season.choices = [(year, str(year)) for year in seasons]
        self.today_year = today_year

    def chosen(self) -> tuple[str, int]:
        """Colour and season, each as asked for if that can be."""
        self.is_valid()
        asked = self.cleaned_data
        return asked.get("colour") or "crop", asked.get("season") or self.today_year
