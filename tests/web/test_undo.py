"""Every write of a page is a change: undone it leaves the garden as it was,
done again as it had become.
"""

from __future__ import annotations

from datetime import date

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.urls import reverse

from kilter.exchange.dumping import package_files
from kilter.exchange.loading import load
from kilter.ground.models import Place, Site
from kilter.look_back.review import read_review
from kilter.people.models import Change, Household, Role
from kilter.set_out.models import Crop, Planting
from kilter.tending.models import Photo
from kilter.weigh_in.models import WeighIn
from kilter.weigh_up.models import Criterion, Trial
from tests.conftest import TODAY, html_of, member, plant, signed_in, tiny_jpeg
from tests.web.routes import MINE, complete

SENTENCE = {
    "units": 6,
    "unit_kind": "seed",
    "crop_name": "Kale",
    "variety_name": "Capstan",
    "lot_name": "k1",
    "planted": "about mid-May",
    "units_pm": 2,
    "methods_text": "cover=net",
    "in_row_cm": 30,
    "price": "2.40",
}


#: Tables that tell of the changes and of who is signed in.
OF_CHANGES = {"people_change", "people_changedrecord", "django_session", "weigh_in_striking"}


def plan_of():
    return {
        "way": "plate",
        "servings_per_week": 3,
        "serving_g": 90,
        "weeks": 20,
        "store_loss_percent": 1,
        "germination_percent": 70,
        "certainty": 80,
        "goal": "winter",
    }


def unused(g):
    return Criterion.objects.get_or_create(household=g.household, name="unused")[0]


def spare_site(g):
    return Site.objects.get_or_create(household=g.household, name="spare")[0]


def blinded(g):
    Trial.objects.filter(pk=g.trial.pk).update(is_blinded=True)
    return g.trial


