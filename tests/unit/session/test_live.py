"""A live fitting without its socket: commands, their log, going on from what was written down."""

from __future__ import annotations

import base64
import io
import json
from dataclasses import replace

import numpy as np
import pytest

from patient_needle.core.model.errors import FileError, NeedleError, ShotError
from patient_needle.formats.fitting.written import read_fitting, write_fitting
from patient_needle.session import wire
from patient_needle.session.commands import LONGEST, BadCommandError, command_of
from patient_needle.session.live import Live, Logged, replayed
from tests.fitted import crossings, curtain, fitted, pillar, post, shot, spot, tube

SHOT = shot(pillar(), garment=curtain())


def asked(**command):
    return command_of(json.dumps(command).encode())


def pulled(live: Live, near=(0.1, 0.4, 0.11), **more):
    corners, weights = spot(live.fitting, near)
    return asked(do="pull", garment="curtain", corners=corners.tolist(), weights=weights.tolist(), **more)


def worked(live: Live) -> None:
    """Half a minute of an artist's work."""
    live.do(asked(do="fall"))
    for step in range(40):
        if step == 3:
            live.do(pulled(live, reach_mm=80))
        if 3 < step < 18:
            live.do(asked(do="draw", to=[0.1 + 0.01 * step, 0.4, 0.11 + 0.01 * step]))
        if step == 10:
            live.do(asked(do="reach", reach_mm=50))
        if step == 18:
            live.do(asked(do="pin", on="space"))
        if step == 22:
            live.do(asked(do="clearance", member="pillar", mm=8, places=[[0, 0.5, 0.1]], radius_mm=300))
            live.do(asked(do="friction", member="pillar", value=0.6))
        if step == 26:
            live.do(asked(do="park", garment="curtain", bits=half(live), parked=True))
        if step == 30:
            live.do(asked(do="weight", share=0.5))
        if step == 34:
            live.do(asked(do="back"))
        live.step()


def half(live: Live) -> str:
    high = live.fitting.state.positions[:, 1] > 0.75
    return base64.b64encode(np.packbits(high).tobytes()).decode()


def test_a_log_played_again_gives_the_same_bits():
    live, again = Live(fitted(SHOT)), Live(fitted(SHOT))
    worked(live)
    log = [Logged.read(one.line()) for one in live.log]  # as it stands in a file
    replayed(again, log, live.fitting.step_number)
    assert live.fitting.state.positions.tobytes() == again.fitting.state.positions.tobytes()
    assert live.fitting.state.velocities.tobytes() == again.fitting.state.velocities.tobytes()
    assert [pin.number for pin in again.fitting.hands.pins] == [1]
    assert crossings(live.fitting) == 0


def test_what_was_written_down_goes_on_to_the_same_bits():
    live = Live(fitted(SHOT))
    worked(live)
    live.do(asked(do="let go"))
    stream = io.BytesIO()
    write_fitting(stream, live.written())
    stream.seek(0)
    fresh = fitted(SHOT)
    run = fresh._run
    again = Live.resumed(run, read_fitting(stream, "test", run.colliders.triangles))
    for _ in range(6):
        live.step()
        again.step()
    assert live.fitting.state.positions.tobytes() == again.fitting.state.positions.tobytes()
    assert again.said()["pins"] == live.said()["pins"]
    assert again.said()["garments"] == [{"name": "curtain", "vertices": run.outfit.count, "parked": 0}]


def test_a_fitting_of_other_garments_or_a_figure_that_was_replaced_is_refused():
    kept = Live(fitted(SHOT)).written()
    with pytest.raises(ShotError, match="other garments"):
        Live.resumed(fitted(shot(post(), garment=tube()))._run, kept)
    with pytest.raises(ShotError, match="figure was replaced"):
        Live.resumed(fitted(shot(pillar(), post(), garment=curtain()))._run, kept)


@pytest.mark.parametrize("data", [b"", b"PK\x03\x04 no archive", b"\x93NUMPY"])
def test_a_file_that_is_no_fitting_is_refused(data):
    with pytest.raises(FileError, match="no fitting of ours"):
        read_fitting(io.BytesIO(data), "first fall.fitting")


