"""Whatever is put into any address, field or event: a sentence or a page,
never a failure of ours.
"""

from __future__ import annotations

import inspect
import json
from itertools import cycle

import lxml.html
import pytest
from django.test import Client
from django.urls import resolve, reverse

from kilter.weigh_in.models import new_client_id
from tests.conftest import html_of
from tests.web.routes import MINE, complete, patterns

NASTY = (
    "",
    "0",
    "-1",
    "1e400",
    "nan",
    "inf",
    "9" * 23,
    "9223372036854775808",
    "\x00",
    "٣",
    "½",
    "a" * 5000,
    "<script>",
    "2026-02-30",
    "0001-01-01",
    "9999-12-31",
    "😀",
    "1.5",
    "true",
    "' OR 1=1",
    "1/0 lb",
    "c999999",
    "2lb3",
    "%00",
)
ODD = ([], None, 10**30, True, "0001-01-01T00:00:00+14:00", "9999-12-31T23:59:59-12:00")
ADDRESSES = {
    "/changes": ("kind",),
    "/next-year/again": ("season", "plan"),
    "/weigh-in/lines/edit": ("crop", "day", "pot", "back"),
    "/weigh-in/by-person": ("person", "since"),
    "/ground/": ("colour", "season"),
    "/": ("until",),
    "/set-out/new": (
        "kin",
        "kinship",
        "place",
        "places",
        "again",
        "crop",
        "variety",
        "units",
        "unit_kind",
    ),
    "/set-out/before": ("crop_name", "planted", "places", "places_typed"),
    "/ground/called": ("places_typed",),
    "/happenings/new": ("target", "kind"),
    "/happenings/do": ("target",),
    "/happenings/repeat": ("target", "job"),
    "/set-out/": ("season",),
    "/weigh-in/": ("crop", "pot", "day", "site", "only"),
    "/weigh-in/read": ("typed",),
    "/weigh-in/lines": ("crop", "day", "pot"),
    "/weigh-in/remember": ("pot",),
    "/weigh-in/waiting/together": ("lines", "line", "day"),
    "/weigh-in/scale/live": ("key",),
    "/weigh-up/": (
        "compare",
        "also",
        "by",
        "grade",
        "crop",
        "season",
        "site",
        "within",
        "upto",
        "without",
        "unlike",
    ),
    "/weigh-up/crowding": ("crop", "season", "by"),
    "/weigh-up/sharing": ("bed",),
    "/weigh-up/varieties": ("crop", "use", "w0"),
    "/find/": ("q",),
    "/next-year/": ("plan", "sort", "whole"),
    "/next-year/calendar": ("plan",),
    "/next-year/fit": ("plan",),
    "/next-year/planned": ("plan",),
    "/next-year/fit/week": ("plan", "week"),
    "/next-year/planned/map": ("plan", "slot"),
    "/larder/": ("season",),
    "/larder/weeks": ("season",),
    "/larder/account": ("season",),
    "/larder/enough/new": ("crop",),
    "/look-back/": ("season", "whole"),
    "/look-back/booklet": ("season", "paper", "crop"),
    "/look-back/setbacks": ("season",),
    "/look-back/places": ("season",),
    "/look-back/decisions": ("season",),
    "/look-back/decisions/new": ("season", "crop"),
    "/look-back/remarks/new": ("season",),
    "/look-back/note": ("season",),
    "/look-back/sitting": ("season", "crop", "judge"),
    "/larder/prices/new": ("crop",),
}
PLANTING = {
    "units": 3,
    "units_pm": 1,
    "unit_kind": "set",
    "crop_name": "x",
    "variety_name": "y",
    "lot_name": "z",
    "planted": "about mid-May",
    "season": 2026,
    "in_row_cm": 3,
    "row_gap_cm": 4,
    "depth_cm": 5,
    "spread_cm": 6,
    "rows": 2,
    "layout": "rows",
    "share_percent": 40,
    "lot_mass": "12 g",
    "methods_text": "a=b",
    "lift_from": "",
    "is_volunteer": "",
    "is_perennial": "",
    "is_variety_doubtful": "on",
    "notes": "n",
}
PLACE = {
    "kind": "bed",
    "name": "b",
    "volume_l": 1,
    "volume_unit": "US gal",
    "material": "",
    "x_m": 1,
    "y_m": 1,
    "light": "shade",
    "empty_kg": 1,
}
SITE = {
    "name": "x",
    "length_m": 1,
    "width_m": 1,
    "light": "shade",
    "light_when": "",
    "shelter": "",
    "away_min": 3,
    "latitude": 52,
    "last_frost_on": "20 April 2026",
    "first_frost_on": "25 October 2026",
    "north_deg": 3,
    "notes": "",
}


