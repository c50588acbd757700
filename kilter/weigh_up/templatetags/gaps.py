"""What a gap offers, drawn in one go: a sentence has hundreds of options,
and a template loop costs ten times that.
"""

from __future__ import annotations

from django import template
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from kilter.weigh_up.question.offers import OfferedGap

register = template.Library()
MISSING = "Not enough is written down yet"


@register.simple_tag
def gap_options(gap: OfferedGap) -> SafeString:
    """The options of a select; what cannot be asked is there, and says why."""
    can = format_html_join(
        "",
        '<option value="{}"{}>{}</option>',
        ((o.key, " selected" if o.is_picked else "", o.label) for o in gap.can),
    )
    if not gap.cannot:
        return can
    cannot = format_html_join(
        "",
        '<option value="{}" disabled>{}: {}</option>',
        ((o.key, o.label, o.reason) for o in gap.cannot),
    )
    return format_html('{}<optgroup label="{}">{}</optgroup>', can, MISSING, cannot)


@register.simple_tag
def gap_ticks(gap: OfferedGap) -> SafeString:
    """The boxes of a gap in which several may be ticked."""
    can = format_html_join(
        "",
        (
            '<label><input type="checkbox" name="{}" id="ask-{}-{}" value="{}"{}> '
            "<span>{}</span></label>"
        ),
        (
            (gap.name, gap.name, o.key, o.key, " checked" if o.is_picked else "", o.label)
            for o in gap.can
        ),
    )
    if not gap.cannot:
        return can
    cannot = format_html_join(
        "", '<p class="quiet text-sm">{}: {}</p>', ((o.label, o.reason) for o in gap.cannot)
    )
    return format_html('{}<p class="quiet text-sm mt-2">{}:</p>{}', can, MISSING, cannot)
