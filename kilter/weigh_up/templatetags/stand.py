"""The stand's units, drawn in one go: a page may hold hundreds,
and a template part for each is ten times the cost.
"""

from __future__ import annotations

from urllib.parse import quote

from django import template
from django.utils.html import format_html_join
from django.utils.safestring import SafeString, mark_safe

from kilter.core.amounts.units import half_up
from kilter.core.compare import BlockResult
from kilter.weigh_up.answer.pictures import StandRow
from kilter.weigh_up.question.question import Question

register = template.Library()
#: A unit that the answer hangs on.
SUSPECT = mark_safe(' class="suspect"')
_UNIT = (
    '<figure data-story="{}"{}><svg viewBox="0 0 44 74" width="44" height="74" aria-hidden="true">'
    '<polygon points="{}" class="vessel" /><polygon points="{}" fill="url(#fill{})" /></svg>'
    '<figcaption><b>{}</b><a href="{}">{}</a><span class="block '
    'quiet">{}</span></figcaption></figure>'
)


_ROW = (
    '<tr><td><a href="{}">{}</a></td><td>{}</td><td>{}</td><td class="n">{}</td>'
    '<td><a href="?{}&amp;without={}">Do not count it</a></td></tr>'
)


@register.simple_tag
def unit_rows(rows: tuple[StandRow, ...], question: Question) -> SafeString:
    """Every unit as a row of a table, with the way not to count it."""
    address = question.address()
    units = ((row.level, unit) for row in rows for unit in row.units)
    cells = (
        (u.address, u.place, level, u.blocks, u.figure, address, quote(u.ref, safe=""))
        for level, u in units
    )
    return format_html_join("", _ROW, cells)


@register.simple_tag
def block_rows(blocks: tuple[BlockResult, ...]) -> SafeString:
    """Every block as a row of a table: there may be as many as seasons times varieties."""
    agrees = {True: "yes", False: "no", None: "one is missing"}
    rows = (
        (
            ", ".join(b.labels),
            "; ".join(f"{name} {half_up(mean, 3)}" for name, mean in b.means),
            agrees[b.is_agreeing],
        )
        for b in blocks
    )
    return format_html_join("", "<tr><td>{}</td><td>{}</td><td>{}</td></tr>", rows)


@register.simple_tag
def stand_units(row: StandRow) -> SafeString:
    """Every unit of a level as a figure with its yield, its place and its block."""
    return format_html_join(
        "",
        _UNIT,
        (
            (
                u.story,
                SUSPECT if u.is_suspect else "",
                u.outline,
                u.fill,
                row.series,
                u.figure,
                u.address,
                u.place,
                u.blocks,
            )
            for u in row.units
        ),
    )
