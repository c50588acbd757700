"""What cures, and whether it is warm and damp enough where it stands."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from kilter.core.amounts.units import half_up
from kilter.core.handbook.storing import Curing, curings
from kilter.larder.models import Crate, Store
from kilter.set_out.models import Crop
from kilter.weather.queries import SiteSky


@dataclass(frozen=True)
class CuringNow:
    """A crate that cures, and whether it is warm enough."""

    crate: Crate
    days_left: int
    curing: Curing | None
    warning: str = ""


def curing_now(crate: Crate, sky: dict[int, SiteSky], today: date) -> CuringNow:
    """How long a crate cures yet, with a warning where it is too cold or too dry for that."""
    curing = curing_of(crate.crop)
    left = (crate.cure_until - today).days if crate.cure_until else 0
    return CuringNow(crate, max(left, 0), curing, _too_cold(crate.store, curing, sky))


INDOORS = (
    "People then cure indoors: by a heater with a bowl of water, on an airy rack, or in a bathroom."
)


def _too_cold(store: Store, curing: Curing | None, sky: dict[int, SiteSky]) -> str:
    """Whether the place is warm and damp enough, by what is known of it."""
    if curing is None:
        return ""
    found = []
    warm = store.celsius
    if warm is None and store.site_id in sky:
        warm = sky[store.site_id or 0].mean_lately_c
    low, high = curing.warm_c.low, curing.warm_c.high
    wants = f"the {half_up(low, 0)} to {half_up(high, 0)}"
    if warm is not None and warm < low:
        found.append(f"{half_up(warm, 0)} °C is colder than {wants} °C it wants.")
    elif warm is not None and warm > high:
        found.append(f"{half_up(warm, 0)} °C is warmer than {wants} °C it wants.")
    damp = store.damp_percent
    if damp is not None and not curing.damp_percent.low <= damp <= curing.damp_percent.high:
        wants = f"{half_up(curing.damp_percent.low, 0)} to {half_up(curing.damp_percent.high, 0)} %"
        found.append(f"{damp} % damp is not the {wants} it wants.")
    return " ".join([*found, INDOORS]) if found else ""


def curing_of(crop: Crop) -> Curing | None:
    """How a crop is cured, if it is."""
    book = crop.in_handbook
    return curings().get(book.name) if book else None
