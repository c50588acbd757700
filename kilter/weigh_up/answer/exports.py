"""An answer to take away: its figures as CSV, its pictures as SVG and PNG."""

from __future__ import annotations

import csv
import io
from pathlib import Path
from typing import Any

import resvg_py
from django.template.loader import render_to_string

from kilter.people.look import colours
from kilter.tables.cells import guarded
from kilter.weigh_up.answer.ask import Answer
from kilter.weigh_up.answer.page import AnswerPage
from kilter.weigh_up.answer.pictures import rate_unit, rate_value

FONTS = Path(__file__).parent / "fonts"
FAMILY = "Atkinson Hyperlegible Next"
PNG_ZOOM = 2
#: Shades of a picture that stands alone, by class, as the stylesheet names their roles.
SHADES = {
    **{f"s{n}": f"s{n}" for n in range(1, 7)},
    "text-beet": "beet",
    "text-ink": "ink",
    "text-brass": "brass",
}
TEMPLATES = {
    "balance": "weigh_up/_balance_svg.html",
    "steelyard": "weigh_up/_steelyard_svg.html",
    "blocks": "weigh_up/_blocks_svg.html",
    "lines": "weigh_up/_chart_svg.html",
}


def picture_style() -> str:
    """The look of the pages, for a picture that stands alone."""
    role = colours()
    shades = "".join(f".{name}{{color:{role[shade]}}}" for name, shade in SHADES.items())
    return (
        f"svg{{font-family:'{FAMILY}',sans-serif;background:{role['raised']}}}text{{fill:{role['ink']}}}{shades}"
        f".inkline{{stroke:{role['ink']};fill:none}}.hair{{stroke:{role['line']};stroke-width:1;fill:none}}"
        f".tick-text{{font-size:14px}}text.quiet{{fill:{role['quiet']}}}.font-bold{{font-weight:700}}"
    )


def units_csv(answer: Answer, system: str) -> str:
    """Every unit that was used with its figures, and every one left out with its reason."""
    stream = io.StringIO(newline="")
    writer = csv.writer(stream, lineterminator="\n")
    names = [answer.words[name] for name in answer.question.attributes]
    unit = " ".join(
        filter(
            None,
            (rate_unit(answer.measure, system), answer.measure.per and f"per {answer.measure.per}"),
        )
    )
    writer.writerow(
        [
            "planting",
            "place",
            "season",
            "what",
            *map(guarded, names),
            "amount",
            "over",
            unit or "number",
            "left out",
        ]
    )
    used = {one.ref: one for one in (answer.comparison.units if answer.comparison else ())}
    reasons = {out.ref: out.reason for out in answer.left_out}
    for first, together in answer.joined.items():
        if first in used:
            reasons |= {
                ref: f"weighed as one with {answer.facts[first].place}"
                for ref in together
                if ref != first
            }
    for ref, fact in answer.facts.items():
        labels = [fact.attribute(name) or "" for name in answer.question.attributes]
        row: list[Any] = [
            *map(guarded, (ref, fact.place)),
            fact.season,
            *map(guarded, (fact.label, *labels)),
        ]
        if ref in used:
            one = used[ref]
            rate = rate_value(one.amount / one.exposure, answer.measure, system)
            writer.writerow([*row, f"{one.amount:.6g}", f"{one.exposure:.6g}", f"{rate:.6g}", ""])
        else:
            writer.writerow([*row, "", "", "", reasons.get(ref, "not used")])
    return stream.getvalue()


def picture_svg(page: AnswerPage, name: str) -> str | None:
    """One picture of an answer as a file of its own; None where this answer has none such."""
    found = dict(page.pictures.named(name)).get("wide")
    if found is None:
        return None
    more: dict[str, Any] = {"drawn": found}
    if name == "balance":
        more = {"drawn": found.drawn, "weighed": {"weights": ()}}
    title = page.sentence.answer
    svg = render_to_string(
        TEMPLATES[name],
        more
        | {
            "size": "wide",
            "verdict": title,
            "title": title,
            "name": name,
            "style": picture_style(),
        },
    )
    return svg[svg.index("<svg") :]


def as_png(svg: str) -> bytes:
    """An SVG as a PNG, twice its size, with the fonts that ship."""
    fonts = [str(path) for path in sorted(FONTS.glob("*.ttf"))]
    return bytes(
        resvg_py.svg_to_bytes(
            svg_string=svg,
            background=colours()["raised"],
            skip_system_fonts=True,
            font_files=fonts,
            font_family=FAMILY,
            sans_serif_family=FAMILY,
            zoom=PNG_ZOOM,
        )
    )