def forms_of(g):
    return {
        reverse("ground:new_site"): SITE,
        reverse("exchange:bring"): {"text": "Day,Crop,Weight\n1/5/2026,garlic,3", "kind": ""},
        reverse("ground:new_bed"): {
            **PLACE,
            "site": g.site.pk,
            "number": 1,
            "length_m": 1,
            "width_m": 1,
            "depth_m": 1,
            "moisture": "dry",
            "height_m": 1,
            "shade_side": "N",
            "is_above_waist": "on",
            "is_rooted_through": "",
            "notes": "",
        },
        reverse("ground:spot", args=[g.bed.pk]): {"x_m": 1, "y_m": 1, "is_move": "on"},
        reverse("ground:move", args=[g.bed.pk]): {
            "when": "today",
            "site": g.site.pk,
            "x_m": 1,
            "y_m": 2,
            "light": "shade",
            "note": "",
        },
        reverse("ground:new_part", args=[g.bed.pk]): {
            "name": "p",
            "kind": "stretch",
            "from_m": 0,
            "to_m": 1,
            "light": "",
            "moisture": "dry",
            "notes": "",
        },
        reverse("ground:divide", args=[g.bed.pk]): {"into": "ends"},
        reverse("ground:fill", args=[g.crates[0].pk]): {
            "kind": "filled",
            "when": "May 2026",
            "litres": 3,
            "mix": g.mix.pk,
            "came_from": g.bed.pk,
            "price": 3,
            "over_uses": 2,
            "note": "",
            "places": f"place-{g.crates[0].pk}",
            "places_typed": "bed",
        },
        reverse("ground:new_mix"): {"name": "m", "recipe": "compost 2"},
        reverse("set_out:count", args=[g.plantings[0].pk]): {
            "kind": "died",
            "count": 1,
            "when": "today",
            "note": "",
        },
        reverse("set_out:new_lot"): {
            "name": "l",
            "crop_name": "x",
            "variety_name": "y",
            "source": "",
            "kept_from": g.plantings[0].pk,
            "packed_year": 2025,
            "sow_by": "2027-01-01",
            "bought_count": 3,
            "weight": "3 g",
            "price": "2,50",
            "notes": "",
        },
        reverse("set_out:variety", args=[g.varieties[0].pk]): {
            "name": "v",
            "days_min": 3,
            "days_max": 4,
        },
        reverse("set_out:cost", args=["place", g.bed.pk]): {
            "what": "w",
            "price": 3,
            "day": "2026-01-01",
            "over_years": 2,
        },
        reverse("tending:new"): {
            "kind": "pest",
            "what": "w",
            "when": "today",
            "until": "",
            "lost_percent": 3,
            "lost_each": "Ours crate 1: 40",
            "done": "",
            "helped": "yes",
            "note": "",
            "targets": f"place-{g.bed.pk}",
        },
        reverse("set_out:crop", args=[g.crop.pk]): {
            "like": "",
            "own_days_min": 60,
            "own_days_max": 90,
            "own_in_row_cm": 10,
        },
        reverse("tending:repeat"): {
            "job": "water",
            "first_on": "in 3 days",
            "every_days": 3,
            "until": "",
            "note": "",
            "targets": f"place-{g.bed.pk}",
        },
        reverse("tending:do"): {
            "job": "water",
            "when": "today",
            "minutes": 3,
            "litres": 4,
            "shared": "volume",
            "is_skipped": "",
            "note": "",
            "targets": f"planting-{g.plantings[0].pk}",
            "back": "/",
        },
        reverse("tending:add_photo", args=["planting", g.plantings[0].pk]): {
            "photo": "x",
            "caption": "",
            "day": "2026-01-01",
        },
        reverse("weather:bring", args=[g.site.pk]): {"record": "x"},
        reverse("people:undo", args=[g.change.pk]): {"back": "/"},
        reverse("ground:new_set"): {
            **PLACE,
            "site": g.site.pk,
            "first_number": 1,
            "how_many": 2,
            "gap_m": 1,
            "per_row": 3,
            "layout": "line",
        },
        reverse("set_out:new"): {
            **PLANTING,
            "places": f"part-{g.part.pk}",
            "kin": g.plantings[0].pk,
            "kinship": "replaces",
            "price": 1,
        },
        reverse("set_out:planting", args=[g.plantings[0].pk]): {
            **PLANTING,
            "place": g.bed.pk,
            "part": g.part.pk,
            "finished_on": "",
        },
        reverse("set_out:finish", args=[g.plantings[0].pk]): {
            "finished_on": "2026-08-08",
            "rest": "left",
        },
        reverse("set_out:say_year", args=[g.plantings[0].pk]): {"year": 2025, "came": "nothing"},
        reverse("weigh_in:correct_list"): {"to": g.plantings[0].pk},
        reverse("next_year:again"): {
            f"on-{g.plantings[0].pk}": "on",
            f"n-{g.plantings[0].pk}": "4",
            f"s-{g.plantings[0].pk}": "7",
            "later": "3",
        },
        reverse("today:closing"): {
            "over": str(g.plantings[0].pk),
            "do": "keep",
            "keep_until": "20 Dec 2026",
        },
        reverse("today:over"): {
            "over": str(g.plantings[0].pk),
            "do": "keep",
            "keep_until": "20 Dec 2026",
        },
        reverse("weigh_in:finish", args=[g.plantings[0].pk]): {"rest": "lifted", "is_sure": "on"},
        reverse("weigh_in:finish_many", args=[g.plantings[0].pk]): {"which": "set"},
        reverse("weigh_in:correct", args=[g.lines[0].pk]): {
            "planting": g.plantings[0].pk,
            "when": "today",
            "grade": "table",
            "count": 3,
            "shown": "3 kg",
            "tare_mg": "1 g",
            "bowl": g.bowl.pk,
            "pm_mg": "1 g",
            "plants": 2,
            "measures": 1,
            "measure": g.measure.pk,
            "scale": g.scale.pk,
            "cause": "",
            "note": "",
        },
        reverse("weigh_in:remember"): {
            "planting": g.plantings[0].pk,
            "when": "today",
            "grade": "table",
            "line": "3",
        },
        reverse("weigh_in:basket"): {
            "client_id": "c" * 32,
            "picked": g.plantings[0].pk,
            "grade": "table",
            "typed": "3",
            "split_by": "count",
            "counts": "1, 2",
        },
        reverse("weigh_up:save"): {
            "name": "q",
            "address": "compare=variety&by=kg_per_m&crop=shallot",
        },
        reverse("weigh_up:saved_one", args=[g.question.pk]): {"name": "other", "is_pinned": "on"},
        reverse("weigh_up:new_criterion"): {"name": "looks", "weight": 3},
        reverse("weigh_up:scores", args=[g.varieties[0].pk]): {
            "season": 2026,
            f"c{g.criterion.pk}": 5,
            "use": "soup",
            "judge": "x",
            "note": "",
        },
        reverse("weigh_up:verdict", args=[g.varieties[0].pk]): {
            "season": 2026,
            "kind": "staple",
            "reason": "good",
        },
        reverse("weigh_up:new_trial"): {
            "name": "t",
            "crop_name": "quince",
            "season": 2027,
            "first": "variety",
            "first_text": "Aa, Bb",
            "second": "",
            "second_text": "",
            "alike": "all",
            "spots": [f"place-{crate.pk}" for crate in g.crates],
        },
        reverse("weigh_up:afterwards"): {
            "name": "u",
            "first": "setting",
            "second": "",
            "alike": "all",
            "plantings": [f"planting-{p.pk}" for p in g.plantings],
            "plantings_typed": "",
        },
        reverse("weigh_up:trial_plant", args=[g.trial.pk]): {
            "units": 9,
            "unit_kind": "set",
            "when": "20 October 2026",
            "variety_name": "",
            "in_row_cm": 15,
            "row_gap_cm": "",
            "methods": "feed=none",
        },
        reverse("weigh_in:tare_after"): {"bowl": g.bowl.pk, "lines": g.lines[0].pk},
        reverse("weigh_in:rename", args=[g.plantings[0].pk]): {
            "variety_name": "x",
            "when": "today",
            "note": "",
        },
        reverse("weigh_in:single", args=[g.plantings[0].pk]): {
            "when": "today",
            "mass_mg": "1 g",
            "count": 3,
            "note": "",
        },
        reverse("weigh_in:kit_new", args=["bowl"]): {"name": "b", "mass_mg": "3 g"},
        reverse("weigh_in:kit_new", args=["scale"]): {
            "name": "b",
            "step_mg": "3 g",
            "limit_mg": "1 kg",
        },
        reverse("weigh_in:kit_new", args=["measure"]): {"name": "crateful"},
        reverse("weigh_in:kit_new", args=["size"]): {
            "crop": g.crop.pk,
            "word": "Egg",
            "grade": "table",
            "from_mm": 30,
        },
        reverse("weigh_in:together"): {"lines": g.lines[0].pk, "line": "3 kg", "day": "today"},
        reverse("weigh_in:hand"): {"do": "put", "grams": 4},
        reverse("people:make_bench_link"): {"label": "x"},
        reverse("people:account"): {
            "old_password": "x",
            "new_password1": "y",
            "new_password2": "z",
        },
        reverse("people:mail"): {"email": "x@y.example"},
        reverse("people:delete_account"): {"typed": "x"},
        reverse("people:delete_household"): {"typed": "x"},
        reverse("weigh_in:by_person"): {"person": g.owner.pk, "since": "today"},
        reverse("people:change_role", args=[g.owner.membership.pk]): {"role": "owner"},
        reverse("people:join_by_link", args=[g.bench_link.token]): {"name": "x"},
        reverse("weigh_in:late_one", args=[g.late.pk]): {"keep": "yes"},
        reverse("weigh_in:write"): {
            "client_id": "a" * 32,
            "planting": g.plantings[0].pk,
            "grade": "table",
            "typed": "5",
            "tare": "",
        },
        reverse("larder:put_by"): {
            f"{name}-{g.crop.pk}-{g.varieties[1].pk}-2026-table": value
            for name, value in (
                ("to", "kind:jars:bottled"),
                ("much", "300 g"),
                ("jars", 2),
                ("added", "100 g"),
            )
        }
        | {"when": "today"},
        reverse("larder:use"): {
            "client_id": "d" * 32,
            "crate": g.store_crate.pk,
            "crop": "",
            "season": "",
            "use": "moved",
            "typed": "3 g",
            "when": "today",
            "to": g.store.pk,
            "is_sure": "on",
            "is_look": "",
            "note": "",
        },
        reverse("larder:cured", args=[g.store_crate.pk]): {"to": g.store.pk, "when": "today"},
        reverse("larder:look", args=[g.store.pk]): {
            f"bad-{g.store_crate.pk}": "3 g",
            "when": "today",
        },
        reverse("larder:bulk"): {"crop": g.crop.pk, "day": "2026-08-04", "is_bulk": "on"},
        reverse("larder:change_crate", args=[g.store_crate.pk]): {
            "store": g.store.pk,
            "state": "curing",
            "when": "today",
            "cure_until": "in 9 days",
            "keep_until": "",
            "eat_first": "on",
            "jars": 2,
            "added_mg": "3 g",
            "note": "",
        },
        reverse("larder:new_store"): {
            "name": "s",
            "kind": "cellar",
            "celsius": 8,
            "damp_percent": 80,
            "room_mg": "30 kg",
            "room_l": 120,
            "look_every_days": 20,
            "site": g.site.pk,
        },
        reverse("larder:new_supply"): {
            "crop": g.crop.pk,
            "said": "ran out",
            "when": "today",
            "season": 2026,
            "note": "",
        },
        reverse("larder:new_trimming"): {
            "crop": g.crop.pk,
            "before_mg": "3 g",
            "after_mg": "2 g",
            "when": "today",
        },
        reverse("larder:new_price"): {
            "crop": g.crop.pk,
            "price_minor": 2,
            "per": "kg",
            "from_day": "today",
        },
        reverse("larder:new_expense"): {
            "what": "w",
            "price_minor": 2,
            "day": "today",
            "over_years": 3,
            "crop": g.crop.pk,
        },
        reverse("look_back:remark"): {
            "season": 2026,
            "key": "money",
            "act": "reword",
            "words": "w",
            "cause": "c",
            "of": "crop",
        },
        reverse("look_back:new_remark"): {
            "season": 2026,
            "crop": g.crop.pk,
            "side": "well",
            "words": "w",
            "cause": "c",
        },
        reverse("look_back:note"): {"note": "n"},
        reverse("look_back:finish"): {"season": 2025},
        reverse("look_back:new_decision"): {
            "season": 2026,
            "crop": g.crop.pk,
            "variety": g.varieties[0].pk,
            "place": g.bed.pk,
            "aim": "more",
            "percent": 20,
            "number": "",
            "detail": "d",
            "reason": "r",
        },
        reverse("look_back:aside", args=[g.decision.pk]): {"aside": "w"},
        reverse("look_back:sitting"): {
            "judge": "Wen",
            f"s{g.varieties[0].pk}-{g.criterion.pk}": 5,
            f"verdict-{g.varieties[0].pk}": "again",
            f"reason-{g.varieties[0].pk}": "r",
            f"sure-{g.varieties[0].pk}": "on",
        },
        reverse("next_year:add_eater"): {"name": "x", "appetite": 1, "weeks": 3, "is_guest": "on"},
        reverse("next_year:eater", args=[g.eater.pk]): {"name": "x", "appetite": 1, "weeks": 3},
        reverse("next_year:add_crop"): {"crop_name": "x"},
        reverse("next_year:crop", args=[g.crop.pk]): {
            "way": "mix",
            "own_percent": 40,
            "servings_per_week": 1,
            "serving_g": 1,
            "goal": "until",
            "weeks": 1,
            "until": "1 April 2028",
            "certainty": 50,
            "own_plants": 3,
            "weight": 2,
            "given_kg": 1,
            "animals_kg": 1,
            "store_loss_percent": 1,
            "germination_percent": 1,
            "sowings": 2,
            "frost_risk": 20,
            "lifts_per_week": 1,
            "plants_per_lift": 2,
            "pull_from": "1 June 2027",
            "pull_until": "1 July 2027",
            "without": g.eater.pk,
        },
        reverse("next_year:sure", args=[g.crop.pk]): {"certainty": 70},
        reverse("next_year:plan", args=[g.plan.pk]): {
            "name": "x",
            "first": "said",
            "frost_risk": 10,
            "rest": "strict",
            "minutes_a_week": 300,
            "litres_a_day": 90,
            "money_minor": "120,50",
            "note": "n",
        },
        reverse("next_year:copy_plan"): {"name": "x"},
        reverse("next_year:wish"): {"crop_name": "x", "said_by": "w", "note": "n"},
        reverse("next_year:add_shelf"): {"name": "x", "cells": 3},
        reverse("next_year:add_spot"): {"crop": g.crop.pk, "says": "only", "place": g.bed.pk},
        reverse("next_year:shift_planned", args=[g.planned_planting.pk]): {
            "start": 3,
            "place": g.bed.pk,
        },
        reverse("next_year:planned_planting", args=[g.planned_planting.pk]): {
            "place": g.bed.pk,
            "plants": 4,
            "start": 3,
            "end": 9,
            "variety": "",
        },
        reverse("next_year:shelf", args=[g.shelf.pk]): {"name": "x", "cells": 3},
        reverse("people:household"): {
            "name": "x",
            "time_zone": "UTC",
            "default_unit": "g",
            "date_order": "mdy",
            "sure_fold": 12,
            "kitchen_kg_per_week": 3,
            "currency": "€",
        },
        reverse("people:invite"): {"role": "helper"},
        reverse("look"): {"units": "metric", "mode": "sun", "back": "/"},
        reverse("people:sign_in"): {"username": "x", "password": "y"},
        reverse("people:sign_up"): {
            "username": "x",
            "household_name": "y",
            "time_zone": "UTC",
            "password1": "z",
        },
    }


