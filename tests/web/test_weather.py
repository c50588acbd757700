"""The station and its line, records from files, and what follows from them on the page."""

from __future__ import annotations

import io
import socket
import threading
from datetime import date, timedelta

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from kilter.core.errors import StationError
from kilter.core.growing.almanac import WeatherDay, frost_years
from kilter.devices.station import SimulatedStation, StreamLine, read_ahead, read_days
from kilter.drawing.weather import HEIGHT, weather_picture
from kilter.people.models import Change
from kilter.weather.actions import AHEAD_DAYS, FIRST_READ_DAYS
from kilter.weather.models import Day
from kilter.weather.queries import record_of, skies
from kilter.weather.reading import read_record
from tests.conftest import TODAY, html_of

STATION = SimulatedStation(52.4, 7, TODAY)
YEAR = read_days(STATION, date(2026, 1, 1), date(2026, 12, 31))


class Says:
    """A line that answers what it is told to."""

    def __init__(self, *answers: str) -> None:
        self.answers = answers

    def ask(self, _: str):
        yield from self.answers


def test_the_station_gives_every_day_once_and_the_same_again():
    assert [entry.day for entry in YEAR] == [
        date(2026, 1, 1) + timedelta(days=i) for i in range(365)
    ]
    assert (
        read_days(SimulatedStation(52.4, 7, TODAY), date(2026, 5, 1), date(2026, 5, 3))
        == YEAR[120:123]
    )
    assert (
        read_days(SimulatedStation(52.4, 8, TODAY), date(2026, 5, 1), date(2026, 5, 3))
        != YEAR[120:123]
    )
    assert [entry.day for entry in read_ahead(STATION, 3)] == [
        TODAY + timedelta(days=i) for i in range(3)
    ]


@pytest.mark.parametrize(
    ("latitude", "warm", "cold"), [(52.4, (7, 8), (1, 2)), (-35.0, (1, 2), (7, 8))]
)
def test_summers_are_warmer_than_winters_on_either_half(latitude, warm, cold):
    record = read_days(SimulatedStation(latitude, 3, TODAY), date(2025, 1, 1), date(2025, 12, 31))
    means = [
        sum(e.max_c + e.min_c for e in record if e.day.month in months)
        / sum(e.day.month in months for e in record)
        for months in (warm, cold)
    ]
    assert means[0] > means[1] + 8


def test_the_poles_are_colder_and_frost_is_rarer_in_the_south():
    frosts = [
        sum(
            e.min_c <= 0
            for e in read_days(
                SimulatedStation(lat, 3, TODAY), date(2025, 1, 1), date(2025, 12, 31)
            )
        )
        for lat in (20.0, 45.0, 60.0)
    ]
    assert frosts[0] == 0 < frosts[1] < frosts[2]
    (year,) = frost_years(YEAR)
    assert date(2026, 3, 1) < year.last_spring < date(2026, 6, 1)  # plausible for 52° north


def test_a_real_station_speaks_through_a_socket_as_the_simulated_one_does():
    here, there = socket.socketpair()

    def answer():
        with there.makefile("rw", encoding="utf-8") as stream:
            for line in STATION.ask(stream.readline().strip()):
                stream.write(line + "\n")
            stream.write(".\n")
            stream.flush()
        there.close()

    thread = threading.Thread(target=answer)
    thread.start()
    with (
        here,
        here.makefile("r", encoding="utf-8") as reader,
        here.makefile("w", encoding="utf-8") as writer,
    ):
        assert (
            read_days(StreamLine(reader, writer), date(2026, 5, 1), date(2026, 5, 9))
            == YEAR[120:129]
        )
    thread.join()


def test_a_station_that_hangs_up_is_told():
    line = StreamLine(io.StringIO("day 2026-05-01 min 1 max 2 rain 0\n"), io.StringIO())
    with pytest.raises(StationError, match="hung up"):
        read_days(line, date(2026, 5, 1), date(2026, 5, 2))


@pytest.mark.parametrize(
    ("answer", "says"),
    [
        ("error out of paper", "out of paper"),
        ("day 2026-05-01 min 1 max", "not a day's weather"),
        ("day soon min 1 max 2 rain 0", "cannot be read"),
        ("day 2026-05-01 min one max 2 rain 0", "cannot be read"),
        ("day 2026-05-01 min 9 max 2 rain 0", "above the maximum"),
        ("day 2026-05-01 min nan max 2 rain 0", "not between"),
    ],
)
def test_what_a_station_should_not_say_is_refused(answer, says):
    with pytest.raises(StationError, match=says):
        read_days(Says(answer), date(2026, 5, 1), date(2026, 5, 1))


@pytest.mark.parametrize(
    "request_line", ["days 2026-05-02 2026-05-01", "days x y", "ahead many", "hello", ""]
)
def test_the_simulated_station_answers_nonsense_with_an_error(request_line):
    assert next(iter(STATION.ask(request_line))).startswith("error")


