"""The handbook's rows are checked, and the check finds what it is there for."""

from __future__ import annotations

import pytest

from kilter.core.handbook import rows_of
from kilter.core.handbook.rows import TABLES, problems, problems_of

CROPS = {row["crop"] for row in rows_of("crops")}


def test_the_handbook_that_ships_has_nothing_wrong() -> None:
    assert problems() == []
    assert all(rows_of(table) for table in TABLES)


@pytest.mark.parametrize(
    ("table", "column", "text", "said"),
    [
        ("crops", "family", "Solanacae", "is not one of: Aizoaceae"),
        ("crops", "in_row_cm", "0.3", "is not between 1 and 300"),
        ("crops", "in_row_cm", "a hand", "is not a number"),
        ("crops", "days_min", "70.5", "is not a whole number"),
        ("crops", "days_min", "200", "200 to 130 ends before it begins"),
        ("crops", "planted_as", "seed or sprout", "is not of: seed, seed potato"),
        ("crops", "rule_row_m_per_person_fresh", "6-3", "ends before it begins"),
        ("crops", "rule_plants_per_person", "a few", "is not plants a person"),
        ("crops", "out_weeks_from_last_frost", "spring", "is not"),
        ("crops", "edible_share_pct", "", "is not a whole number"),
        ("crops", "basis", "the neighbour", "is not a known basis"),
        ("crops", "crop", "Potato", "is not a name in small letters"),
        ("care", "to_day", "-40", "-35 to -40 ends before it begins"),
        ("curing", "warm_min_c", "39", "ends before it begins"),
        ("curing", "damp_min_pct", "99", "ends before it begins"),
        ("care", "crop", "mango", "mango is not in the table of crops"),
        ("signs", "worth", "great", "is not one of: strong, fair, weak"),
    ],
)
def test_a_slip_is_named_with_its_line_and_column(
    table: str, column: str, text: str, said: str
) -> None:
    rows = [dict(row) for row in rows_of(table)]
    rows[0][column] = text
    found = problems_of(table, rows, CROPS)
    assert found, f"{column}={text!r} passed"
    assert found[0].startswith(f"{table}, line 2")
    assert said in found[0]
    # Nothing else is blamed for it.
    assert all("line 2" in one for one in found)


def test_every_pair_of_a_least_and_a_most_is_in_order() -> None:
    row = next(dict(row) for row in rows_of("crops") if row["autumn_days_max"])
    row["autumn_days_min"] = "399"
    (said,) = problems_of("crops", [row], CROPS)
    assert said.startswith("crops, line 2, autumn_days_min and autumn_days_max: 399 to ")


def test_a_crop_has_one_row_and_a_row_has_every_column() -> None:
    row = rows_of("crops")[0]
    assert problems_of("crops", [row, row], CROPS) == ["crops, line 3: potato has a row already"]
    cut = {name: text for name, text in row.items() if name != "family"}
    assert "the columns are not crop, family" in problems_of("crops", [cut], CROPS)[0]
