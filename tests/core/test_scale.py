"""The scale's line protocol, and a simulated scale that settles, trembles,
overloads and comes unplugged.
"""

from __future__ import annotations

import os
import socket
import threading
import time

import pytest

from kilter.devices import reader as reading_by_thread
from kilter.devices.reader import Scales
from kilter.devices.scale import (
    ANSWERS_WITHIN_S,
    PortScale,
    ScaleError,
    SimulatedScale,
    command,
    open_line,
    read_scale,
    serve,
    simulated_line,
)


class Clock:
    now = 0.0

    def __call__(self):
        return self.now


@pytest.fixture
def clock():
    return Clock()


@pytest.fixture
def scale(clock):
    made = SimulatedScale(clock)
    made.noise_g = 0.0
    return made


def test_a_load_wobbles_and_then_rests(scale, clock):
    scale.ask("put 340")
    clock.now = 0.1
    moving = read_scale(scale)
    assert not moving.is_steady
    assert moving.mass_mg != 340_000
    clock.now = 3.0
    assert read_scale(scale).mass_mg == 340_000
    assert (read_scale(scale).is_steady, read_scale(scale).text) == (True, "340 g")


def test_zero_tare_and_units(scale, clock):
    scale.ask("put 340")
    clock.now = 3
    command(scale, "tare")
    scale.ask("put 907.18474")
    clock.now = 6
    assert read_scale(scale).mass_mg == 907_000
    command(scale, "unit lb")
    assert read_scale(scale).text == "2.000 lb"
    assert read_scale(scale).mass_mg == pytest.approx(907_184, abs=1)
    scale.ask("take")
    clock.now = 9
    assert read_scale(scale).mass_mg < 0  # what was tared is gone


def test_it_overloads_trembles_and_drifts(scale, clock):
    scale.ask("limit 2000")
    scale.ask("put 2100")
    clock.now = 3
    assert read_scale(scale).is_overloaded
    scale.ask("take")
    scale.ask("noise 40")
    clock.now = 6
    assert not read_scale(scale).is_steady
    scale.ask("noise 0")
    scale.ask("drift 6")
    clock.now = 6 + 60
    assert read_scale(scale).mass_mg == 6000


@pytest.mark.parametrize(
    "request_",
    ["put x", "put -5", "put 1e9", "fly", "", "unit stone", "noise -1", "put nan", "line up"],
)
def test_what_it_cannot_do_it_says(scale, request_):
    assert scale.ask(request_).startswith("error")
    with pytest.raises(ScaleError, match="The scale says"):
        command(scale, request_ or "nothing")


class Said:
    """A port on which some bytes lie, and then none."""

    in_waiting = 0

    def __init__(self, said: bytes) -> None:
        self.said = said

    def read(self, size=1):
        piece, self.said = self.said[:size], self.said[size:]
        return piece

    def write(self, data):
        return len(data)

    def reset_input_buffer(self):
        pass

    def close(self):
        pass


@pytest.mark.parametrize(
    "reading", ["", "x g steady", "3 stone steady", "3 g maybe", "inf g steady"]
)
def test_answers_that_cannot_be_read_are_refused(reading):
    with pytest.raises(ScaleError, match="cannot be read"):
        read_scale(PortScale(Said(f"reading {reading}\n".encode())))


@pytest.mark.parametrize("said", [b"", b"reading 340", b"x" * 5000])
def test_what_never_ends_is_no_answer(said):
    ticks = iter(range(10**6))
    with pytest.raises(ScaleError, match=r"does not answer|cannot be read"):
        PortScale(Said(said), now=lambda: next(ticks) / 100).ask("read")


def test_over_a_real_line_and_when_the_plug_is_pulled(scale, clock):
    line = simulated_line(scale)
    scale.ask("put 500")
    clock.now = 3
    assert read_scale(line).mass_mg == 500_000
    scale.ask("unplug")
    with pytest.raises(ScaleError, match="plugged in"):
        read_scale(line)
    scale.ask("plug")
    assert read_scale(line).mass_mg == 500_000
    line.close()
    with pytest.raises(ScaleError):
        read_scale(line)


@pytest.mark.parametrize(
    ("how", "says"),
    [
        ("silent", "plugged in"),
        ("slow", "plugged in"),
        ("garbage", r"cannot be read|plugged in"),
        ("cut", "plugged in"),
    ],
)
def test_a_line_that_misbehaves_is_told_within_its_time_and_comes_back(scale, how, says):
    scale.ask(f"line {how}")
    began, line = time.monotonic(), simulated_line(scale)
    with pytest.raises(ScaleError, match=says):
        read_scale(line)
    assert time.monotonic() - began < ANSWERS_WITHIN_S + 1
    line.close()
    scale.ask("line good")
    line = simulated_line(scale)
    assert read_scale(line).mass_mg == 0
    line.close()