def writes(g):
    """Each form of a page with something written in it."""
    crate, bed, planting = g.crates[0].pk, g.bed.pk, g.plantings[0].pk
    place = {"site": g.site.pk, "kind": "crate", "name": "Ours crate", "number": 1, "volume_l": 45}
    return {
        "a site": (
            "ground:new_site",
            [],
            {"name": "Balcony", "light": "part shade", "latitude": 52},
        ),
        "change a site": (
            "ground:site",
            [g.site.pk],
            {"name": "Yard", "shelter": "fence", "away_min": 5},
        ),
        "a bed": (
            "ground:new_bed",
            [],
            {**place, "kind": "bed", "name": "B", "number": "", "length_m": 3},
        ),
        "a set": (
            "ground:new_set",
            [],
            {**place, "name": "Tub", "how_many": 5, "first_number": 1, "gap_m": 0.5, "per_row": 3},
        ),
        "change a place": (
            "ground:place",
            [crate],
            {**place, "empty_kg": 3, "is_rooted_through": "on", "volume_l": 40},
        ),
        "drag": ("ground:spot", [crate], {"x_m": 3, "y_m": 1}),
        "move": (
            "ground:move",
            [crate],
            {"when": "1 June", "site": g.site.pk, "x_m": 3, "y_m": 1, "light": "shade"},
        ),
        "a part": (
            "ground:new_part",
            [bed],
            {"name": "dry end", "kind": "stretch", "from_m": 2, "to_m": 3, "moisture": "dry"},
        ),
        "change a part": ("ground:part", [g.part.pk], {"name": "edge", "kind": "edge"}),
        "divide": ("ground:divide", [bed], {"into": "thirds"}),
        "a mix": ("ground:new_mix", [], {"name": "M", "recipe": "compost 2; loam 1"}),
        "change a mix": ("ground:mix", [g.mix.pk], {"name": "M2", "recipe": "sand 3"}),
        "fill a set": (
            "ground:fill",
            [crate],
            {
                "kind": "filled",
                "when": "March 2026",
                "litres": 36,
                "mix": g.mix.pk,
                "price": "3,20",
                "over_uses": 2,
                "places": [f"place-{c.pk}" for c in g.crates],
            },
        ),
        "strike a site's place": ("ground:strike", ["place", bed], {}),
        "strike a part": ("ground:strike", ["part", g.part.pk], {}),
        "set out": (
            "set_out:new",
            [],
            {**SENTENCE, "places": [f"part-{g.part.pk}", f"place-{crate}"]},
        ),
        "replace": (
            "set_out:new",
            [],
            {**SENTENCE, "places": [f"place-{bed}"], "kin": planting, "kinship": "replaces"},
        ),
        "change a planting": (
            "set_out:planting",
            [planting],
            {
                **SENTENCE,
                "place": bed,
                "part": g.part.pk,
                "share_percent": 40,
                "is_variety_doubtful": "on",
                "lot_mass": "12 g",
            },
        ),
        "reopen": ("set_out:reopen", [planting], {}),
        "finish": ("set_out:finish", [planting], {"finished_on": "2026-09-01"}),
        "say what came of a year": (
            "set_out:say_year",
            [planting],
            {"year": 2025, "came": "unpicked"},
        ),
        "strike a planting": ("set_out:strike", ["planting", planting], {}),
        "correct a line": (
            "weigh_in:correct",
            [g.lines[0].pk],
            {
                "planting": planting,
                "when": "4 August",
                "grade": "hurt",
                "shown": "800 g",
                "bowl": g.bowl.pk,
            },
        ),
        "from memory": (
            "weigh_in:remember",
            [],
            {"planting": planting, "when": "July 2026", "grade": "table", "line": "2 kg ±20%"},
        ),
        "a tare afterwards": (
            "weigh_in:tare_after",
            [],
            {"bowl": g.bowl.pk, "lines": [g.today.pk]},
        ),
        "weigh what waits": ("weigh_in:weigh", [g.waits.pk], {"line": "900 g"}),
        "leave it counted": ("weigh_in:leave_counted", [g.waits.pk], {}),
        "off the shelf": (
            "weigh_in:turn",
            [g.unripe.pk],
            {"grade": "table", "line": "300 3", "when": "today"},
        ),
        "rename": ("weigh_in:rename", [planting], {"variety_name": "Rope End", "when": "today"}),
        "a single plant": ("weigh_in:single", [planting], {"when": "today", "note": "tallest"}),
        "strike a single plant": ("weigh_in:strike_single", [g.single.pk], {}),
        "a bowl": ("weigh_in:kit_new", ["bowl"], {"name": "basin", "mass_mg": "400 g"}),
        "change a scale": (
            "weigh_in:kit_one",
            ["scale", g.scale.pk],
            {"name": "s", "step_mg": "2 g"},
        ),
        "a size": (
            "weigh_in:kit_new",
            ["size"],
            {"crop": g.crop.pk, "word": "Egg", "grade": "small", "from_mm": 20},
        ),
        "change a size": (
            "weigh_in:kit_one",
            ["size", g.size.pk],
            {"crop": g.crop.pk, "word": "Huge", "grade": "table", "from_mm": ""},
        ),
        "strike a size": ("weigh_in:kit_strike", ["size", g.size.pk], {}),
        "strike a measure": ("weigh_in:kit_strike", ["measure", g.measure.pk], {}),
        "a counted crop": ("weigh_in:counted", [g.crop.pk], {}),
        "strike a line": ("weigh_in:strike", [g.lines[1].pk], {}),
        "count": ("set_out:count", [planting], {"kind": "died", "count": 2, "when": "2 weeks ago"}),
        "a lot": (
            "set_out:new_lot",
            [],
            {
                "name": "L",
                "crop_name": "Pea",
                "variety_name": "Towpath",
                "bought_count": 80,
                "weight": "20 g",
                "price": 2,
                "sow_by": "2027-03-01",
            },
        ),
        "change a lot": (
            "set_out:lot",
            [g.lot.pk],
            {"name": "L2", "crop_name": "shallot", "kept_from": planting},
        ),
        "a variety's days": (
            "set_out:variety",
            [g.varieties[0].pk],
            {"name": "Ours One", "days_min": 80, "days_max": 99},
        ),
        "cost of a pot": (
            "set_out:cost",
            ["place", crate],
            {"what": "crate", "price": "12.50", "over_years": 5},
        ),
        "cost of a planting": (
            "set_out:cost",
            ["planting", planting],
            {"what": "net", "price": 3, "over_years": 1},
        ),
        "happened": (
            "tending:new",
            [],
            {
                "kind": "pest",
                "what": "slugs",
                "when": "yesterday",
                "lost_percent": 20,
                "targets": [f"place-{crate}", f"part-{g.part.pk}", f"site-{g.site.pk}"],
            },
        ),
        "it helped": (
            "tending:happening",
            [g.happening.pk],
            {"kind": "drought", "when": "July", "helped": "yes"},
        ),
        "strike a happening": ("tending:strike", ["happening", g.happening.pk], {}),
        "work": (
            "tending:do",
            [],
            {
                "job": "Water",
                "when": "today",
                "minutes": 7,
                "litres": 20,
                "shared": "volume",
                "targets": [f"place-{c.pk}" for c in g.crates],
            },
        ),
        "read the station": ("weather:read", [g.site.pk], {}),
        "keep a question": (
            "weigh_up:save",
            [],
            {"name": "q", "address": "compare=variety&by=kg_per_m&crop=shallot"},
        ),
        "rename a question": ("weigh_up:saved_one", [g.question.pk], {"name": "other"}),
        "a question less": ("weigh_up:strike_saved", [g.question.pk], {}),
        "a criterion": ("weigh_up:new_criterion", [], {"name": "looks", "weight": 3}),
        "scores": (
            "weigh_up:scores",
            [g.varieties[0].pk],
            {"season": 2026, f"c{g.criterion.pk}": 5, "use": "soup"},
        ),
        "a verdict": (
            "weigh_up:verdict",
            [g.varieties[0].pk],
            {"season": 2026, "kind": "staple", "reason": "good"},
        ),
        "a score less": ("weigh_up:strike", ["score", g.score.pk], {}),
        "draw a trial again": ("weigh_up:trial_draw", [g.trial.pk], {}),
        "plant a trial": (
            "weigh_up:trial_plant",
            [g.trial.pk],
            {
                "units": 9,
                "unit_kind": "set",
                "when": "20 October 2026",
                "variety_name": "New One",
                "methods": "feed=none",
            },
        ),
        "a trial": (
            "weigh_up:new_trial",
            [],
            {
                "name": "t",
                "crop_name": "quince",
                "season": 2027,
                "first": "variety",
                "first_text": "Aa, Bb",
                "alike": "all",
                "is_blinded": "on",
                "spots": [f"place-{crate.pk}" for crate in g.crates],
            },
        ),
        "a trial of what stands": (
            "weigh_up:afterwards",
            [],
            {
                "name": "Late or early?",
                "first": "setting",
                "plantings": [f"planting-{p.pk}" for p in g.plantings],
            },
        ),
        "a trial less": ("weigh_up:trial_strike", [g.trial.pk], {}),
        "keep a drafted line": (
            "look_back:remark",
            [],
            {
                "season": 2025,
                "key": g.line_2025,
                "act": "reword",
                "words": "Rather dry.",
                "cause": "not known",
            },
        ),
        "a line of one's own": (
            "look_back:new_remark",
            [],
            {"season": 2026, "crop": g.crop.pk, "side": "well", "words": "The children weighed."},
        ),
        "change a line of one's own": (
            "look_back:own_remark",
            [g.remark.pk],
            {"season": 2026, "side": "badly", "words": "Nobody weighed.", "cause": "rain"},
        ),
        "strike a line of one's own": ("look_back:strike", ["remark", g.remark.pk], {}),
        "a season in own words": ("look_back:note", [], {"note": "A year of mice."}),
        "a review is written": ("look_back:finish", [], {"season": 2025}),
        "a review is written on": ("look_back:reopen", [g.review.pk], {}),
        "a decision": (
            "look_back:new_decision",
            [],
            {"season": 2026, "aim": "less", "crop": g.crop.pk, "percent": 20, "reason": "too many"},
        ),
        "change a decision": (
            "look_back:decision",
            [g.decision.pk],
            {"season": 2026, "aim": "split", "crop": g.crop.pk, "variety": g.varieties[1].pk},
        ),
        "put a decision aside": ("look_back:aside", [g.decision.pk], {"aside": "no room"}),
        "strike a decision": ("look_back:strike", ["decision", g.decision.pk], {}),
        "the plan has a decision": ("next_year:decided", [g.decision.pk], {}),
        "a sitting": (
            "look_back:sitting",
            [],
            {
                "judge": "Wen",
                f"s{g.varieties[0].pk}-{g.criterion.pk}": 5,
                f"verdict-{g.varieties[1].pk}": "again",
                f"reason-{g.varieties[1].pk}": "keeps",
            },
        ),
        "an eater": ("next_year:add_eater", [], {"name": "Wen", "appetite": 0.75}),
        "an eater less": ("next_year:strike_eater", [g.eater.pk], {}),
        "an appetite": ("next_year:eater", [g.eater.pk], {"name": "Ours eater", "appetite": 2}),
        "plan a crop": ("next_year:crop", [g.crop.pk], plan_of()),
        "how sure": ("next_year:sure", [g.crop.pk], {"certainty": 77}),
        "how sure in the fit": ("next_year:fit_sure", [g.crop.pk], {"certainty": 83}),
        "a plan's name": (
            "next_year:plan",
            [g.plan.pk],
            {"name": "Ours", "first": "dear", "frost_risk": 20, "rest": "strict"},
        ),
        "another plan": ("next_year:copy_plan", [], {"name": "Modest"}),
        "another is the plan": ("next_year:choose_plan", [g.draft.pk], {}),
        "a plan is frozen": ("next_year:freeze", [g.plan.pk], {}),
        "a plan less": ("next_year:strike_plan", [g.draft.pk], {}),
        "a wish": ("next_year:wish", [], {"crop_name": "oca"}),
        "a wish is planned": ("next_year:take_wish", [g.wish.pk], {}),
        "a shelf": ("next_year:add_shelf", [], {"name": "Sill", "cells": 24}),
        "change a shelf": ("next_year:shelf", [g.shelf.pk], {"name": "Loft", "cells": 90}),
        "a place kept free": ("next_year:add_spot", [], {"says": "never", "place": g.bed.pk}),
        "no longer": ("next_year:strike_spot", [g.spot.pk], {}),
        "a planting moved": (
            "next_year:planned_planting",
            [g.planned_planting.pk],
            {"place": g.crates[2].pk, "plants": 8, "start": 7, "end": 14},
        ),
        "a planting dragged": (
            "next_year:shift_planned",
            [g.planned_planting.pk],
            {"start": 9, "place": g.bed.pk},
        ),
        "it stays": ("next_year:loosen_planned", [g.planned_planting.pk], {}),
        "a planned planting less": ("next_year:strike_planned", [g.planned_planting.pk], {}),
        "a shelf less": ("next_year:strike_shelf", [g.shelf.pk], {}),
        "change a criterion": (
            "weigh_up:criterion",
            [g.criterion.pk],
            {"name": "looks", "weight": 5},
        ),
        "a verdict less": ("weigh_up:strike", ["verdict", g.verdict.pk], {}),
        "a criterion less": ("weigh_up:strike", ["criterion", unused(g).pk], {}),
        "show a trial": ("weigh_up:trial_show", [blinded(g).pk], {}),
        "strike a site": ("ground:strike", ["site", spare_site(g).pk], {}),
        "strike a filling": ("ground:strike", ["fill", g.fill.pk], {}),
        "strike a mix": ("ground:strike", ["mix", g.mix.pk], {}),
        "strike a count": ("set_out:strike", ["count", g.count.pk], {}),
        "strike a lot": ("set_out:strike", ["lot", g.lot.pk], {}),
        "a job that comes back": (
            "tending:repeat",
            [],
            {
                "job": "feed",
                "first_on": "tomorrow",
                "every_days": 7,
                "targets": [f"place-{crate}", f"place-{bed}"],
            },
        ),
        "strike a job that comes back": ("tending:strike", ["repeat", g.repeat.pk], {}),
        "own values": ("set_out:crop", [g.crop.pk], {"own_days_min": 50, "own_keep_weeks": "12,5"}),
        "strike a cost": ("set_out:strike", ["cost", g.cost.pk], {}),
        "strike a job": ("tending:strike", ["job", g.job.pk], {}),
        "strike a photograph": ("tending:strike", ["photo", g.photo.pk], {}),
        "a scale": ("weigh_in:kit_new", ["scale"], {"name": "balance", "step_mg": "1 g"}),
        "a measure": ("weigh_in:kit_new", ["measure"], {"name": "crateful"}),
        "change a bowl": ("weigh_in:kit_one", ["bowl", g.bowl.pk], {"name": "b", "mass_mg": "2 g"}),
        "change a measure": ("weigh_in:kit_one", ["measure", g.measure.pk], {"name": "basketful"}),
        "put by": (
            "larder:put_by",
            [],
            {f"to-{g.crop.pk}-{g.varieties[1].pk}-2026-table": "kind:cellar:fresh"},
        ),
        "seed kept": (
            "larder:put_by",
            [],
            {f"to-{g.crop.pk}-{g.varieties[1].pk}-2026-table": "use:kept_to_plant"},
        ),
        "ate": (
            "larder:use",
            [],
            {"crate": g.store_crate.pk, "use": "eaten", "typed": "100 g", "client_id": "a" * 32},
        ),
        "ate the rest": (
            "larder:use",
            [],
            {"crate": g.store_crate.pk, "use": "eaten", "typed": "the rest", "client_id": "b" * 32},
        ),
        "froze": (
            "larder:use",
            [],
            {"crate": g.store_crate.pk, "use": "froze", "typed": "half", "client_id": "c" * 32},
        ),
        "cured": ("larder:cured", [g.store_crate.pk], {}),
        "change a crate": (
            "larder:change_crate",
            [g.store_crate.pk],
            {"store": g.store.pk, "state": "dried", "when": "today", "jars": 3},
        ),
        "strike an entry": ("larder:strike_using", [g.using.pk], {}),
        "take a putting by back": ("larder:strike_put", [g.put.pk], {}),
        "looked through": ("larder:look", [g.store.pk], {f"bad-{g.store_crate.pk}": "20 g"}),
        "a store": ("larder:new_store", [], {"name": "clamp", "kind": "in the ground"}),
        "change a store": (
            "larder:store",
            [g.store.pk],
            {"name": "loft", "kind": "airy shelf", "celsius": "12,5"},
        ),
        "ran out": (
            "larder:new_supply",
            [],
            {"crop": g.crop.pk, "said": "ran out", "when": "today", "season": 2026},
        ),
        "change what ran out": (
            "larder:supply",
            [g.supply.pk],
            {"crop": g.crop.pk, "said": "too much", "when": "today", "season": 2026},
        ),
        "trimmed": (
            "larder:new_trimming",
            [],
            {"crop": g.crop.pk, "before_mg": "1 kg", "after_mg": "900 g", "when": "today"},
        ),
        "change a trimming": (
            "larder:trimming",
            [g.trimming.pk],
            {"crop": g.crop.pk, "before_mg": "1 kg", "after_mg": "900 g", "when": "today"},
        ),
        "a price": (
            "larder:new_price",
            [],
            {"crop": g.crop.pk, "price_minor": "2,5", "per": "kg", "from_day": "1 May 2026"},
        ),
        "change a price": (
            "larder:price",
            [g.price.pk],
            {"crop": g.crop.pk, "price_minor": "2,5", "per": "piece", "from_day": "1 May 2026"},
        ),
        "paid for": (
            "larder:new_expense",
            [],
            {"what": "hose", "price_minor": 9, "day": "1 May", "over_years": 3},
        ),
        "change what was paid": (
            "larder:expense",
            [g.expense.pk],
            {"what": "hose", "price_minor": 9, "day": "1 May", "over_years": 3, "crop": g.crop.pk},
        ),
        "in bulk": ("larder:bulk", [], {"crop": g.crop.pk, "day": "2026-08-04", "is_bulk": "on"}),
        **{
            f"strike a {kind}": ("larder:strike", [kind, getattr(g, kind).pk], {})
            for kind in ("supply", "trimming", "price", "expense")
        },
        "strike a store": ("larder:strike", ["store", g.spare_store.pk], {}),
        "strike a scale": ("weigh_in:kit_strike", ["scale", g.scale.pk], {}),
        "strike a bowl": ("weigh_in:kit_strike", ["bowl", g.bowl.pk], {}),
    }


