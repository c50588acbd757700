"""What of the weather travels in the open format."""

from __future__ import annotations

from collections.abc import Mapping

from django.db.models import Q

from kilter.core.errors import KilterError
from kilter.core.growing.almanac import WeatherDay, check_day
from kilter.tables.table import Faults, Table, Values
from kilter.weather.models import Day


def _check_day(values: Values, _: Mapping[str, str]) -> Faults:
    if values["day"]:
        try:
            check_day(
                WeatherDay(
                    values["day"],
                    values["min_c"],
                    values["max_c"],
                    values["rain_mm"],
                    values["soil_c"],
                )
            )
        except KilterError as error:
            yield "min_c", str(error)


FORMAT = (
    Table.of(
        Day,
        "weather",
        skip={"is_ahead": "only what was measured travels; what is expected is the station's"},
        only=Q(is_ahead=False),
        twin=lambda one: (one.site_id, one.day, one.is_ahead),
        check=_check_day,
    ),
)
