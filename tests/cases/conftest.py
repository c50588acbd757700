"""A new gardener who signs up and works through the pages, from nothing to an answer."""

from __future__ import annotations

import json
import re
from html import unescape
from io import StringIO
from typing import Any
from urllib.parse import urlencode

import pytest
from django.core.cache import cache
from django.core.management import call_command
from django.test import Client
from django.urls import reverse

from kilter.core.larder.mass import USES
from kilter.ground.models import Part, Place, Site
from kilter.larder.models import Crate
from kilter.people.models import Household
from kilter.set_out.models import Planting, Variety
from kilter.weigh_in.models import Bowl, Scale, WeighIn, new_client_id
from tests.conftest import PASSWORD


def words_of(html: str) -> str:
    """A page as it is read, without the frame that all pages have."""
    html = html.partition("<main")[2].partition("</main>")[0] or html
    bare = re.sub(r"<(script|style|svg|select|datalist)\b.*?</\1>", " ", html, flags=re.DOTALL)
    text = " ".join(unescape(re.sub(r"<[^>]+>", " ", bare)).split())
    return re.sub(r" ([.,:;)])", r"\1", text)


class Newcomer:
    """Hands of a gardener without script: every step is a form that a page sends."""

    def __init__(self, name: str) -> None:
        self.client = Client()
        said = {"username": name, "household_name": f"{name}s", "time_zone": "UTC"}
        self.post("people:sign_up", said | {"password1": PASSWORD, "password2": PASSWORD})
        self.household = Household.objects.get(name=f"{name}s")

    def post(
        self, route: str, data: dict[str, Any] | None = None, *args: Any, query: str = ""
    ) -> str:
        """Send a form and read the page that follows;
        what is refused fails the test with its words.
        """
        answer = self.client.post(reverse(route, args=args) + query, data or {}, follow=True)
        html = answer.content.decode()
        problems = re.findall(r'class="problem[^"]*">\s*([^<]+)', html)
        assert answer.status_code == 200, (route, answer.status_code, problems)
        return words_of(html)

    def refused(self, route: str, data: dict[str, Any], *args: Any) -> str:
        """Send a form that is not taken, and read what the page says of it."""
        answer = self.client.post(reverse(route, args=args), data)
        assert answer.status_code == 422, route
        return words_of(answer.content.decode())

    def read(self, route: str, *args: Any, **query: Any) -> str:
        """Open a page and read it."""
        asked = urlencode({k: v for k, v in query.items() if v not in (None, "")}, doseq=True)
        answer = self.client.get(f"{reverse(route, args=args)}?{asked}")
        assert answer.status_code == 200, (route, answer.status_code)
        return words_of(answer.content.decode())

    # Ground

    def site(self, name: str, **more: Any) -> Site:
        self.post("ground:new_site", {"name": name, **more})
        return Site.objects.of(self.household).get(name=name)

    def bed(self, name: str, length_m: float, width_m: float, **more: Any) -> Place:
        site = more.pop("site", None) or Site.objects.of(self.household).last()
        said = {
            "site": site.pk,
            "kind": "bed",
            "name": name,
            "length_m": length_m,
            "width_m": width_m,
        }
        self.post("ground:new_bed", said | more)
        return Place.objects.of(self.household).get(name=name, number=None)

    def pots(self, name: str, how_many: int, litres: float, **more: Any) -> list[Place]:
        site = more.pop("site", None) or Site.objects.of(self.household).last()
        said = {
            "site": site.pk,
            "kind": "pot",
            "name": name,
            "how_many": how_many,
            "volume_l": litres,
        }
        self.post("ground:new_set", said | {"first_number": 1, "gap_m": 0.5, "per_row": 12} | more)
        return list(Place.objects.of(self.household).filter(name=name).order_by("number"))

    def parts(self, bed: Place, into: str) -> dict[str, Part]:
        self.post("ground:divide", {"into": into}, bed.pk)
        return {part.name: part for part in Part.objects.of(self.household).filter(place=bed)}

    # Set out

    def set_out(
        self, where: str | list[Any], crop: str, units: int | None, planted: str, **more: Any
    ) -> list[Planting]:
        """Plant in places typed as a gardener types them, or in parts."""
        before = set(Planting.objects.of(self.household).values_list("pk", flat=True))
        said: dict[str, Any] = {
            "crop_name": crop,
            "units": "" if units is None else units,
            "planted": planted,
        }
        said |= {"unit_kind": "plant"} | more
        if isinstance(where, str):
            said["places_typed"] = where
        else:
            said["places"] = [
                f"{'part' if isinstance(one, Part) else 'place'}-{one.pk}" for one in where
            ]
        query = said.pop("query", "")
        self.post("set_out:new", said, query=query)
        new = Planting.objects.of(self.household).exclude(pk__in=before)
        return list(new.order_by("place__name", "place__number", "pk"))

    def count(self, planting: Planting, kind: str, count: int, when: str) -> None:
        self.post("set_out:count", {"kind": kind, "count": count, "when": when}, planting.pk)

    def finish(self, planting: Planting, on: str, rest: str = "") -> None:
        self.post("set_out:finish", {"finished_on": on, "rest": rest}, planting.pk)

    # Weigh in

    def weigh(
        self, planting: Planting, typed: str, on: str, grade: str = "table", **more: Any
    ) -> str:
        """Write a line at the bench, dated; gives its id."""
        cache.clear()
        one = {
            "client_id": new_client_id(),
            "planting": planting.pk,
            "grade": grade,
            "typed": typed,
        }
        said = self.send(one | {"at": f"{on}T10:00:00+00:00"} | more)
        assert said["refused"] == [], said["refused"]
        return str(one["client_id"])

    def send(self, *events: dict[str, Any]) -> dict[str, Any]:
        body = json.dumps({"events": list(events)})
        answer = self.client.post(reverse("weigh_in:events"), body, content_type="application/json")
        assert answer.status_code == 200
        found: dict[str, Any] = answer.json()
        return found

    def line(self, client_id: str) -> WeighIn:
        return WeighIn.objects.ever_of(self.household).get(client_id=client_id)

    def kit(self, what: str, **said: Any) -> Any:
        self.post("weigh_in:kit_new", said, what)
        return (
            {"bowl": Bowl, "scale": Scale}[what].objects.of(self.household).get(name=said["name"])
        )

    # Larder

    def put(self, planting: Planting, to: str, grade: str = "table", **more: str) -> str:
        """Put what was lifted of a crop, variety and grade by;
        more of it by the names of the form.
        """
        key = f"{planting.crop_id}-{planting.variety_id or 0}-{planting.season}-{grade}"
        when = {"when": more.pop("when", "")}
        return self.post(
            "larder:put_by", {f"to-{key}": to} | {f"{k}-{key}": v for k, v in more.items()} | when
        )

    def crate(self, crop: str, state: str = "fresh") -> Crate:
        return Crate.objects.of(self.household).get(crop__name=crop, state=state)

    def use(self, crate: Crate, use: str, typed: str, when: str = "") -> str:
        return self.post(
            "larder:use", {"crate": crate.pk, "use": use, "typed": typed, "when": when}
        )

    def went(self, crop: str, season: int = 2026) -> dict[str, Any]:
        """Where a crop went, by the command; it always adds up."""
        found = self.told("larder")["crops"]
        one: dict[str, Any] = next(
            row for row in found if (row["crop"], row["season"]) == (crop, season)
        )
        assert one["lifted_mg"] == sum(one[name] for name in (*USES, "in_store", "not_accounted"))
        return one

    def told(self, command: str, **options: Any) -> dict[str, Any]:
        out = StringIO()
        call_command(command, household=self.household.name, json=True, stdout=out, **options)
        found: dict[str, Any] = json.loads(out.getvalue())
        return found

    # What happened

    def happened(self, kind: str, where: str, when: str, **more: Any) -> str:
        return self.post("tending:new", {"kind": kind, "when": when, "targets_typed": where} | more)

    def variety(self, name: str) -> Variety:
        return Variety.objects.of(self.household).get(name=name)

    # Weigh up

    def ask(self, compare: str, by: str, **more: Any) -> str:
        return self.read("weigh_up:index", compare=compare, by=by, **more)


@pytest.fixture
def newcomer(db):
    return Newcomer
