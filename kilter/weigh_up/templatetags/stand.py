"""The stand's units, drawn in one go: a page may hold hundreds, and a template part for each is ten times the cost."""

from __future__ import annotations

from django import template
from django.utils.html import format_html_join
from django.utils.safestring import SafeString

from kilter.weigh_up.pictures import StandRow

register = template.Library()
_UNIT = (
    '<figure data-story="{}"><svg viewBox="0 0 44 74" width="44" height="74" aria-hidden="true">'
    '<polygon points="{}" class="vessel" /><polygon points="{}" fill="url(#fill{})" /></svg>'
    '<figcaption><b>{}</b><a href="{}">{}</a><span class="block quiet">{}</span></figcaption></figure>'
)


@register.simple_tag
def stand_units(row: StandRow) -> SafeString:
    """Every unit of a level as a figure with its yield, its place and its block."""
    return format_html_join(
        "", _UNIT, ((u.story, u.outline, u.fill, row.series, u.figure, u.address, u.place, u.blocks) for u in row.units)
    )
