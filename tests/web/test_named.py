"""Every page has a title of its own, and every picture is said in words too, for tabs,
history and a screen reader.
"""

from __future__ import annotations

import re
from collections import defaultdict

from lxml import etree

from tests.web.routes import MINE, complete


def unnamed(html):
    """Pictures that would be read out as nothing: neither named, nor skipped,
    nor part of what is named.
    """
    page = etree.fromstring(html, etree.HTMLParser(recover=True))
    for svg in page.iter("svg"):
        around = [svg, *svg.iterancestors()]
        is_named = (
            svg.get("aria-label")
            or svg.get("aria-labelledby")
            or (svg.findtext("title") or "").strip()
        )
        is_skipped = any(one.get("aria-hidden") == "true" for one in around)
        is_part = any(
            one.get("aria-label") and one.tag in ("a", "button", "figure", "div") for one in around
        )
        if not (is_skipped or is_part or (is_named and svg.get("role") in ("img", "group"))):
            yield etree.tostring(svg, encoding="unicode")[:140]


def test_every_page_has_a_title_of_its_own_and_its_pictures_have_names(
    transactional_db, client, garden
):
    complete(garden)
    titles, pictures, wrong = defaultdict(list), 0, {}
    for route in MINE:
        if route.declared.reads:
            said = client.get(route.of(garden))
            if (
                said.status_code == 200
                and not said.streaming
                and b"<!doctype html>" in said.content[:40].lower()
            ):
                html = said.content.decode()
                title = re.search(r"<title>(.*?)</title>", html, re.S)
                titles[" ".join(title[1].split()).removesuffix(" · Kilter")].append(route.label)
                pictures += html.count("<svg")
                if bad := list(unnamed(html)):
                    wrong[route.label] = bad
    assert len(titles) > 100
    assert "" not in titles
    assert {title: routes for title, routes in titles.items() if len(routes) > 1} == {}
    assert pictures > 60
    assert wrong == {}
