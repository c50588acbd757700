"""Broken and odd tables as people have them, each with what must be said of it."""

from __future__ import annotations

import io
import zipfile
from collections import Counter
from datetime import date

import pytest
import xlsxwriter

from kilter.core.errors import KilterError
from kilter.core.sheets.near import Names
from kilter.exchange.bring.finishing import FINISH
from kilter.exchange.bring.known import Known, KnownPlanting, Spot
from kilter.exchange.bring.reading import Manner, read
from kilter.tables.brought import sheets_in

SPOTS = {f"bed {n}": Spot(f"bed-{n}", "", f"Bed {n}") for n in (1, 2, 4, 6)}
SPOTS |= {f"crock {n}": Spot(f"crock-{n}", "", f"Crock {n}") for n in range(1, 21)}


def planting(ref, spot, crop, season, variety="", start=None, end=None):
    of = SPOTS[spot]
    return KnownPlanting(
        ref=ref,
        spot=(of.place, ""),
        crop=crop,
        variety=variety,
        season=season,
        start=start,
        end=end,
        label=ref,
    )


PEAS = planting("peas", "bed 4", "pea", 2026, start=date(2026, 3, 1))
BELLS = planting("bells", "crock 3", "tomato", 2026, "Brass Bell", date(2026, 5, 20))
CORDS = planting("cords", "crock 3", "tomato", 2026, "Aunt Cord", date(2026, 5, 20))
KNOWN = Known(
    today=date(2026, 12, 1),
    order="dmy",
    unit="scale",
    currency="€",
    crops=Names(
        {
            "pea": "pea",
            "peas": "pea",
            "tomato": "tomato",
            "tomatoes": "tomato",
            "courgette": "courgette",
            "zucchini": "courgette",
            "sweet corn": "sweet corn",
            "leek": "leek",
        }
    ),
    varieties={
        "tomato": Names({"brass bell": "Brass Bell", "aunt cord": "Aunt Cord"}),
        "leek": Names({"pennant": "Pennant"}),
    },
    crops_of={"brass bell": ("tomato",), "aunt cord": ("tomato",), "pennant": ("leek",)},
    spots=Names(SPOTS),
    stores=Names({"cellar": ("cellar", "Cellar")}),
    sites=Names({"yard": ("yard", "Yard")}),
    grades=Names({"table": ("table", ""), "small": ("small", ""), "hurt": ("hurt", "")}),
    plantings={"pea": (PEAS,), "tomato": (BELLS, CORDS)},
    lines=Counter({("1 June 2026", "peas", 300_000, None, "table"): 1}),
    prices=frozenset(),
    waiting=lambda *_: ([(7, 2_000_000, 3_000_000)], [(7, 4000, 6000)]),
)


def told(row) -> str:
    """A row in short: where it stands, and what it says, asks or lacks."""
    said, number = row.said, row.line.number
    if row.state == "problem":
        return f"{number} ! {row.problem}"
    if row.state == "asked":
        return f"{number} ? {' '.join(q.says for q in row.asks if q.is_open)}"
    if row.state in ("known", "out"):
        return f"{number} {row.state}"
    crop = "/".join(filter(None, (said.get("crop"), said.get("variety"))))
    mass = f"{said['mass'].mass_mg / 1000:g}g" if said.get("mass") else ""
    count = f"c{said['count']}" if said.get("count") is not None else ""
    day = said["day"].day.isoformat()[2:] if said.get("day") else ""
    place = said.get("place")
    parts = (day, crop, getattr(place, "label", place), mass, count)
    return " ".join([str(number), *(str(part) for part in parts if part)])


def book(*rows, merged=(), sheets=("Harvest",), numbers=True) -> bytes:
    """A workbook with the same rows in its last sheet."""
    out = io.BytesIO()
    made = xlsxwriter.Workbook(out, {"in_memory": True, "default_date_format": "dd/mm/yyyy"})
    for name in sheets:
        sheet = made.add_worksheet(name)
    for row, cells in enumerate(rows):
        for column, cell in enumerate(cells):
            if isinstance(cell, str) and cell.startswith("="):
                formula, _, value = cell.partition("→")
                sheet.write_formula(row, column, formula, value=value)
            elif isinstance(cell, str) and not numbers:
                sheet.write_string(row, column, cell)
            elif cell is not None:
                sheet.write(row, column, cell)
    for area, text in merged:
        sheet.merge_range(area, text)
    made.close()
    return out.getvalue()


