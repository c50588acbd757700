"""What was read of a garden is read again as soon as anything was written,
by whomever; and only then.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from datetime import date

import pytest
from django.db import connection, transaction
from django.test.utils import CaptureQueriesContext

from kilter.people.unchanged import MOST_KEPT, while_unchanged
from kilter.records.facts import PlantingFacts, facts
from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn

pytestmark = pytest.mark.django_db(transaction=True)


def _read(garden, planting: Planting) -> tuple[PlantingFacts, int]:
    """The planting's facts, and how many queries they took."""
    with CaptureQueriesContext(connection) as captured:
        (fact,) = facts(garden.household, Planting.objects.filter(pk=planting.pk))
    return fact, len(captured)


def _weigh(planting: Planting, grams: int) -> None:
    WeighIn.objects.create(
        household=planting.household,
        planting=planting,
        weighed_on=date(2026, 10, 5),
        grade="table",
        mass_mg=grams * 1000,
    )


def _elsewhere(work, *args) -> None:
    """As another thread of the server does, by a connection of its own."""

    def run() -> None:
        try:
            work(*args)
        finally:
            connection.close()

    with ThreadPoolExecutor(1) as pool:
        pool.submit(run).result()


def test_a_garden_is_read_again_after_a_write_here_or_elsewhere_and_not_before(
    garden, open_planting
) -> None:
    first, took = _read(garden, open_planting)
    assert took > 0
    assert not first.record.grades
    assert _read(garden, open_planting) == (first, 0)
    _weigh(open_planting, 300)
    assert _read(garden, open_planting)[0].record.grades["table"].mass_mg == 300_000
    _elsewhere(_weigh, open_planting, 200)
    seen, took = _read(garden, open_planting)
    assert seen.record.grades["table"].mass_mg == 500_000
    assert took > 0
    assert _read(garden, open_planting) == (seen, 0)


def test_what_a_transaction_took_back_was_never_kept(garden, open_planting) -> None:
    before, _ = _read(garden, open_planting)
    with transaction.atomic():
        _weigh(open_planting, 300)
        assert _read(garden, open_planting)[0].record.grades["table"].mass_mg == 300_000
        transaction.set_rollback(True)
    assert _read(garden, open_planting)[0] == before


def test_what_is_handed_out_may_be_sorted_and_cut_without_harm(garden, open_planting) -> None:
    facts(garden.household, Planting.objects.filter(pk=open_planting.pk)).clear()
    assert len(facts(garden.household, Planting.objects.filter(pk=open_planting.pk))) == 1


def test_only_the_newest_readings_are_kept_and_a_write_meanwhile_keeps_none(
    db, garden, open_planting
) -> None:
    read: list[int] = []

    def of(number: int) -> int:
        return while_unchanged(("number", number), lambda: read.append(number) or number)

    for number in [*range(MOST_KEPT + 1), 0, MOST_KEPT]:
        assert of(number) == number
    assert read == [*range(MOST_KEPT + 1), 0]
    while_unchanged("late", lambda: _elsewhere(_weigh, open_planting, 100))
    while_unchanged("late", lambda: read.append(99))
    assert read[-1] == 99