#: Writes that are no change to be undone, each with its reason.
NOT_UNDONE = {
    "people:undo": "undoing is a change of its own",
    "people:make_bench_link": "a link is ended, not undone",
    "people:end_bench_link": "whoever came by it is out for good",
    "people:invite": "a link works once",
    "people:account": "a password is changed back by changing it",
    "people:end_sign_in": "one signs in again",
    "people:sign_out_everywhere": "one signs in again",
    "people:mail": "an address is said anew",
    "people:delete_account": "thought over within a week; tested in test_leaving",
    "people:delete_household": "thought over within a week; tested in test_leaving",
    "weigh_in:by_person": "it makes changes, each undone like any other; tested in test_leaving",
    "people:leave": "an owner lets one in again by a link",
    "people:change_role": "who may do what is said anew",
    "people:make_password_link": "a link works once",
    "people:withdraw_invite": "a new link is made",
    "people:remove_member": "who may do what is said anew",
    "people:household": "undone below, as it is no record of the household's",
    "next_year:add_crop": "undone below",
    "next_year:leave_out": "undone below",
    "next_year:strike_wish": "a wish less is like a shelf less",
    "next_year:start_fit": "it looks for a fit and writes no record; tested in test_fit",
    "next_year:stop_fit": "it writes nothing",
    "next_year:take_fit": "undone in test_fit, as it needs a fit",
    "exchange:index": "a load is one change; undone below",
    "exchange:stop": "it writes nothing",
    "exchange:bring": "a table waits to be read; nothing is written",
    "exchange:table": "how it is read; nothing is written",
    "exchange:write_table": "a load is one change; undone in test_bring",
    "exchange:drop_table": "nothing of it was written",
    "weather:bring": "a file of many days; undone in its own tests",
    "weigh_in:events": "the bench writes events, and a line is struck by an event",
    "weigh_in:write": "the same, without script",
    "larder:events": "each is a change, undone in test_larder",
    "weigh_in:basket": "the same, for several plantings",
    "people:trust_day": "it says that the server's date is right, and writes no record",
    "weigh_in:zero": "it moves the scale, not the records",
    "weigh_in:hand": "it moves the simulated scale",
    "weigh_in:late_one": "undone in test_guests",
    "weigh_in:late_all": "the same for all",
    "weigh_in:finish": "the same as set_out:finish, at the bench",
    "weigh_in:together": "the same as weigh, for several; undone in test_visits",
    "weigh_in:leave_all_counted": "the same as leave_counted, for many; undone in test_bench_slips",
    "weigh_in:correct_list": "undone in test_in_list",
    "next_year:again": "undone like what a fit plans; tried in test_again",
    "today:closing": "the same for all that stands; undone in test_closing",
    "today:over": "the same for what is past its day; undone in seams/test_standing",
    "weigh_in:finish_many": "the same for many; undone in test_bench",
    "weigh_in:photo": "a photograph; undone below",
    "tending:add_photo": "a photograph; undone below",
}


