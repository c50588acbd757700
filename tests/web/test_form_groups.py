"""Long forms are grouped by what their fields are about: each field in one group,
and no group names a ghost.
"""

from __future__ import annotations

import pytest

from kilter.ground import forms as ground
from kilter.larder import forms as larder
from kilter.next_year import forms as next_year
from kilter.set_out import forms as set_out
from kilter.tending import forms as tending
from kilter.weigh_up.trials import forms as trials
from tests.conftest import html_of


@pytest.mark.parametrize(
    ("made", "forms"),
    [
        (ground.SiteForm, [ground.SiteForm]),
        (ground.PlaceForm, [ground.PlaceForm, ground.PlaceChangeForm, ground.SetForm]),
        (set_out.PlantingForm, [set_out.PlantingChangeForm]),
        (set_out.LotForm, [set_out.LotForm]),
        (set_out.CropValuesForm, [set_out.CropValuesForm]),
        (ground.FillForm, [ground.FillForm]),
        (tending.HappeningForm, [tending.HappeningForm]),
        (tending.JobForm, [tending.JobForm]),
        (trials.TrialForm, [trials.TrialForm]),
        (next_year.PlanForm, [next_year.PlanForm]),
        (larder.CrateForm, [larder.CrateForm]),
    ],
)
def test_each_field_is_in_one_group_and_no_group_names_a_ghost(made, forms):
    named = [name for group in made.groups for name in group.names]
    fields = {name for form in forms for name in form.base_fields} | {
        "targets"
    }  # those are added when it is made
    assert len(named) == len(set(named))
    assert set(named) <= fields


@pytest.mark.parametrize(
    ("path", "head"),
    [
        ("/ground/sites/new", "Sun and frost"),
        ("/ground/sets/new", "How large"),
        ("/ground/beds/new", "Where it stands"),
        ("/set-out/lots/new", "How much"),
        ("/happenings/new", "What you did"),
        ("/happenings/do", "What it took"),
        ("/weigh-up/trials/new", "So that it is fair"),
    ],
)
def test_a_long_form_shows_its_heads_and_every_field_once(client, garden, path, head):
    client.force_login(garden.owner)
    response = client.get(path)
    html = html_of(response)
    assert f"<h2>{head}</h2>" in html
    for field in response.context["form"].visible_fields():
        if field.name not in {"targets", "spots"}:
            assert html.count(f'name="{field.html_name}"') == 1, field.name
