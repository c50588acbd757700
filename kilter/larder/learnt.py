"""What the larder learnt of each crop, handed on to the plan in place of what is assumed."""

from __future__ import annotations

from dataclasses import dataclass

from kilter.core.larder.keeping import StoreLoss
from kilter.larder.models import Trimming
from kilter.larder.store_losses import StoreLosses, losses_of, losses_of_crop
from kilter.people.models import Household
from kilter.set_out.models import Crop


@dataclass(frozen=True)
class LearntStore:
    """Of one crop, each None where nothing tells."""

    loss: StoreLoss | None = None
    kind: str = ""  #: the kind of store that the loss is of: that looked through most
    edible_share: float | None = None
    trimmings: int = 0


def learnt(
    household: Household, crops: list[Crop], losses: StoreLosses | None = None
) -> dict[int, LearntStore]:
    """What lookings-through and trimmings say of some crops; two queries,
    one where the losses are read already.
    """
    losses = losses or losses_of(household)
    before: dict[int, int] = {}
    after: dict[int, int] = {}
    number: dict[int, int] = {}
    for crop, was, left in Trimming.objects.of(household).values_list(
        "crop_id", "before_mg", "after_mg"
    ):
        before[crop] = before.get(crop, 0) + was
        after[crop] = after.get(crop, 0) + left
        number[crop] = number.get(crop, 0) + 1
    found = {}
    for one in crops:
        kinds = losses_of_crop(losses, one)
        kind, loss = max(kinds, key=lambda pair: pair[1].looks, default=("", None))
        edible = after[one.pk] / before[one.pk] if one.pk in before else None
        if loss is not None or edible is not None:
            found[one.pk] = LearntStore(loss, kind, edible, number.get(one.pk, 0))
    return found
