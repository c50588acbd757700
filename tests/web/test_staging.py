"""A load in slices: nobody sees half of it, it can be broken off, and one runs at a time."""

from __future__ import annotations

import gc
import sys
from datetime import timedelta
from types import SimpleNamespace

import pytest
from django.apps import apps
from django.urls import reverse
from django.utils import timezone

from kilter.core.errors import KilterError
from kilter.exchange import staging
from kilter.exchange.loading import IN_PLACE, load
from kilter.exchange.staging import LoadBusyError, Stage, clear_stages
from kilter.people.models import Change, Household
from kilter.people.writing import writing
from kilter.set_out.models import Crop, Planting, Variety
from kilter.weigh_in.models import WeighIn
from tests.conftest import html_of
from tests.hostile.test_packages import SMALL


def rows() -> dict[str, int]:
    return {
        m._meta.label: m._default_manager.count()
        for m in apps.get_models(include_auto_created=True)
    }


class HaltedError(Exception):
    """The machine went down."""


def halting(at: str):
    """A report that breaks the load off at a step."""

    def report(stage: str, _rows: int) -> None:
        if stage == at:
            raise HaltedError

    return report


def test_while_it_runs_nobody_sees_any_of_it(garden, client):
    seen = []

    def report(stage: str, _rows: int) -> None:
        if stage == IN_PLACE:
            seen.append(WeighIn.objects.of(garden.household).count())
            seen.append(Crop.objects.of(garden.household).filter(name="pea").count())
            assert "A package is being loaded" in html_of(client.get("/weigh-in/"))

    Planting.objects.update(finished_on=None)
    before = WeighIn.objects.of(garden.household).count()
    load(SMALL, garden.household, report)
    assert seen == [before, 0]
    assert WeighIn.objects.of(garden.household).count() > before
    assert "being loaded" not in html_of(client.get("/weigh-in/"))


@pytest.mark.parametrize("at", ["writing sites", "writing weigh_ins", IN_PLACE])
def test_broken_off_the_garden_is_as_it_was_and_the_next_load_goes_through(garden, at):
    before = rows()
    with pytest.raises(HaltedError):
        load(SMALL, garden.household, halting(at))
    assert rows() == before
    assert load(SMALL, garden.household).is_done
    assert not Household.objects.filter(is_staging=True).exists()


def test_what_was_cut_off_with_the_machine_is_taken_back_at_the_next_start(garden, monkeypatch):
    before = rows()
    monkeypatch.setattr(Stage, "drop", lambda self: None)
    with pytest.raises(HaltedError):
        load(SMALL, garden.household, halting(IN_PLACE))
    assert rows() != before
    clear_stages()
    assert rows() == before
    garden.household.refresh_from_db()
    assert garden.household.loading_since is None


def test_one_load_at_a_time_for_each_household(garden, other):
    busy = timezone.now()
    Household.objects.filter(pk=garden.household.pk).update(loading_since=busy)
    with pytest.raises(LoadBusyError, match="wait until it is done"):
        load(SMALL, garden.household)
    assert load(SMALL, other.household).is_done
    Household.objects.filter(pk=garden.household.pk).update(loading_since=busy - timedelta(hours=2))
    assert load(SMALL, garden.household).is_done, (
        "one that was cut off does not stop the next for ever"
    )


def test_the_lock_is_never_held_for_more_than_a_slice(garden, monkeypatch):
    monkeypatch.setattr(staging, "SLICE", 2)
    taken = []
    monkeypatch.setattr(staging, "writing", lambda: taken.append(1) or writing())
    load(SMALL, Household(name="in twos"))
    few = len(taken)
    monkeypatch.setattr(staging, "SLICE", 1)
    taken.clear()
    load(SMALL, Household(name="one by one"))
    weigh_ins = WeighIn.objects.filter(household__name="in twos").count()
    assert weigh_ins > 2
    assert len(taken) - few >= weigh_ins // 2, "half as many at a time takes twice as many turns"


def test_a_package_that_the_disk_has_no_room_for_is_refused(garden, monkeypatch):
    before = rows()
    monkeypatch.setattr(
        staging.shutil, "disk_usage", lambda _: SimpleNamespace(free=staging.LEFT_FREE)
    )
    with pytest.raises(KilterError, match="no room for it"):
        load(SMALL, garden.household)
    assert rows() == before


def test_beside_others_it_rests_as_long_as_it_writes_and_by_itself_not(garden, monkeypatch):
    rested = []
    monkeypatch.setattr(staging.time, "sleep", rested.append)
    load(SMALL, Household(name="by itself"))
    assert rested == []
    with staging.beside_others():
        load(SMALL, garden.household)
    assert len(rested) > 10
    assert all(seconds > 0 for seconds in rested)


def test_when_the_last_of_several_loads_is_done_the_interpreter_is_as_it_was():
    usual = sys.getswitchinterval()
    first, second = staging.beside_others(), staging.beside_others()
    first.__enter__()
    second.__enter__()
    first.__exit__(None, None, None)
    assert (sys.getswitchinterval() < usual, gc.isenabled()) == (True, False)
    second.__exit__(None, None, None)
    assert (sys.getswitchinterval(), gc.isenabled()) == (usual, True)


def test_a_garden_that_changed_meanwhile_and_does_not_fit_is_left_alone(garden):
    crop = Crop.objects.of(garden.household).get(name="shallot")
    before = rows()

    def report(stage: str, _rows: int) -> None:
        if stage == IN_PLACE:
            made = Variety.objects.exclude(household=garden.household).first()
            Variety.objects.filter(pk=made.pk).update(ref="met")
            Variety.objects.create(household=garden.household, crop=crop, name="Met", ref="met")

    with pytest.raises(KilterError, match="load it once more"):
        load(SMALL, garden.household, report)
    assert rows() == before | {"set_out.Variety": before["set_out.Variety"] + 1}


def test_a_load_of_changes_is_undone_as_one(garden, client):
    load(SMALL, garden.household)
    crops = {crop.pk: crop.name for crop in Crop.objects.of(garden.household)}
    Planting.objects.filter(ref="a").update(units=999)
    found = load(SMALL, garden.household)
    assert sum(found.new.values()) == 0
    assert sum(found.changed.values()) == 1
    change = Change.objects.filter(says__startswith="A package was loaded").first()
    client.post(reverse("people:undo", args=[change.pk]))
    assert {crop.pk: crop.name for crop in Crop.objects.of(garden.household)} == crops


def test_a_load_whose_stage_was_taken_away_says_so(garden):
    def report(stage: str, _rows: int) -> None:
        if stage == IN_PLACE:
            clear_stages()

    before = rows()
    with pytest.raises(KilterError, match="started anew"):
        load(SMALL, garden.household, report)
    assert rows() == before