def ods(*rows) -> bytes:
    """The least open document that holds a sheet."""
    cells = "".join(
        "<table:table-row>"
        + "".join(
            '<table:table-cell office:value-type="string" calcext:value-type="string">'
            f"<text:p>{cell}</text:p></table:table-cell>"
            for cell in row
        )
        + "</table:table-row>"
        for row in rows
    )
    names = {"office": "office", "table": "table", "text": "text"}
    spaces = " ".join(
        f'xmlns:{key}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"'
        for key, name in names.items()
    )
    content = (
        f'<?xml version="1.0"?><office:document-content {spaces} '
        'xmlns:calcext="urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0" '
        'office:version="1.2"><office:body><office:spreadsheet><table:table table:name="S">'
        f"{cells}</table:table></office:spreadsheet></office:body></office:document-content>"
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        packed.writestr("content.xml", content)
        packed.writestr("META-INF/manifest.xml", "<x/>")
    return out.getvalue()


HEAD = "Day,Crop,Bed,Weight,Pieces\n"
ONE = "1 26-07-14 pea Bed 4 300g"
TWO = "2 26-07-14 pea Bed 4 300g"
ODD = {
    "plain": (f"{HEAD}14/7/2026,pea,Bed 4,300,12", ["2 26-07-14 pea Bed 4 300g c12"]),
    "semicolons": ("Day;Crop;Bed;Weight\n14/7/2026;pea;Bed 4;300", [TWO]),
    "tabs, as pasted": ("Day\tCrop\tBed\tWeight\n14/7/2026\tpea\tBed 4\t300", [TWO]),
    "bars": ("Day|Crop|Bed|Weight\n14/7/2026|pea|Bed 4|300", [TWO]),
    "the mark is said": ("sep=;\nDay;Crop;Bed;Weight\n14/7/2026;pea;Bed 4;300", [TWO]),
    "no heads": ("14/7/2026,pea,Bed 4,300", [ONE]),
    "one head is missing": ("Day,,Bed,Weight\n14/7/2026,pea,Bed 4,300", [TWO]),
    "capitals and spaces": ("  DAY , CROP ,BED, WEIGHT \n14/7/2026, PEA , bed 4 ,300", [TWO]),
    "old line ends": (f"{HEAD}14/7/2026,pea,Bed 4,300,\r".replace("\n", "\r"), [TWO]),
    "quoted commas": (f'{HEAD}"14 July, 2026","pea","Bed 4","300",', [TWO]),
    "a quotation mark left open": (f'{HEAD}14/7/2026,"pea,Bed 4,300', "none"),
    "byte order mark": (b"\xef\xbb\xbf" + f"{HEAD}14/7/2026,pea,Bed 4,300,".encode(), [TWO]),
    "utf-16": ("Day\tCrop\tBed\tWeight\n14/7/2026\tpea\tBed 4\t300".encode("utf-16"), [TWO]),
    "western letters": (
        "Day,Crop,Variety,Bed,Weight\n14/7/2026,tomato,Fl\xe2neur,Bed 1,300".encode("cp1252"),
        ["2 26-07-14 tomato/Flâneur Bed 1 300g"],
    ),
    "month first, told by one": (
        f"{HEAD}7/4/2026,pea,Bed 4,300,\n7/14/2026,pea,Bed 4,200,",
        ["2 26-07-04 pea Bed 4 300g", "3 26-07-14 pea Bed 4 200g"],
    ),
    "two orders of dates": (
        f"{HEAD}14/7/2026,pea,Bed 4,300,\n7/15/2026,pea,Bed 4,200,",
        [TWO, "3 ! “7/15/2026” cannot be read day first, as the rest of the column is."],
    ),
    "no order told: the household's": (f"{HEAD}4/7/2026,pea,Bed 4,9,", ["2 26-07-04 pea Bed 4 9g"]),
    "points in dates": (f"{HEAD}14.7.26,pea,Bed 4,300,", [TWO]),
    "dashes in dates": (f"{HEAD}14-7-2026,pea,Bed 4,300,", [TWO]),
    "with the hour": (f"{HEAD}2026-07-14 08:30:00,pea,Bed 4,300,", [TWO]),
    "in words": (f"{HEAD}14 July 2026,pea,Bed 4,300,", [TWO]),
    "day numbers": (f"{HEAD}46217,pea,Bed 4,300,", [TWO]),
    "a week": (f"{HEAD}week 29 2026,pea,Bed 4,300,", ["2 26-07-16 pea Bed 4 300g"]),
    "a day that is not": (f"{HEAD}31/2/2026,pea,Bed 4,300,", ["2 ! “31.2.2026” is no date"]),
    "a day ahead": (f"{HEAD}14/7/2027,pea,Bed 4,300,", ["2 ! 14 July 2027 has not come yet"]),
    "no day": (f"{HEAD},pea,Bed 4,300,", ["2 ! It has no day."]),
    "decimal commas": (
        "Day;Crop;Bed;kg\n14/7/2026;pea;Bed 4;0,3\n15/7/2026;pea;Bed 4;1,25",
        [TWO, "3 26-07-15 pea Bed 4 1250g"],
    ),
    "marks between thousands": (
        'Day,Crop,Bed,Weight g\n14/7/2026,pea,Bed 4,"1,300"\n15/7/2026,pea,Bed 4,"1,300.5"',
        ["2 26-07-14 pea Bed 4 1300g", "3 26-07-15 pea Bed 4 1300.5g"],
    ),
    "a hard space in thousands": (
        "Day;Crop;Bed;g\n14/7/2026;pea;Bed 4;1\u00a0300",
        ["2 26-07-14 pea Bed 4 1300g"],
    ),
    "units in the cells": (
        f"{HEAD}14/7/2026,pea,Bed 4,0.3 kg,\n15/7/2026,pea,Bed 4,2 lb 3 oz,",
        [TWO, "3 26-07-15 pea Bed 4 992.233g"],
    ),
    "the unit in the head": (
        "Date,What,Where,lbs\n14/7/2026,pea,Bed 4,1",
        ["2 26-07-14 pea Bed 4 453.592g"],
    ),
    "weight and count in one": (
        "Day,Crop,Bed,Harvest\n14/7/2026,pea,Bed 4,300 12",
        ["2 26-07-14 pea Bed 4 300g c12"],
    ),
    "counted only": ("Day,Crop,Bed,Pieces\n14/7/2026,pea,Bed 4,12.0", ["2 26-07-14 pea Bed 4 c12"]),
    "half a piece": ("Day,Crop,Bed,Pieces\n14/7/2026,pea,Bed 4,1.5", ["2 ! “1.5” is no count"]),
    "below zero": (f"{HEAD}14/7/2026,pea,Bed 4,-300,", ["2 ! “-300” is below zero"]),
    "nothing weighed": (
        f"{HEAD}14/7/2026,pea,Bed 4,,",
        ["2 ! It has neither a weight nor a count."],
    ),
    "a zero is nothing": (f"{HEAD}14/7/2026,pea,Bed 4,0,", ["2 out"]),
    "words for a weight": (
        f"{HEAD}14/7/2026,pea,Bed 4,lots,\n14/7/2026,pea,Bed 4,300,\n"
        "15/7/2026,pea,Bed 4,1,\n15/7/2026,pea,Bed 4,2,",
        [
            "2 ! “lots”",
            "3 26-07-14 pea Bed 4 300g",
            "4 26-07-15 pea Bed 4 1g",
            "5 26-07-15 pea Bed 4 2g",
        ],
    ),
    "a dash for nothing": (f"{HEAD}14/7/2026,pea,Bed 4,300,-", [TWO]),
    "a title above": (
        f"My harvest of 2026\n\n{HEAD}14/7/2026,pea,Bed 4,300,",
        ["4 26-07-14 pea Bed 4 300g"],
    ),
    "sums at the foot": (f"{HEAD}14/7/2026,pea,Bed 4,300,\nTotal,,,300,", [TWO]),
    "empty rows and columns": (
        "Day,,Crop,,Bed,Weight\n,,,,,\n14/7/2026,,pea,,Bed 4,300\n,,,,,",
        ["3 26-07-14 pea Bed 4 300g"],
    ),
    "rows of many lengths": (
        f"{HEAD}14/7/2026,pea,Bed 4,300\n15/7/2026,pea",
        [TWO, "3 ! It has neither"],
    ),
    "a column nobody asks for": (
        "Day,Mood,Crop,Bed,Weight\n14/7/2026,sunny,pea,Bed 4,300",
        [TWO],
    ),
    "crop and variety in one": (
        "Day,Crop,Pot,Weight\n14/7/2026,tomato ‘Brass Bell’,crock 3,300",
        ["2 26-07-14 tomato/Brass Bell Crock 3 300g"],
    ),
    "a variety alone": (
        "Day,Variety,Weight\n14/7/2026,Brass Bell,300",
        ["2 26-07-14 tomato/Brass Bell bells 300g"],
    ),
    "which of two": (
        "Day,Crop,Pot,Weight\n14/7/2026,tomato,crock 3,300",
        ["2 ? Which tomato in Crock 3, 2026?"],
    ),
    "slips of the finger": (
        f"{HEAD}14/7/2026,pae,Bed 4,300,\n14/7/2026,courgete,Bed 1,300,",
        ["2 ? No crop is called “pae”.", "3 ? No crop is called “courgete”."],
    ),
    "another name": (f"{HEAD}14/7/2026,Zucchini,Bed 1,300,", ["2 26-07-14 courgette Bed 1 300g"]),
    "a place nearly known": (
        f"{HEAD}14/7/2026,pea,Bed 9,300,",
        ["2 ? No place is called “Bed 9”."],
    ),
    "a place without a space": (f"{HEAD}14/7/2026,pea,bed4,300,", [TWO]),
    "no place, one planting": ("Day,Crop,Weight\n14/7/2026,pea,300", ["2 26-07-14 pea peas 300g"]),
    "no place, none on record": (
        "Day,Crop,Weight\n14/7/2026,leek,300",
        ["2 ? Some rows say no place"],
    ),
    "on record already, once": (
        f"{HEAD}1/6/2026,pea,Bed 4,300,\n1/6/2026,pea,Bed 4,300,",
        ["2 known", "3 26-06-01 pea Bed 4 300g"],
    ),
    "a grade that is none": (
        "Day,Crop,Bed,Weight,Grade\n14/7/2026,pea,Bed 4,300,table\n15/7/2026,pea,Bed 4,300,superb",
        [TWO, "3 ! “superb” is no grade."],
    ),
    "a column for each crop": (
        "Day,Pea,Courgette (g),Courgette pieces\n14/7/2026,300,500,2\n15/7/2026,,0,",
        ["2 26-07-14 pea peas 300g", "2 ? Some rows say no place", "3 out"],
    ),
    "heads in two rows": (
        ",Pea,,Courgette,\nDay,g,count,g,count\n14/7/2026,300,4,,",
        ["3 26-07-14 pea peas 300g c4"],
    ),
    "a column for each day": (
        "Crop,14/7/2026,21/7/2026\npea,300,200",
        ["2 26-07-14 pea peas 300g", "2 26-07-21 pea peas 200g"],
    ),
    "a workbook": (
        book(["Day", "Crop", "Bed", "Weight"], [date(2026, 7, 14), "pea", "Bed 4", 300.0]),
        [TWO],
    ),
    "dates as text in a workbook": (
        book(["Day", "Crop", "Bed", "Weight"], ["14/7/2026", "pea", "Bed 4", "300"], numbers=False),
        [TWO],
    ),
    "an empty sheet first": (
        book(["Day", "Crop", "Bed", "g"], ["14/7/2026", "pea", "Bed 4", 300], sheets=("A", "B")),
        [TWO],
    ),
    "formulas": (
        book(["Day", "Crop", "Bed", "g"], ["14/7/2026", "pea", "Bed 4", "=100*3→300"]),
        [TWO],
    ),
    "a formula that came to nothing": (
        book(
            ["Day", "Crop", "Bed", "g"],
            ["14/7/2026", "pea", "Bed 4", "#REF!"],
            ["14/7/2026", "pea", "Bed 4", 300],
            ["15/7/2026", "pea", "Bed 4", 1],
            ["15/7/2026", "pea", "Bed 4", 1],
        ),
        [
            "2 ! “#REF!” is a formula that came to nothing",
            "3 26-07-14 pea Bed 4 300g",
            "4 26-07-15 pea Bed 4 1g",
            "5 26-07-15 pea Bed 4 1g",
        ],
    ),
    "merged title and merged place": (
        book(
            [None],
            ["Day", "Crop", "Bed", "g"],
            [date(2026, 7, 14), "pea", None, 300],
            [date(2026, 7, 15), "pea", None, 200],
            merged=(("A1:D1", "My harvest"), ("C3:C4", "Bed 4")),
        ),
        ["3 26-07-14 pea Bed 4 300g", "4 26-07-15 pea Bed 4 200g"],
    ),
    "an open document": (
        ods(["Day", "Crop", "Bed", "g"], ["14/7/2026", "pea", "Bed 4", "300"]),
        [TWO],
    ),
    "heads and nothing else": (HEAD, "There are heads and no rows under them."),
    "nothing at all": ("\n \n", "There is nothing in it."),
    "a picture": (b"\x89PNG\r\n\x1a\n\x00\x00", "That is no table."),
    "a zip of something": (b"PK\x03\x04broken", "The file is broken."),
    "too many rows": ("14/7/2026,pea,Bed 4,300\n" * 20_100, "bring 20,000 at a time"),
}


@pytest.mark.parametrize("name", ODD)
def test_an_odd_table_is_read_or_refused_with_what_would_be_right(name):
    given, wanted = ODD[name]
    try:
        sheets = sheets_in(given if isinstance(given, bytes) else given.encode())
        found = read(sheets, Manner(), KNOWN, FINISH)
    except KilterError as error:
        assert isinstance(wanted, str)
        assert wanted in str(error)
        return
    if wanted == "none":
        assert found.lacks or not found.ready
        return
    rows = [told(row) for row in found.rows]
    assert len(rows) == len(wanted), rows
    for row, want in zip(rows, wanted, strict=True):
        assert row.startswith(want), rows


def test_what_was_chosen_goes_before_what_is_guessed():
    sheets = sheets_in(b"a,b,c,d\n4/7/2026,pea,300,5\n5/7/2026,pea,200,7")
    columns = ("day", "crop", "count", "mass")
    found = read(sheets, Manner(kind="lines", columns=columns, order="mdy"), KNOWN, FINISH)
    assert [told(row) for row in found.rows] == [
        "2 26-04-07 pea peas 5g c300",
        "3 26-05-07 pea peas 7g c200",
    ]


def test_one_answer_serves_all_rows_that_say_the_same():
    sheets = sheets_in(f"{HEAD}14/7/2026,pae,Bed 9,300,\n15/7/2026,Pae,bed 9,200,".encode())
    found = read(sheets, Manner(), KNOWN, FINISH)
    assert [(q.key, q.rows) for q in found.open_questions] == [
        ("crop:pae", [2, 3]),
        ("place:bed 9", [2, 3]),
    ]
    answers = {"crop:pae": "pea", "place:bed 9": "Bed 4"}
    found = read(sheets, Manner(answers=answers), KNOWN, FINISH)
    assert [told(row) for row in found.rows] == [TWO, "3 26-07-15 pea Bed 4 200g"]
    found = read(sheets, Manner(answers=answers | {"crop:pae": "out"}), KNOWN, FINISH)
    assert [told(row) for row in found.rows] == ["2 out", "3 out"]


def test_an_empty_day_or_place_is_as_above_where_that_is_said():
    sheets = sheets_in(f"{HEAD}14/7/2026,pea,Bed 4,300,\n,,,200,".encode())
    assert [row.state for row in read(sheets, Manner(), KNOWN, FINISH).rows] == ["ready", "problem"]
    found = read(sheets, Manner(carries=True), KNOWN, FINISH)
    assert [told(row) for row in found.rows] == [TWO, "3 26-07-14 pea Bed 4 200g"]


KINDS = {
    "plantings": (
        "Bed,Crop,Variety,Planted,How many,Spacing (cm)\nBed 4,pea,,1/3/2026,40,5\n"
        "Bed 1,leek,Pennant,1/5/2026,30,15\nBed 2,leek,,,10,15",
        ["2 known", "3 26-05-01 leek/Pennant Bed 1", "4 ! It has neither a day nor a season."],
    ),
    "places": (
        "Name,Kind,Length,Width\nBed 4,bed,3,1.2\nBed 7,,300 cm,4 ft\nBed 7,,,\nNook,,2,1",
        ["2 known", "3 Bed 7", "4 ! “Bed 7” stands in row 3 already.", "5 ? What is “Nook”"],
    ),
    "prices": (
        "Crop,Price,Per,From\npea,€ 4.50,kg,1/1/2026\nleek,0.80,each,\npea,2,sack,",
        ["2 26-01-01 pea", "3 26-01-01 leek", "4 ! “sack” is no measure of a price"],
    ),
    "store": (
        "Crop,Store,Weight,Since\nleek,Cellar,1.5 kg,1/11/2026\nleek,Cellar,0.9 kg,1/11/2026",
        ["2 26-11-01 leek 1500g", "3 ! Of leek of 2026 500 g wait to be put by."],
    ),
}


@pytest.mark.parametrize("kind", KINDS)
def test_other_kinds_are_told_by_their_heads(kind):
    given, wanted = KINDS[kind]
    found = read(sheets_in(given.encode()), Manner(), KNOWN, FINISH)
    assert found.kind.key == kind
    rows = [told(row) for row in found.rows]
    assert len(rows) == len(wanted), rows
    for row, want in zip(rows, wanted, strict=True):
        assert row.startswith(want), rows