@pytest.fixture
def listening(scale):
    """As an adapter of a real scale would stand: a socket that answers the protocol."""
    server = socket.create_server(("127.0.0.1", 0))

    def answer():
        link, _ = server.accept()
        with link:
            serve(scale, link.detach())

    threading.Thread(target=answer, daemon=True).start()
    yield f"tcp:127.0.0.1:{server.getsockname()[1]}"
    server.close()


def test_a_scale_behind_an_address_is_spoken_to_in_the_same_way(scale, clock, listening):
    scale.ask("put 120")
    clock.now = 6
    line = open_line(listening)
    assert read_scale(line).mass_mg == 120_000
    line.close()
    for nowhere in ("tcp:127.0.0.1:1", "/nowhere/scale", "/dev/null", "/dev/ttyS0@fast"):
        with pytest.raises(ScaleError, match="no scale at"):
            open_line(nowhere)


@pytest.fixture
def scales():
    made = Scales()
    yield made
    made.close()


def polled(reader, wanted):
    """Poll as a page does until a reading is as wanted, or what is said holds a word;
    gives the longest poll too.
    """
    longest, until = 0.0, time.monotonic() + 8
    while time.monotonic() < until:
        began = time.monotonic()
        try:
            found = reader.latest().mass_mg
        except ScaleError as error:
            found = str(error)
        longest = max(longest, time.monotonic() - began)
        if found == wanted or str(wanted) in str(found):
            return longest
        time.sleep(0.02)
    raise AssertionError(f"{wanted} was not seen, but {found}")


def test_each_household_has_a_scale_of_its_own_that_comes_back_after_a_failure(scales):
    scales.simulated(1).ask("unplug")
    polled(scales.reader(1, ""), "plugged in")
    polled(scales.reader(2, ""), 0)
    scales.simulated(1).ask("plug")
    polled(scales.reader(1, ""), 0)


@pytest.fixture
def silent_path():
    """The path of a serial line whose other end never says a word."""
    master, end = os.openpty()
    yield os.ttyname(end)
    os.close(master)
    os.close(end)


def test_a_silent_scale_holds_up_no_poll_no_command_and_no_other_scale(scales, silent_path):
    silent, other = scales.reader(1, silent_path), scales.reader(2, "")
    polled(other, 0)
    assert polled(silent, "No answer for 2 s") < 0.15  # 40 ms, and what a busy machine adds
    assert polled(other, 0) < 0.15
    began = time.monotonic()
    with pytest.raises(ScaleError, match="No answer for"):
        silent.command("zero")
    assert time.monotonic() - began < 0.15


def test_what_it_said_last_at_rest_is_told_when_it_falls_silent(scales):
    scale = scales.simulated(1)
    scale.ask("noise 0")
    scale.ask("put 340")
    scale.changed_s -= 5
    polled(scales.reader(1, ""), 340_000)
    scale.ask("line silent")
    polled(scales.reader(1, ""), "The last steady reading was 340 g.")


def test_commands_reach_it_between_readings_and_what_it_refuses_is_said(scales):
    scale = scales.simulated(1)
    scale.ask("noise 0")
    scale.ask("put 340")
    scale.changed_s -= 5
    reader = scales.reader(1, "")
    polled(reader, 340_000)
    reader.command("zero")
    polled(reader, 0)
    with pytest.raises(ScaleError, match="The scale says: cannot do fly"):
        reader.command("fly")
    assert reader.latest().mass_mg == 0, "a refusal is no failure of the line"


def test_a_command_that_was_given_up_is_not_done_later(scales):
    scale = scales.simulated(1)
    scale.ask("noise 0")
    scale.ask("put 340")
    scale.changed_s -= 5
    reader = scales.reader(1, "")
    polled(reader, 340_000)
    scale.ask("line silent")
    time.sleep(0.3)  # the thread waits for an answer to its reading
    with pytest.raises(ScaleError):
        reader.command("zero")
    scale.ask("line good")
    polled(reader, 340_000)
    assert not reader._wishes


def test_nobody_asks_and_the_line_is_hung_up_until_somebody_does(scales, monkeypatch):
    monkeypatch.setattr(reading_by_thread, "RESTS_AFTER_S", 0.05)
    monkeypatch.setattr(reading_by_thread, "CLOSES_AFTER_S", 0.1)
    reader = scales.reader(1, "")
    polled(reader, 0)
    thread = reader._thread
    thread.join(5)
    assert not thread.is_alive()
    polled(reader, 0)
