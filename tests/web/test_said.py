"""What a line of the bench says: the form, the event and the record share one definition."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kilter.core.trade.grades import GRADES
from kilter.people.events import EventError
from kilter.weigh_in.events import BENCH
from kilter.weigh_in.forms import LineForm
from kilter.weigh_in.models import (
    MAX_COUNT,
    Cleaned,
    Fullness,
    SplitBy,
    Topped,
    WeighIn,
    new_client_id,
)
from kilter.weigh_in.said import FIELDS, MAX_SPLIT, LineSaid, read_said

KEYS = st.integers(1, 2**53)
WORDS = st.text(st.characters(codec="utf-8", exclude_categories=("C", "Z")), max_size=12)
SAID = st.fixed_dictionaries(
    {
        "planting": KEYS,
        "grade": st.sampled_from(list(GRADES)),
        "typed": st.sampled_from(["940 12", "2lb3", "c12", "5000+3120", "½ lb"]),
    },
    optional={
        "tare": st.sampled_from(["", "310 g"]),
        "bowl": st.none() | KEYS,
        "scale": st.none() | KEYS,
        "plants": st.none() | st.integers(1, MAX_COUNT),
        "cause": WORDS,
        "cleaned": st.sampled_from(["", *Cleaned.values]),
        "topped": st.sampled_from(["", *Topped.values]),
        "fullness": st.sampled_from(["", *Fullness.values]),
        "is_thinning": st.booleans(),
    },
)


def posted(said: dict) -> dict:
    """As a plain form sends it: text alone, and a box that is not ticked not at all."""
    texts = {name: str(value) for name, value in said.items() if value not in (None, False)}
    return texts | ({"is_thinning": "on"} if said.get("is_thinning") else {})


@given(SAID)
def test_json_and_a_plain_form_say_the_same(said):
    by_event = BENCH.event(json.loads(json.dumps({"client_id": new_client_id(), **said}))).said
    form = LineForm({"client_id": new_client_id(), **posted(said)})
    assert form.is_valid(), form.errors
    assert read_said(form.cleaned_data) == by_event
    assert {name: getattr(by_event, name) for name in said if name != "cause"} == {
        name: value for name, value in said.items() if name != "cause"
    }


def test_each_column_it_names_is_one_of_the_record_and_each_field_stands_in_the_form():
    line = read_said({"planting": 1, "grade": "table", "typed": "940"})
    columns = {field.name for field in WeighIn._meta.concrete_fields}
    assert set(line.columns) <= columns
    assert set(LineForm().fields) == {"client_id", *FIELDS}
    assert set(LineSaid.__dataclass_fields__) == set(FIELDS)


@pytest.mark.parametrize(
    ("name", "largest"), [("cause", 40), ("typed", 60)], ids=["a cause", "what is typed"]
)
def test_what_fits_the_field_fits_the_record(name, largest):
    column = WeighIn._meta.get_field(name)
    assert FIELDS[name].max_length == column.max_length == largest
    with pytest.raises(EventError, match=str(largest)):
        read_said({"planting": 1, "grade": "table", "typed": "940", name: "9" * (largest + 1)})


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        ({"planting": None}, "names its planting"),
        ({"planting": 0}, "by number"),
        ({"planting": True}, "by number"),
        ({"planting": 1.5}, "by number"),
        ({"typed": ""}, "Type a weight"),
        ({"typed": "9\0"}, "Null characters"),
        ({"grade": ""}, "has a grade"),
        ({"grade": ["table"]}, "cannot be said"),
        ({"plants": MAX_COUNT + 1}, "too many"),
        ({"plantings": ["one", "two"]}, "whole numbers"),
        ({"plantings": list(range(1, MAX_SPLIT + 2))}, "at most"),
        ({"split_by": "weight"}, ", ".join(SplitBy.values)),
    ],
)
def test_what_cannot_be_said_has_its_sentence(wrong, says):
    with pytest.raises(EventError, match=says):
        read_said({"planting": 1, "grade": "table", "typed": "940", **wrong})


def test_a_basket_names_its_plantings_in_their_order_as_a_list_or_in_words():
    base = {"grade": "table", "typed": "2400 20", "split_by": "count"}
    by_list = read_said({**base, "plantings": [12, 8], "counts": [15, 5]})
    in_words = read_said({**base, "plantings": "12, 8", "counts": "15,5"})
    assert by_list == in_words
    assert (by_list.planting, by_list.plantings, by_list.counts) == (None, (12, 8), (15, 5))