#: Writes that take no field.
NO_FIELDS = {
    "people:end_sign_in",
    "people:sign_out_everywhere",
    "people:trust_day",
    "people:leave",
    "people:make_password_link",
    "people:withdraw_invite",
    "next_year:leave_out",
    "next_year:start_fit",
    "next_year:stop_fit",
    "next_year:take_fit",
    "next_year:loosen_planned",
    "next_year:strike_planned",
    "next_year:strike_spot",
    "set_out:reopen",
    "weather:read",
    "weigh_in:leave_counted",
    "weigh_in:leave_all_counted",
    "weigh_in:late_all",
    "weigh_in:counted",
    "weigh_in:zero",
    "weigh_in:events",
    "weigh_up:trial_draw",
    "weigh_up:trial_show",
    "weigh_up:trial_strike",
    "weigh_up:strike_saved",
    "next_year:strike_eater",
    "people:remove_member",
    "people:end_bench_link",
    "exchange:stop",
    "exchange:write_table",
    "exchange:drop_table",
    "larder:events",
    "look_back:reopen",
    "next_year:decided",
    "next_year:choose_plan",
    "next_year:freeze",
    "next_year:strike_plan",
    "next_year:take_wish",
    "next_year:strike_wish",
    "next_year:strike_shelf",
}