def test_every_write_of_every_view_is_tried_or_has_a_reason(garden):
    garden.waits = garden.unripe = garden.today = garden.lines[0]
    garden.line_2025 = ""
    complete(garden)
    tried = {
        (route, args[0] if args and isinstance(args[0], str) else "")
        for route, args, _ in writes(garden).values()
    }
    for route in MINE:
        if route.declared.writes:
            known = (route.name, route.kind) in tried or route.name in NOT_UNDONE
            assert known, (
                f"{route.label}: write something by it in writes(), or say why it is not undone"
            )


def rows_of_all():
    """What stands in every table; what was taken out and what tells of the changes themselves is
    left out.
    """
    found = {}
    with connection.cursor() as cursor:
        for table in sorted(set(connection.introspection.table_names(cursor)) - OF_CHANGES):
            rows = cursor.execute(f'SELECT * FROM "{table}" ORDER BY rowid')
            names = [column[0] for column in rows.description]
            struck = names.index("struck_at") if "struck_at" in names else None
            found[table] = [row for row in rows.fetchall() if struck is None or row[struck] is None]
    return found


@pytest.mark.parametrize("part", range(2))
def test_each_write_undone_is_as_before_and_done_again_as_after(client, garden, part):
    """Undone by the message's own address;
    what it was and became is compared in every row of every table.
    """
    household = Household.objects.get(pk=garden.household.pk)
    complete(garden)
    line = {"household": household, "planting": garden.plantings[3], "weighed_on": date(2026, 8, 4)}
    garden.waits = WeighIn.objects.create(**line, grade="table", count=9, waits=True)
    garden.unripe = WeighIn.objects.create(**line, grade="unripe", count=12, mass_mg=1_200_000)
    garden.today = WeighIn.objects.create(
        **(line | {"weighed_on": TODAY}), grade="table", mass_mg=900_000
    )
    plant(
        garden,
        garden.crates[1],
        "kale",
        season=2025,
        planted_on=date(2025, 5, 1),
        finished_on=date(2025, 9, 1),
    )
    garden.line_2025 = read_review(household, 2025).shown[0].key
    for name, (route, args, data) in list(writes(garden).items())[part::2]:
        before, changes = rows_of_all(), Change.objects.count()
        response = client.post(reverse(route, args=args), data)
        assert response.status_code in {200, 302}, (name, response.status_code)
        after = rows_of_all()
        assert after != before, name
        assert Change.objects.count() == changes + 1, name
        for expected in (before, after, before):
            client.post(reverse("people:undo", args=[Change.objects.first().pk]), {"back": "/"})
            assert rows_of_all() == expected, name


