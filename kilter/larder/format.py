"""What of the larder travels in the open format."""

from __future__ import annotations

from collections.abc import Mapping

from kilter.core.trade.uses import MOVED
from kilter.larder.models import Bulk, Crate, Expense, Price, PutBy, Store, Supply, Trimming, Using
from kilter.set_out.format import MAYBE_CROP, OF_CROP, WITH_VARIETY
from kilter.tables.table import Faults, Table, Values


def _check_put(values: Values, given: Mapping[str, str]) -> Faults:
    if bool(given.get("crate")) == bool(given.get("use")):
        yield "use", "goes with no crate, and a crate with no use"
    if (values["share_part"] or 1) > (values["share_whole"] or 1):
        yield "share_part", "is more than the whole"


def _check_using(values: Values, given: Mapping[str, str]) -> Faults:
    has_crate = bool(given.get("crate"))
    if has_crate == bool(given.get("crop")):
        yield "crop", "is filled where there is no crate, and only there"
    if has_crate == (values["season"] is not None):
        yield "season", "goes with a crop that lies in no crate"
    if (values["use"] == MOVED) != bool(given.get("into")):
        yield "into", "goes with moved, and moved with it"
    if values["use"] == MOVED and not has_crate:
        yield "crate", "is needed for what is moved"


def _check_trimming(values: Values, _: Mapping[str, str]) -> Faults:
    before, after = values["before"], values["after"]
    if before and after and after.mg > before.mg:
        yield "after", "is more than before"


FORMAT = (
    Table.of(Store, "stores", names={"room_mg": "room"}),
    Table.of(
        Crate, "crates", quiet=("precision",), names={"added_mg": "added"}, told=(WITH_VARIETY,)
    ),
    Table.of(PutBy, "put_by", quiet=("precision", "share_part", "share_whole"), check=_check_put),
    Table.of(
        Using,
        "usings",
        quiet=("precision",),
        names={"pm_mg": "give_or_take", "balance_mg": "balance"},
        also=("balance_mg", "meal", "typed"),
        skip={
            "client_id": "of the event that wrote it, which is stored once where it was written",
            "written_at": "when and by whom it was written is known where it was",
            "written_by": "people stay where they sign in",
        },
        told=(MAYBE_CROP,),
        check=_check_using,
    ),
    Table.of(Supply, "supplies", quiet=("precision",), told=(OF_CROP,)),
    Table.of(Trimming, "trimmings", quiet=("precision",), told=(OF_CROP,), check=_check_trimming),
    Table.of(Price, "prices", told=(OF_CROP,)),
    Table.of(Expense, "expenses", quiet=("over_years",), told=(MAYBE_CROP,)),
    Table.of(Bulk, "bulks", told=(OF_CROP,), twin=lambda one: (one.crop_id, one.day)),
)