def forms_shown(client, garden):
    """The forms of every page that can be read and written by, with what stands in their fields."""
    found = {}
    for route in MINE:
        if route.declared.reads and route.declared.writes:
            page = html_of(client.get(route.of(garden), follow=True))
            for form in lxml.html.fromstring(page).forms:
                if form.method == "POST" and form.action in (None, "", route.of(garden)):
                    found[route.of(garden)] = {
                        name: value or "" for name, value in form.form_values()
                    }
    return found


def test_every_form_and_every_question_of_an_address_gets_odd_input(garden):
    """A view that reads a form or an address without being here fails this."""
    tried = {resolve(path).view_name for path in forms_of(complete(garden))}
    asked = {resolve(path).view_name for path in ADDRESSES}
    for route in MINE:
        view = inspect.unwrap(get_resolver_view(route))
        if route.declared.writes:
            known = (
                route.name in tried | NO_FIELDS or "strike" in route.name or route.declared.reads
            )
            assert known, f"{route.label}: add its fields to forms_of(), or to NO_FIELDS"
        if route.declared.reads and "request.GET" in inspect.getsource(view) and not route.words:
            assert route.name in asked, f"{route.label}: add what its address may hold to ADDRESSES"


def get_resolver_view(route):
    return next(pattern.callback for name, pattern in patterns() if name == route.name)


