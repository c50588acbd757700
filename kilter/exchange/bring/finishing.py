"""What only whole rows can tell: which planting a line is of, and what is on record already."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Mapping
from datetime import date
from typing import Final

from kilter.core.amounts.vague import VagueDate
from kilter.core.handbook import crop_called
from kilter.core.sheets.near import plain_name
from kilter.core.trade.grades import USUAL
from kilter.core.trade.places import place_kind
from kilter.exchange.bring.asked import NEW, OUT, Asking, Offer
from kilter.exchange.bring.known import Known, KnownPlanting, Spot
from kilter.exchange.bring.names import TO_MAKE
from kilter.exchange.bring.rows import ReadRow, is_ahead, leave_out, season_of_row
from kilter.exchange.bring.storing import store
from kilter.set_out.seasons import season_by

_OUT = Offer(OUT, "leave these rows out")
MOST_OFFERED: Final = 60
_NUMBERED: Final = re.compile(r"(.*\S)\s*[#\s]\s*(\d{1,6})")


def lines(rows: list[ReadRow], known: Known, asking: Asking) -> None:
    """Lines of the bench: of which planting each is, and whether it is on record."""
    left = Counter(known.lines)
    for row in rows:
        said = row.said
        if row.is_out or is_ahead(row, known.today):
            continue
        row.problem = "" if "day" in said else "It has no day."
        row.problem = row.problem or ("" if "crop" in said else "It has no crop.")
        if row.problem:
            continue
        said.setdefault("grade", USUAL)
        alike = [one for one in known.plantings.get(said["crop"], ()) if _is_like(one, row)]
        if _is_on_record(row, alike, left):
            continue
        mass, count = said.get("mass"), said.get("count")
        if not (mass and mass.mass_mg) and not count:
            row.is_out = (mass is not None or count is not None) and not row.asks
            row.problem = "" if row.is_out else "It has neither a weight nor a count."
        elif not any(question.is_open for question in row.asks):
            may_be = [one for one in alike if one.may_give(said["day"].day)]
            of_its_year = [one for one in may_be if one.season == season_of_row(row)]
            # what was never finished may give for ever
            _planting_of(row, of_its_year or may_be, known, asking)


def _is_on_record(
    row: ReadRow, alike: list[KnownPlanting], left: Counter[tuple[object, ...]]
) -> bool:
    """Whether such a line is there, of a planting that it may be of; each there stands for one."""
    said = row.said
    mass_mg = said["mass"].mass_mg if said.get("mass") else None
    for one in alike:
        key = (str(said["day"]), one.ref, mass_mg, said.get("count"), said["grade"])
        if left[key] > 0:
            left[key] -= 1
            said["planting"], row.is_known = one, True
            said.setdefault("place", Spot(*one.spot, one.label))
            return True
    return False


def _planting_of(row: ReadRow, may_be: list[KnownPlanting], known: Known, asking: Asking) -> None:
    said = row.said
    day: date = said["day"].day
    if not may_be and "place" not in said and not _place_of_all(row, known, asking):
        return
    spot: Spot | None = said.get("place")
    season = season_of_row(row) or day.year
    where = f" in {spot.label}" if spot else ""
    what = " ".join(filter(None, (said["crop"], said.get("variety") and f"‘{said['variety']}’")))
    key = ":".join(
        ("planting", plain_name(spot.label if spot else ""), plain_name(what), str(season))
    )
    if len(may_be) == 1:
        said["planting"] = may_be[0]
    elif may_be:
        question = asking.about(
            key,
            row.line.number,
            f"Which {what}{where}, {season}?",
            (*(Offer(one.ref, _told(one)) for one in may_be[:MOST_OFFERED]), _OUT),
        )
        if leave_out(row, question):
            return
        said["planting"] = next((one for one in may_be if one.ref == question.taken), may_be[0])
    else:
        question = asking.about(
            key,
            row.line.number,
            f"No {what}{where} of {season} is on record.",
            (Offer(NEW, "add the planting, the day it was set out not known"), _OUT),
            usual=NEW,
        )
        if leave_out(row, question):
            return
        said["planting"] = key
    if isinstance(said["planting"], KnownPlanting):
        one = said["planting"]
        said.setdefault("place", Spot(*one.spot, one.label))


def _is_like(one: KnownPlanting, row: ReadRow) -> bool:
    """Whether a row may be of a planting by what it says: its place, variety and season."""
    said = row.said
    spot: Spot | None = said.get("place")
    if spot is not None and (one.spot[0] != spot.place or (spot.part and one.spot[1] != spot.part)):
        return False
    if said.get("variety") and one.variety != said["variety"]:
        return False
    return said.get("season") in (None, one.season)


def _told(one: KnownPlanting) -> str:
    start = f", set out {VagueDate(one.start)}" if one.start else ""
    return f"{one.label}, {one.season}{start}"


def _place_of_all(row: ReadRow, known: Known, asking: Asking) -> bool:
    """Where rows grew that say no place; once for all of them."""
    spots = {spot.label: spot for spot in known.spots.known.values()}
    question = asking.about(
        "no place",
        row.line.number,
        "Some rows say no place, and nothing on record tells it. Where was it?",
        (
            Offer(NEW, "add a bed called Garden"),
            *(Offer(label, label) for label in list(spots)[:MOST_OFFERED]),
            _OUT,
        ),
    )
    if leave_out(row, question):
        return False
    row.said["place"] = spots.get(question.taken, Spot(f"{TO_MAKE}garden", "", "Garden"))
    if row.said["place"].place.startswith(TO_MAKE):
        row.said["place_kind"] = "bed"
    return not question.is_open


def plantings(rows: list[ReadRow], known: Known, _asking: Asking) -> None:
    """Plantings: their season, and whether one is on record."""
    there = Counter(
        (one.spot[0], one.crop, one.variety, one.season)
        for some in known.plantings.values()
        for one in some
    )
    for row in rows:
        said = row.said
        if row.is_out or row.problem:
            continue
        day: VagueDate | None = said.get("day")
        ended: VagueDate | None = said.get("finished")
        if "crop" not in said:
            row.problem = "It has no crop."
        elif "place" not in said:
            row.problem = "It has no place."
        elif day is None and ended is None and "season" not in said:
            row.problem = "It has neither a day nor a season."
        elif day and ended and ended.day < day.earliest:
            row.problem = f"It is finished on {ended}, before {day}, when it was set out."
        if row.problem:
            continue
        if "season" not in said:
            said["season"] = (
                season_by(day.day, crop_called(said["crop"]))[0]
                if day
                else ended and ended.day.year
            )
        key = (said["place"].place, said["crop"], said.get("variety", ""), said["season"])
        if there[key] > 0:
            there[key] -= 1
            row.is_known = True


def places(rows: list[ReadRow], known: Known, asking: Asking) -> None:
    """Places: their kind and site, and whether one is there."""
    seen: dict[str, int] = {}
    for row in rows:
        said = row.said
        if row.problem:
            continue
        if "place" not in said:
            row.problem = "It has no name."
            continue
        name = plain_name(said["place"])
        if name in seen:
            row.problem = f"“{said['place']}” stands in row {seen[name]} already."
            continue
        seen[name] = row.line.number
        row.is_known = name in known.spots.known
        kind = said.get("kind", "") or place_kind(said["place"]).word
        if not kind and not row.is_known:
            question = asking.about(
                "kind",
                row.line.number,
                f"What is “{said['place']}”, and others that do not say it?",
                (*(Offer(one, one) for one in ("bed", "pot", "crate", "trough")), _OUT),
            )
            if leave_out(row, question):
                continue
            kind = question.taken
        said["kind"] = kind[:40]
        _site(row, known, asking)


def _site(row: ReadRow, known: Known, asking: Asking) -> None:
    said = row.said.get("site", "")
    sites = list(known.sites.known.values())
    if said:
        found = known.sites.find(said)
        row.said["site"] = found or (f"{TO_MAKE}{plain_name(said)}", said)
    elif len(sites) == 1:
        row.said["site"] = sites[0]
    elif sites and not row.is_known:
        question = asking.about(
            "site",
            row.line.number,
            "On which site do they lie?",
            (*(Offer(name, name) for _, name in sites), _OUT),
        )
        if not leave_out(row, question):
            row.said["site"] = next((one for one in sites if one[1] == question.taken), sites[0])


_PIECES: Final = ("piece", "pieces", "each", "pc", "pcs", "item", "one")
_KILOS: Final = ("kg", "kilo", "kilogram", "kilograms", "kilos", "")


def prices(rows: list[ReadRow], known: Known, _asking: Asking) -> None:
    """Prices: by the kilogram or the piece, from which day, and whether one is there."""
    for row in rows:
        said = row.said
        if row.problem or row.is_out:
            continue
        per = (
            str(said.get("per", "")).casefold().removeprefix("a ").removeprefix("per ").strip(" .")
        )
        if "crop" not in said:
            row.problem = "It has no crop."
        elif "price" not in said:
            row.problem = "It has no price."
        elif per in _PIECES:
            said["per"] = "piece"
        elif per in _KILOS:
            said["per"] = "kg"
        else:
            row.problem = f"“{said['per']}” is no measure of a price; write kg or piece."
        if row.problem:
            continue
        day = said.setdefault("day", VagueDate(date(known.today.year, 1, 1)))
        said["price_minor"] = round(said["price"] * 100)
        row.is_known = (said["crop"], day.day, said["per"], said["price_minor"]) in known.prices


FINISH: Final[Mapping[str, Callable[[list[ReadRow], Known, Asking], None]]] = {
    "lines": lines,
    "plantings": plantings,
    "places": places,
    "prices": prices,
    "store": store,
}


def named_and_numbered(label: str) -> tuple[str, int | None]:
    """The name and number of a place by what it is called: ``Crock 3``, ``bed4``."""
    plain = re.sub(r"(?<=[^\W\d])(?=\d+$)", " ", label.strip())
    if match := _NUMBERED.fullmatch(plain):
        return match[1].strip()[:80], int(match[2])
    return plain[:80], None
