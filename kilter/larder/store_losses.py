"""What each crop loses in each kind of store, learnt from every looking-through."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, field
from datetime import date

from kilter.core.handbook.storing import keeps
from kilter.core.larder.keeping import Look, StoreLoss, loss_in_store
from kilter.larder.models import Crate, Using
from kilter.people.models import Household
from kilter.set_out.models import Crop


@dataclass(frozen=True)
class StoreLosses:
    """What each crop loses a week in each kind of store, learnt from all lookings-through."""

    looks: dict[tuple[int, str], list[Look]] = field(default_factory=dict)

    def of(self, crate: Crate) -> StoreLoss:
        keeps = crate.keeps
        return loss_in_store(
            self.looks.get((crate.crop_id, crate.store.kind), []), keeps.loss_per_week, keeps.weeks
        )


def losses_of(household: Household) -> StoreLosses:
    """Every looking-through of the household as the core's; one query."""
    looks: dict[tuple[int, str], list[Look]] = defaultdict(list)
    before: dict[int, date] = {}
    read = Using.objects.of(household).filter(is_look=True, crate__isnull=False, balance_mg__gt=0)
    columns = (
        "crate_id",
        "crate__crop_id",
        "crate__store__kind",
        "crate__day",
        "day",
        "mass_mg",
        "balance_mg",
    )
    for crate, crop, kind, begun, day, spoiled, lay in read.order_by("day", "pk").values_list(
        *columns
    ):
        days = (day - before.get(crate, begun)).days
        before[crate] = day
        if days > 0:
            looks[crop, kind].append(Look(str(crate), days / 7, min(spoiled / lay, 1.0)))
    return StoreLosses(dict(looks))


def losses_of_crop(losses: StoreLosses, crop: Crop) -> list[tuple[str, StoreLoss]]:
    """What a crop loses in each kind of store that it was looked through in."""
    found = []
    for (crop_pk, kind), looks in sorted(losses.looks.items()):
        if crop_pk == crop.pk:
            known = keeps(crop.in_handbook, kind)
            found.append((kind, loss_in_store(looks, known.loss_per_week, known.weeks)))
    return found