def test_the_plan_and_the_household_are_undone_too(client, garden):
    client.post(reverse("next_year:add_crop"), {"crop_name": "quince"})
    client.post(
        reverse(
            "next_year:leave_out", args=[Crop.objects.of(garden.household).get(name="quince").pk]
        )
    )
    said = {
        "name": "New",
        "time_zone": "UTC",
        "default_unit": "g",
        "date_order": "dmy",
        "sure_fold": 12,
    }
    client.post(reverse("people:household"), said)
    for _ in range(3):
        client.post(
            reverse(
                "people:undo",
                args=[Change.objects.filter(undone_at=None, is_undoing=False).first().pk],
            )
        )
    assert not Crop.objects.of(garden.household).filter(name="quince").exists()
    assert Household.objects.get(pk=garden.household.pk).name == "Ours"


def test_an_earlier_change_waits_until_the_later_one_is_undone(client, garden):
    address = reverse("ground:spot", args=[garden.bed.pk])
    first, second = (
        (client.post(address, {"x_m": x, "y_m": 1}), Change.objects.first())[1] for x in (3, 4)
    )
    refused = client.post(
        reverse("people:undo", args=[first.pk]), {"back": "/changes"}, follow=True
    )
    assert "undo that first" in html_of(refused)
    for change, x in ((second, 3.0), (first, 0.5)):
        client.post(reverse("people:undo", args=[change.pk]))
        assert Place.objects.get(pk=garden.bed.pk).x_m == x
    twice = client.post(reverse("people:undo", args=[first.pk]), {"back": "/changes"}, follow=True)
    assert "was undone already" in html_of(twice)