def test_a_fitting_that_names_what_is_not_there_is_refused():
    """Such a file may come with a shot from elsewhere, and kernels do not look at indices."""
    live = Live(fitted(SHOT))
    live.do(pulled(live))
    live.do(asked(do="pin", on="body"))
    kept = live.written()
    run = live.fitting._run
    wild = np.full_like(kept.state.anchors.triangle, 10**6)
    anchors = replace(kept.state.anchors, triangle=wild)
    with pytest.raises(ShotError, match="not whole"):
        Live.resumed(run, replace(kept, state=kept.state.replace(anchors=anchors)))
    with pytest.raises(ShotError, match="not whole"):
        Live.resumed(run, replace(kept, state=kept.state.replace(velocities=kept.state.velocities * np.nan)))
    (pin,) = kept.hands.pins
    vertices = np.full_like(pin.grip.vertices, 10**6)
    pins = (replace(pin, grip=replace(pin.grip, vertices=vertices)),)
    stream = io.BytesIO()
    write_fitting(stream, replace(kept, hands=replace(kept.hands, pins=pins)))
    stream.seek(0)
    with pytest.raises(FileError, match="names what is not there"):
        read_fitting(stream, "a zip", run.colliders.triangles)
    with pytest.raises(ShotError, match="stands at frame 5000"):
        Live.resumed(run, replace(kept, stance=replace(kept.stance, time=5000.0)))
    for stance, hands in (
        (replace(kept.stance, friction=(("pillar", -1.0),)), kept.hands),
        (replace(kept.stance, clearance=np.full_like(kept.stance.clearance, -1.0)), kept.hands),
        (kept.stance, replace(kept.hands, weight=float("nan"))),
        (kept.stance, replace(kept.hands, pins=(replace(pin, grip=replace(pin.grip, reach=-1.0)),))),
    ):
        stream = io.BytesIO()
        write_fitting(stream, replace(kept, stance=stance, hands=hands))
        stream.seek(0)
        with pytest.raises(FileError, match="numbers that nothing of ours has"):
            read_fitting(stream, "a zip", run.colliders.triangles)


def test_a_fitting_that_unpacks_to_more_than_it_is_is_refused():
    stream = io.BytesIO()
    np.savez_compressed(stream, words=np.zeros(10_000_000, np.uint8))
    stream.seek(0)
    with pytest.raises(FileError, match="it is compressed"):
        read_fitting(stream, "a zip")


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"\xff\x00garbage", "not understood"),
        (b"[]", "not understood"),
        (b'{"do": "fly"}', "not understood"),
        (b'{"do": "draw", "to": [1, 2, NaN]}', "finite"),
        (b'{"do": "draw", "to": [1, 2, 1e9]}', "less than or equal"),
        (b'{"do": "draw", "to": [1, 2]}', "not understood"),
        (b'{"do": "fall", "more": 1}', "Extra inputs"),
        (b'{"do": "pull", "garment": "c", "corners": [0, 1, -2], "weights": [1, 0, 0]}', "greater than"),
        (b'{"do": "open", "version": 2, "shot": 1, "revision": 1}', "version 2"),
        (b"[" * 5000, "not understood"),
        (b'{"do": "fall"}' + b" " * LONGEST, "more than"),
    ],
)
def test_what_is_no_command_is_refused_in_words(data, says):
    with pytest.raises(BadCommandError, match=says):
        command_of(data)


def test_flags_of_another_count_and_places_without_weights_change_nothing():
    live = Live(fitted(SHOT))
    before = live.fitting.hands
    for command in (
        asked(do="park", garment="curtain", bits="AAAA"),
        asked(do="park", garment="curtain", bits="no base 64"),
        asked(do="pull", garment="curtain", corners=[0, 1, 2], weights=[0, 0, 0]),
        asked(do="free pin", number=3),
        asked(do="walk", to=5),
        asked(do="piece", name="nobody", comes=True),
    ):
        with pytest.raises(NeedleError):
            live.do(command)
    assert live.fitting.hands is before
    assert live.log == []


def test_it_moves_while_hands_are_on_it_and_stands_when_held():
    live = Live(fitted(SHOT))
    assert not live.moves
    live.do(asked(do="one step"))
    live.step()
    assert not live.moves
    live.do(pulled(live))
    assert live.moves
    live.do(asked(do="let go"))
    assert not live.moves
    live.do(asked(do="walk", to=1005))
    assert live.moves
    live.do(asked(do="hold"))
    assert not live.moves
    live.do(asked(do="to rest", until_mm=0.2, seconds=0.1, keep="first fall"))
    while live.moves:
        live.step()
    assert live.fitting.resting is None
    assert live.keep_as == "first fall"


def test_messages_have_their_version_kind_and_step():
    data = wire.floats(wire.Kind.POSITIONS, 70_000, np.array([[1.0, 2, 3]]), 4)
    assert wire.HEAD.unpack_from(data) == (1, 17, 4, 70_000)
    assert np.frombuffer(data[wire.HEAD.size :], "<f4").tolist() == [1, 2, 3]
    assert wire.framed(b"ab") == b"\x02\x00\x00\x00ab"
