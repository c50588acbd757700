"""What a row says by name: found, or asked about."""

from __future__ import annotations

from kilter.core.sheets.near import plain_name
from kilter.core.trade.places import UNKNOWN, place_kind
from kilter.exchange.bring.asked import NEW, OUT, Asking, Offer
from kilter.exchange.bring.known import Known, Spot
from kilter.exchange.bring.rows import ReadRow, leave_out

_OUT = Offer(OUT, "leave these rows out")
#: Before the key of what is still to be made.
TO_MAKE = "new:"


def crop_said(row: ReadRow, known: Known, asking: Asking) -> None:
    """The crop of a row, and its variety where the cell names one too."""
    cell = row.said["crop"]
    found = known.crop_in(cell) or _crop_and_more(cell, known)
    if found is None:
        near = known.crops.near(cell)
        question = asking.about(
            f"crop:{plain_name(cell)}",
            row.line.number,
            f"No crop is called “{cell}”.",
            (*(Offer(one, one) for one in near), Offer(NEW, f"add “{cell}”"), _OUT),
            usual="" if near else NEW,
        )
        if leave_out(row, question):
            return
        taken = question.taken
        found = (cell if taken in (NEW, "") else taken, "")
    row.said["crop"] = found[0]
    if found[1] and not row.said.get("variety"):
        row.said["variety"] = found[1]


def _crop_and_more(cell: str, known: Known) -> tuple[str, str] | None:
    """``tomato ‘Fresh Name’``: a crop that is known, and a variety that is not."""
    words = cell.replace(",", " ").replace("(", " ").replace(")", " ").split()
    for cut in range(len(words) - 1, 0, -1):
        if found := known.crops.known.get(plain_name(" ".join(words[:cut]))):
            rest = " ".join(words[cut:]).strip("‘’“”'\" -–:/")
            return found, rest[:80]
    return None


def variety_said(row: ReadRow, known: Known, asking: Asking) -> None:
    """The variety of a row; it tells the crop where the row does not."""
    cell = row.said["variety"]
    if "crop" not in row.said:
        crops = known.crops_of.get(plain_name(cell), ())
        if not crops:
            row.problem = f"No crop is said, and none here has a variety “{cell}”."
            return
        if len(crops) > 1:
            question = asking.about(
                f"crop of:{plain_name(cell)}",
                row.line.number,
                f"Several crops have a variety “{cell}”.",
                (*(Offer(crop, crop) for crop in crops), _OUT),
            )
            if leave_out(row, question):
                return
        row.said["crop"] = crops[0] if len(crops) == 1 else question.taken or crops[0]
    crop = row.said["crop"]
    names = known.varieties.get(crop)
    found = names.find(cell) if names else None
    if found is None and names and (near := names.near(cell)):
        question = asking.about(
            f"variety:{crop}:{plain_name(cell)}",
            row.line.number,
            f"{crop.capitalize()} has no variety “{cell}”.",
            (*(Offer(one, one) for one in near), Offer(NEW, f"add “{cell}”"), _OUT),
        )
        if leave_out(row, question):
            return
        found = None if question.taken in (NEW, "") else question.taken
    row.said["variety"] = found or cell.strip("‘’“”'\"")[:80]


def spot_said(row: ReadRow, known: Known, asking: Asking) -> None:
    """The place of a row, or one that is still to be made."""
    cell = row.said["place"]
    found = known.spots.find(cell)
    if found is None:
        near = known.spots.near(cell)
        told = place_kind(cell) is not UNKNOWN
        made = (
            (Offer(NEW, f"add “{cell}”"),)
            if told
            else (
                Offer(f"{TO_MAKE}bed", f"add “{cell}”, a bed"),
                Offer(f"{TO_MAKE}pot", f"add “{cell}”, a container"),
            )
        )
        question = asking.about(
            f"place:{plain_name(cell)}",
            row.line.number,
            f"No place is called “{cell}”.",
            (*(Offer(one.label, one.label) for one in near), *made, _OUT),
            usual=NEW if told and not near else "",
        )
        if leave_out(row, question):
            return
        taken = question.taken
        found = next((one for one in near if one.label == taken), None)
        if found is None:
            kind = taken.removeprefix(TO_MAKE) if taken.startswith(TO_MAKE) else ""
            row.said["place_kind"] = kind or place_kind(cell).word
            found = Spot(f"{TO_MAKE}{plain_name(cell)}", "", cell)
    row.said["place"] = found


def store_said(row: ReadRow, known: Known, asking: Asking) -> None:
    """The store of a row, or one that is still to be made."""
    cell = row.said["store"]
    found = known.stores.find(cell)
    if found is None:
        near = known.stores.near(cell)
        question = asking.about(
            f"store:{plain_name(cell)}",
            row.line.number,
            f"No store is called “{cell}”.",
            (*(Offer(name, name) for _, name in near), Offer(NEW, f"add “{cell}”"), _OUT),
            usual="" if near else NEW,
        )
        if leave_out(row, question):
            return
        found = next((one for one in near if one[1] == question.taken), None)
        found = found or (f"{TO_MAKE}{plain_name(cell)}", cell)
    row.said["store"] = found