def test_what_was_made_in_passing_stays_where_it_is_needed(client, garden):
    places = {"places": [f"place-{garden.bed.pk}"]}
    client.post(reverse("set_out:new"), {**SENTENCE, **places})
    first = Change.objects.first()
    client.post(reverse("set_out:new"), {**SENTENCE, **places})
    client.post(reverse("people:undo", args=[first.pk]))
    kale = Planting.objects.of(garden.household).get(crop__name="Kale")
    assert Crop.objects.of(garden.household).filter(pk=kale.crop_id).exists()
    assert (kale.variety.struck_at, kale.lot.struck_at) == (None, None)


def test_a_helper_takes_back_their_own_only_and_undo_leads_nowhere_else(garden, client):
    helper = signed_in(member(garden.household, "helper", Role.HELPER))
    assert helper.post(reverse("people:undo", args=[garden.change.pk])).status_code == 403
    helper.post(reverse("weigh_in:finish", args=[garden.plantings[0].pk]))
    away = {"back": "https://elsewhere.example/"}
    assert (
        helper.post(reverse("people:undo", args=[Change.objects.first().pk]), away)["Location"]
        == "/"
    )
    assert Planting.objects.get(pk=garden.plantings[0].pk).finished_on == date(2026, 8, 4)


def test_a_photograph_is_undone(client, garden):
    sent = {
        "photo": SimpleUploadedFile("a.jpg", tiny_jpeg()),
        "day": "2026-08-01",
        "caption": "first",
    }
    client.post(reverse("tending:add_photo", args=["planting", garden.plantings[0].pk]), sent)
    assert Photo.objects.of(garden.household).filter(caption="first").exists()
    client.post(reverse("people:undo", args=[Change.objects.first().pk]))
    assert not Photo.objects.of(garden.household).filter(caption="first").exists()


def test_a_load_is_undone_as_one_and_others_are_left_as_they_are(client, garden, tmp_path):
    """A load that makes some and changes one of two records: each goes back to its own value."""
    household = Household.objects.get(pk=garden.household.pk)
    files = package_files(household)
    sites, places = (
        files["sites.csv"],
        files["places.csv"].replace("Ours crate,1,", "Ours crate,11,"),
    )
    (tmp_path / "sites.csv").write_text(sites + "new,Loaned strip,,,,,,,,,\n")
    (tmp_path / "places.csv").write_text(places)
    assert load(tmp_path, household, by=garden.owner).problems == ()
    after = package_files(household)
    assert "Loaned strip" in after["sites.csv"]
    for expected in (files, after, files):
        client.post(reverse("people:undo", args=[Change.objects.first().pk]))
        assert package_files(household) == expected
