"""Every page has a title of its own, so that tabs, history and a screen reader tell them apart."""

from __future__ import annotations

import re
from collections import defaultdict

from tests.web.routes import MINE, complete


def test_every_page_has_a_title_of_its_own(client, garden):
    complete(garden)
    titles = defaultdict(list)
    for route in MINE:
        if route.declared.reads:
            said = client.get(route.of(garden))
            if said.status_code == 200 and not said.streaming and b"<!doctype html>" in said.content[:40].lower():
                title = re.search(r"<title>(.*?)</title>", said.content.decode(), re.S)
                titles[" ".join(title[1].split()).removesuffix(" · Kilter")].append(route.label)
    assert len(titles) > 100
    assert "" not in titles
    assert {title: routes for title, routes in titles.items() if len(routes) > 1} == {}