@pytest.mark.parametrize("is_seen_late", [False, True], ids=["known", "written meanwhile"])
def test_a_name_that_is_taken_is_said_and_nothing_is_lost(
    client, garden, monkeypatch, is_seen_late
):
    first, second = garden.varieties[:2]
    if is_seen_late:
        monkeypatch.setattr(
            "kilter.set_out.forms.VarietyForm.clean_name", lambda form: form.cleaned_data["name"]
        )
    said = client.post(
        f"/set-out/varieties/{second.pk}", {"name": first.name, "days_min": 90, "days_max": 110}
    )
    words = (
        "Something like it is here already"
        if is_seen_late
        else f"There is a shallot ‘{first.name}’ already."
    )
    assert (said.status_code, words in html_of(said), 'value="110"' in html_of(said)) == (
        422,
        True,
        True,
    )
    second.refresh_from_db()
    assert second.name != first.name


@pytest.fixture
def quiet(transactional_db, client):
    client.raise_request_exception = False
    return client


#: From which value on, and which half of the fields of each form; the others in the sweep.
TURNS = [
    pytest.param(start, half, marks=pytest.mark.sweep if (start, half) != (0, 0) else ())
    for start in range(3)
    for half in range(2)
]


@pytest.mark.parametrize(("start", "half"), TURNS)
def test_no_address_field_or_event_breaks_it(quiet: Client, garden, start, half):
    """Every second field gets one of the values in turn, in a sweep every field three,
    so that each value meets many kinds of field.
    """
    values, failed = cycle(NASTY[start * 8 :] + NASTY[: start * 8]), []

    def check(response, *what):
        if response.status_code >= 500:
            failed.append(what)

    whole = {"compare": "variety", "by": "kg_per_plant", "crop": garden.crop.name}
    for path, names in ADDRESSES.items():
        for name in names:
            for headers in ({}, {"HX-Request": "true"}):
                nasty = next(values)
                asked = {**(whole if path == "/weigh-up/" else {}), name: nasty}
                check(quiet.get(path, asked, headers=headers), path, name, nasty)
    complete(garden)
    for path, fields in (forms_shown(quiet, garden) | forms_of(garden)).items():
        for name in list(fields)[half::2]:
            nasty = next(values)
            check(quiet.post(path, {**fields, name: nasty}), path, name, nasty)
            if start == 1:  # tests/hostile/test_forms.py leaves fields out each time
                check(
                    quiet.post(path, {k: v for k, v in fields.items() if k != name}),
                    path,
                    "without",
                    name,
                )
            quiet.force_login(garden.owner)  # a form may have signed somebody else in
    event = {
        "client_id": "",
        "kind": "write",
        "planting": garden.plantings[0].pk,
        "grade": "table",
        "typed": "5",
        "tare": "",
        "device": "d",
        "pile": "",
        "number": 1,
        "at": "2026-01-01T10:00:00+01:00",
        "target": "",
        "plantings": [],
        "counts": [3],
        "split_by": "",
        "plants": 2,
        "bowl": garden.bowl.pk,
        "scale": garden.scale.pk,
        "cause": "",
        "cleaned": "",
        "is_thinning": False,
    }
    sent = [
        {**event, "client_id": new_client_id(), name: value}
        for name in event
        for value in (*ODD, next(values))
    ]
    for one in sent:
        body = json.dumps({"events": [one]})
        check(quiet.post("/weigh-in/events", body, content_type="application/json"), "event", one)
    assert failed == []


