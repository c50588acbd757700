"""The open format with all of the ground in it: what is wrong is named, old packages load."""

from __future__ import annotations

import csv
import io
import json
from datetime import date

import pytest
from django.core.management import CommandError, call_command

from kilter.exchange.dumping import package_files
from kilter.exchange.loading import load
from kilter.people.models import Household
from kilter.set_out.models import Planting, SeedLot
from kilter.weather.models import Day

OLD = {
    "sites.csv": "id,name\ns1,Yard\n",
    "places.csv": "id,site,kind,name,number,volume_l\np1,s1,pot,Pot,1,30\np2,s1,bed,Bed,,\n",
    "plantings.csv": "id,place,crop,variety,lot,season,planted_on,units\n"
    "a,p1,tomato,Brass Bell,packet 3,2026,2026-05-18,1\nb,p2,tomato,Brass Bell,Packet "
    "3,2026,2026-05-18,1\n"
    "c,p2,tomato,Aunt Cord,packet 3,2026,2026-05-18,1\n",
}
GOOD = {
    "parts": ("id,place,name,kind,start,end", "t1,p2,west,stretch,0,0.5"),
    "moves": ("id,place,day,precision,left_site", "m1,p1,2026-06-01,week,s1"),
    "mixes": ("id,name,recipe", "x1,Mix,compost 2"),
    "fills": ("id,place,day,kind,litres,mix,price", "f1,p1,2026-03-01,filled,24,x1,3.20"),
    "varieties": ("id,crop,name,days_min,days_max", "v1,tomato,Brass Bell,60,80"),
    "lots": (
        "id,crop,variety,name,kept_from,bought_count,bought_mass",
        "l1,tomato,Brass Bell,own,a,40,12 g",
    ),
    "counts": ("id,planting,day,precision,kind,count", "c1,a,2026-06-01,month,died,1"),
    "costs": ("id,planting,place,what,price", "k1,,p1,pot,4.50"),
    "happenings": (
        "id,site,place,part,planting,day,kind,lost_share",
        "h1,s1,,,,2026-07-01,drought,0.2",
    ),
    "jobs": ("id,planting,place,day,job,minutes,litres", "j1,a,,2026-07-01,water,2.5,4"),
    "weather": ("id,site,day,min_c,max_c,rain_mm", "d1,s1,2026-07-01,11.5,24,0"),
    "crops": ("id,name,small_food,counted", "cr1,tomato,no,yes"),
    "scales": ("id,name,step,limit", "sc1,kitchen,1 g,5000 g"),
    "bowls": ("id,name,mass", "b1,blue,312 g"),
    "own_measures": ("id,name", "om1,tub"),
    "weigh_ins": (
        "id,planting,weighed_on,precision,grade,count,mass,tare,give_or_take,remembered,waits,plants,loads,scale,bowl,"
        "measure,measures,cause,cleaned,topped,fullness,thinning,basket,split_by,turned_from,note",
        "w1,a,2026-08-01,,unripe,20,2 kg,312 "
        "g,,,,3,2,sc1,b1,om1,1.5,slugs,washed,topped,full,yes,,,,n\n"
        "w2,a,2026-08-09,month,table,5,400 g,,90 g,yes,,,,,,,,,,,,,bk,plants,w1,\n"
        "w3,a,2026-08-09,,table,5,,,,,yes,,,,,,,,,,,,,,,",
    ),
    "single_plants": ("id,planting,day,mass,count,note", "sp1,a,2026-08-01,118 g,4,best"),
    "renamings": ("id,planting,day,was,note", "r1,a,2026-08-01,Aunt Cord,seen"),
    "questions": (
        "id,name,address,pinned",
        "q1,Which?,compare=variety&by=kg_per_plant&crop=tomato,yes",
    ),
    "criteria": ("id,name,weight", "ct1,flavour,2"),
    "scores": (
        "id,crop,variety,criterion,season,value,judge,use,note",
        "s1,tomato,Brass Bell,ct1,2026,4,Odile,soup,sweet\ns2,tomato,Aunt Cord,ct1,2026,2,Bram,,",
    ),
    "verdicts": (
        "id,crop,variety,season,kind,reason",
        "v1,tomato,Aunt Cord,2026,no fair chance,shaded",
    ),
    "trials": (
        "id,name,crop,season,first,first_levels,second,second_levels,alike,hidden,seed",
        "tr1,Mulch?,tomato,2027,mulch,straw; none,,,water,yes,7",
    ),
    "trial_units": (
        "id,trial,place,part,number,block,first,second,planting",
        "u1,tr1,p1,,1,1,straw,,a\nu2,tr1,p2,t1,2,1,none,,",
    ),
}


#: What is written plainer than it was given.
PLAINER = {"f1": {"price": "3.2"}, "k1": {"price": "4.5"}}


@pytest.fixture
def household(db):
    return Household.objects.create(name="Loaders")


@pytest.fixture
def folder(tmp_path):
    def write(**tables: tuple[str, ...]):
        for name, text in OLD.items():
            (tmp_path / name).write_text(text)
        for name, lines in tables.items():
            (tmp_path / f"{name}.csv").write_text("\n".join(lines) + "\n")
        return tmp_path

    return write


def test_an_old_package_loads_and_its_lots_become_lots_of_their_own(folder, household):
    assert load(folder(), household).problems == ()
    lots = SeedLot.objects.of(household)
    assert sorted((lot.name, lot.variety.name) for lot in lots) == [
        ("packet 3", "Aunt Cord"),
        ("packet 3", "Brass Bell"),
    ]
    assert Planting.objects.get(ref="a").lot == Planting.objects.get(ref="b").lot
    again = load(folder(), household)
    assert sum(again.new.values()) == sum(again.changed.values()) == 0