def test_a_dash_is_what_is_not_known():
    assert read_days(Says("day 2026-05-01 min - max 14.0 rain -"), TODAY, TODAY) == [
        WeatherDay(date(2026, 5, 1), None, 14.0, None)
    ]


@pytest.mark.parametrize(
    "text",
    [
        "2026-05-01,4.1,15.8,0\n2026-05-02,3,14,2.4\n",
        "date;tmax;tmin;mm\n2026-05-02;14;3;2,4\n2026-05-01;15,8;4,1;0\n",
        "\ufeffDay,Min,Max,Rain\n2026-05-01,4.1,15.8,0\n\n2026-05-02,3,14,2.4\n",
    ],
)
def test_a_record_is_read_whatever_its_order_and_marks(text):
    assert read_record(text.encode()) == [
        WeatherDay(date(2026, 5, 1), 4.1, 15.8, 0.0),
        WeatherDay(date(2026, 5, 2), 3.0, 14.0, 2.4),
    ]


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        (b"", "holds no days"),
        (b"\xff\xfe", "not UTF-8"),
        (b"day,min,max\n1 May,2,3\n", "line 2: “1 May” is not a date"),
        (b"2026-05-01,low,3\n", "“low” under min is not a number"),
        (b"2026-05-01,9,3\n", "above the maximum"),
        (b"0001-05-01,1,3\n", "is not between"),
        (b"2026-05-01,x,3\n" * 14, "And 4 more"),
    ],
)
def test_a_bad_record_names_its_lines_and_nothing_is_read(raw, says):
    with pytest.raises(StationError, match=says):
        read_record(raw)


def test_reading_the_station_goes_on_where_it_left_and_is_undone(client, garden):
    address = reverse("weather:read", args=[garden.site.pk])
    page = html_of(client.post(address, follow=True))
    assert f"{FIRST_READ_DAYS} days were read" in page
    seen = Day.objects.of(garden.household).seen(garden.site)
    assert seen.count() == FIRST_READ_DAYS
    assert seen.last().day == TODAY - timedelta(days=1)
    assert "0 days were read" in html_of(client.post(address, follow=True))
    assert Day.objects.of(garden.household).ahead(TODAY).count() == AHEAD_DAYS
    for change in Change.objects.filter(says__contains="days were read"):
        client.post(reverse("people:undo", args=[change.pk]))
    assert not Day.objects.of(garden.household).exists()


def test_a_file_replaces_what_was_known_of_its_days(client, garden):
    client.post(reverse("weather:read", args=[garden.site.pk]))
    sent = SimpleUploadedFile(
        "mine.csv", b"day,min,max,rain\n2026-04-28,-3.5,9,0\n2026-07-01,14,33,0\n"
    )
    page = html_of(
        client.post(reverse("weather:bring", args=[garden.site.pk]), {"record": sent}, follow=True)
    )
    assert "2 days of weather were brought in" in page
    record = record_of(garden.household, garden.site, 2026, TODAY)
    assert record.days == (TODAY - date(2026, 1, 1)).days
    assert next(y for y in record.frosts if y.year == 2026).last_spring >= date(2026, 4, 28)
    bad = SimpleUploadedFile("mine.csv", b"2026-04-28,5,1\n")
    refused = client.post(reverse("weather:bring", args=[garden.site.pk]), {"record": bad})
    assert refused.status_code == 422
    assert "above the maximum" in html_of(refused)


def test_frost_threatens_where_the_station_or_the_record_says(garden):
    def sky():
        return skies(garden.household, TODAY).get(garden.site.pk)

    assert sky() is None
    made = {"household": garden.household, "site": garden.site}
    Day.objects.create(**made, day=date(2024, 11, 27), min_c=-1, max_c=4, ref="a")
    assert "as early as 27 November" in sky().threat
    Day.objects.create(**made, day=TODAY, min_c=1.5, max_c=4, is_ahead=True, ref="b")
    assert "1.5 °C on 23 November" in sky().threat


def test_the_picture_breaks_where_the_record_does_and_stays_in_its_box():
    drawn = weather_picture([e for e in YEAR if e.day.month != 6], 2026)
    assert len(drawn.bands) == 2
    heights = [float(pair.split(",")[1]) for band in drawn.bands for pair in band.split()]
    assert 0 <= min(heights) <= drawn.frost_y <= HEIGHT
    assert max(heights) <= HEIGHT
    assert weather_picture([], 2026).bands == ()


def test_today_says_that_a_simulated_station_is_not_to_be_relied_on(client, garden, open_planting):
    assert "simulated" not in html_of(client.get("/"))
    client.post(reverse("weather:read", args=[garden.site.pk]))
    assert "whose days are invented" in html_of(client.get("/"))