def test_no_event_of_the_larder_breaks_it(quiet: Client, garden):
    complete(garden)
    use = {
        "crate": garden.store_crate.pk,
        "use": "moved",
        "typed": "half",
        "mass_mg": 1,
        "balance_mg": 1,
        "to": 1,
    }
    use |= {
        "kind": "use",
        "at": "2026-01-01T10:00:00+01:00",
        "when": "today",
        "meal": "",
        "note": "",
        "target": "",
    }
    for name in (*use, "is_look", "is_sure", "season", "crop"):
        for value in (*ODD, *NASTY):
            body = json.dumps({"events": [{**use, "client_id": new_client_id(), name: value}]})
            answer = quiet.post("/larder/events", body, content_type="application/json")
            assert answer.status_code == 200, (name, value)


@pytest.mark.parametrize(
    "path",
    [
        "/ground/places/{n}",
        "/ground/places/{n}/move",
        "/ground/place/{n}/strike",
        "/set-out/lots/{n}",
        "/weather/{n}",
        "/happenings/photos/{n}",
        "/changes/{n}/undo",
        "/set-out/{n}",
        "/next-year/crops/{n}",
        "/weigh-in/lines/{n}/strike",
        "/weigh-in/lines/{n}/turn",
        "/weigh-in/kit/bowl/{n}",
    ],
)
def test_numbers_beyond_the_database_are_not_there(quiet, path):
    for method in (quiet.get, quiet.post):
        assert method(path.format(n="9" * 23)).status_code in {404, 405}
