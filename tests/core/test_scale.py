"""The scale's line protocol, and a simulated scale that settles, trembles, overloads and comes unplugged."""

from __future__ import annotations

import io
import socket
import threading

import pytest

from kilter.devices.scale import (
    ScaleError,
    Scales,
    SimulatedScale,
    StreamScale,
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


@pytest.mark.parametrize("request_", ["put x", "put -5", "put 1e9", "fly", "", "unit stone", "noise -1", "put nan"])
def test_what_it_cannot_do_it_says(scale, request_):
    assert scale.ask(request_).startswith("error")
    with pytest.raises(ScaleError, match="The scale says"):
        command(scale, request_ or "nothing")


@pytest.mark.parametrize("reading", ["", "x g steady", "3 stone steady", "3 g maybe", "inf g steady"])
def test_answers_that_cannot_be_read_are_refused(reading):
    with pytest.raises(ScaleError):
        read_scale(StreamScale(io.StringIO(f"reading {reading}\n"), io.StringIO()))


def test_over_a_real_stream_and_when_the_plug_is_pulled(scale, clock):
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


def test_a_scale_behind_an_address_is_spoken_to_in_the_same_way(scale, clock):
    """As an adapter of a real scale would stand: a socket that answers the protocol."""
    server = socket.create_server(("127.0.0.1", 0))

    def answer():
        link, _ = server.accept()
        with link:
            streams = link.makefile("r", encoding="ascii"), link.makefile("w", encoding="ascii")
        serve(scale, *streams)

    threading.Thread(target=answer, daemon=True).start()
    clock.now = 3
    scale.ask("put 120")
    clock.now = 6
    scales = Scales()
    address = f"tcp:127.0.0.1:{server.getsockname()[1]}"
    assert scales.ask(1, address, read_scale).mass_mg == 120_000
    scales.close()
    server.close()
    with pytest.raises(ScaleError, match="no scale at"):
        open_line("tcp:127.0.0.1:1")
    with pytest.raises(ScaleError, match="no scale at"):
        open_line("/nowhere/scale")


def test_each_household_has_a_scale_of_its_own_that_comes_back_after_a_failure():
    scales = Scales()
    scales.simulated(1).ask("unplug")
    with pytest.raises(ScaleError):
        scales.ask(1, "", read_scale)
    assert scales.ask(2, "", read_scale) is not None
    scales.simulated(1).ask("plug")
    assert scales.ask(1, "", read_scale) is not None
    scales.close()