def test_every_table_loads_comes_out_the_same_and_loads_again_unchanged(folder, household):
    whole = folder(**GOOD)
    assert load(whole, household).problems == ()
    again = load(whole, household)
    assert sum(again.new.values()) == sum(again.changed.values()) == 0
    files = package_files(household)
    renamed = {"hidden": "blinded"}
    for name, (head, rows) in GOOD.items():
        written = {row["id"]: row for row in csv.DictReader(io.StringIO(files[f"{name}.csv"]))}
        for row in csv.DictReader([head, *rows.split("\n")]):
            kept = {renamed.get(column, column): cell for column, cell in row.items() if cell}
            assert {column: written[row["id"]][column] for column in kept} == kept | PLAINER.get(
                row["id"], {}
            )


@pytest.mark.parametrize(
    ("table", "row", "says"),
    [
        ("parts", "t1,p2,west,stretch,0.6,0.5", "is not after start"),
        ("scores", "s1,tomato,Brass Bell,ct1,2026,6,Odile,soup,sweet", "is not between 1 and 5"),
        ("scores", "s1,tomato,Brass Bell,ct9,2026,4,Odile,soup,sweet", "is no id in criteria.csv"),
        ("verdicts", "v1,tomato,Aunt Cord,2026,dropped,shaded", "is none of staple"),
        ("trials", "tr1,Mulch?,tomato,2027,mulch,straw; straw,,,water,yes,7", "names a kind twice"),
        ("trial_units", "u1,tr9,p1,,1,1,straw,,a", "is no id in trials.csv"),
        ("parts", "t1,p9,west,stretch,0,0.5", "is no id in places.csv"),
        ("moves", "m1,p1,2026-06-01,fortnight,s1", "is none of day, week"),
        ("moves", "m1,p1,June,week,s1", "is not a date"),
        ("fills", "f1,p1,2026-03-01,stirred,24,x1,", "is none of filled"),
        ("fills", "f1,p1,2026-03-01,filled,-4,x1,", "is not between"),
        ("lots", "l1,tomato,,own,a,40,12", "has no unit"),
        ("counts", "c1,a,2026-06-01,,eaten,1", "is none of sown"),
        ("costs", "k1,a,p1,pot,4", "needs exactly one of planting, place"),
        ("costs", "k1,,p1,pot,", "must not be empty"),
        (
            "happenings",
            "h1,,,,,2026-07-01,drought,",
            "needs exactly one of site, place, part, planting",
        ),
        ("happenings", "h1,s1,,,,2026-07-01,drought,20", "is not between 0 and 1"),
        ("weather", "d1,s1,2026-07-01,30,24,0", "above the maximum"),
        ("own_measures", "om1,kg", "unit of weight"),
        ("weigh_ins", "w1,a,2026-08-01" + "," * 22, "a line has one of them"),
        ("weigh_ins", "w1,a,2026-08-01,,table,3,,,90 g" + "," * 17, "goes with a mass"),
        ("weigh_ins", "w1,a,2026-08-01,,table,3" + "," * 11 + "2" + "," * 9, "goes with a measure"),
        ("weigh_ins", "w1,a,2026-08-01,,table,3" + "," * 19 + "w9,", "is no id in weigh_ins.csv"),
        ("weather", "d1,s1,2026-07-01,3,24,0\nd2,s1,2026-07-01,3,24,0", "stands on line 2 already"),
    ],
)
def test_a_bad_row_is_named_and_nothing_is_written(folder, household, table, row, says):
    loaded = load(folder(**{**GOOD, table: (GOOD[table][0], row)}), household)
    assert says in " ".join(map(str, loaded.problems))
    assert f"{table}.csv, line" in str(loaded.problems[0])
    assert not Planting.objects.exists()


def test_a_day_of_weather_known_already_is_replaced_whatever_its_id(folder, household):
    load(folder(**GOOD), household)
    other = {**GOOD, "weather": (GOOD["weather"][0], "other,s1,2026-07-01,9,21,3")}
    assert load(folder(**other), household).changed["weather"] == 1
    assert Day.objects.get().min_c == 9


def test_the_commands_say_what_the_pages_do(garden, tmp_path, capsys):
    def said(*args) -> dict:
        out = io.StringIO()
        call_command(*args, "--household", "Ours", "--json", stdout=out)
        return json.loads(out.getvalue())

    Planting.objects.create(
        household=garden.household,
        place=garden.bed,
        crop=garden.crop,
        season=2026,
        units=5,
        planted_on=date(2026, 8, 10),
    )
    (lift,) = said("today")["lift"]
    assert lift["why"].startswith("due until")
    found = said("weather", "--site", "Ours site", "--read", "--year", "2025")
    assert found["days"] == 365
    assert len(found["frosts"]) == 4
    record = tmp_path / "mine.csv"
    record.write_text("day,min,max,rain\n2025-06-01,12,35,0\n")
    assert (
        said("weather", "--site", "Ours site", "--bring", str(record), "--year", "2025")["hot_days"]
        >= 1
    )
    call_command("today", "--household", "Ours")
    call_command("weather", "--household", "Ours", "--site", "Ours site")
    assert "due until" in capsys.readouterr().out
    with pytest.raises(CommandError, match="no site named"):
        call_command("weather", "--household", "Ours", "--site", "Nowhere")
    with pytest.raises(CommandError, match="There is no file"):
        call_command(
            "weather", "--household", "Ours", "--site", "Ours site", "--bring", "nothing.csv"
        )
