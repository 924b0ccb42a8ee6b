"""Nobody at the desk waits for another's work, and nothing that was sent is sent twice."""

from __future__ import annotations

import inspect
import json
import threading
from multiprocessing.connection import Listener

import pytest

from patient_needle.core.model.errors import ShotError
from patient_needle.desk import asked, process, wire
from patient_needle.desk import client as desk_client
from patient_needle.desk.answers import Answers
from patient_needle.desk.asked import Hello
from patient_needle.desk.client import DeskAwayError, DeskClient
from patient_needle.desk.locks import KeyedLocks
from patient_needle.desk.process import OpenShots

KEY = b"key of a test"
LOOK = asked.Look(take=1, garment="cape", frame=1, kind="stretch")


def test_other_keys_go_on_while_one_is_held():
    alone, reached = KeyedLocks(), threading.Event()
    with alone("a"):
        with alone("b"):
            pass
        waiting = threading.Thread(target=lambda: [None for _ in [alone("a").__enter__()]] and reached.set())
        waiting.start()
        assert not reached.wait(0.05)
    assert reached.wait(5)


def test_a_lock_is_forgotten_when_nobody_needs_it_and_let_go_when_its_work_fails():
    alone = KeyedLocks()
    with pytest.raises(ZeroDivisionError), alone("a"):
        raise ZeroDivisionError
    with alone("a"):
        pass
    assert alone._locks == {}


def test_a_shot_that_takes_long_to_read_keeps_no_other_waiting(monkeypatch):
    reading, go_on, read = threading.Event(), threading.Event(), []

    def slow(self, shot: int, number: int):
        read.append(shot)
        if shot == 1:
            reading.set()
            assert go_on.wait(20)
        return f"shot {shot}"

    monkeypatch.setattr(process.OpenShots, "_read", slow)
    shots = OpenShots(None)
    found = []
    both = [threading.Thread(target=lambda: found.append(shots.get(1, 1))) for _ in range(2)]
    for one in both:
        one.start()
    assert reading.wait(5)
    assert shots.get(2, 1) == "shot 2"
    assert found == []
    go_on.set()
    for one in both:
        one.join(5)
    assert found == ["shot 1", "shot 1"]
    assert read == [1, 2], "a shot is read once, however many ask for it"


class Dying:
    """A desk that ends with its first request, or says nothing to it."""

    def __init__(self, folder, *, silent: bool = False) -> None:
        self.path, self.heard, self._silent = folder / "desk", 0, silent
        self._listener = Listener(str(self.path), family="AF_UNIX", authkey=KEY)
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        kept = []
        while True:
            connection = self._listener.accept()
            wire.receive(connection)
            self.heard += 1
            if self._silent:
                kept.append(connection)
            else:
                connection.close()


def test_what_a_desk_died_of_is_not_sent_again(tmp_path):
    dying = Dying(tmp_path)
    with pytest.raises(DeskAwayError, match="does not answer"):
        DeskClient(dying.path, KEY).ask(LOOK)
    assert dying.heard == 1


def test_a_desk_that_is_silent_is_not_waited_for_without_end(tmp_path, monkeypatch):
    monkeypatch.setattr(desk_client, "LONGEST", 0.2)
    monkeypatch.setattr(desk_client, "HELLO", 0.2)
    silent = Dying(tmp_path, silent=True)
    with pytest.raises(DeskAwayError):
        DeskClient(silent.path, KEY).ask(LOOK)
    assert not DeskClient(silent.path, KEY).answers()


def test_a_connection_to_a_desk_that_has_ended_is_made_anew(tmp_path):
    path = tmp_path / "desk"

    def serve_one(listener: Listener) -> None:
        connection = listener.accept()
        wire.receive(connection)
        wire.send(connection, wire.Message({"hello": "desk"}))
        connection.close()
        listener.close()

    desk = DeskClient(path, KEY)
    for _ in range(2):
        serving = threading.Thread(target=serve_one, args=(Listener(str(path), family="AF_UNIX", authkey=KEY),))
        serving.start()
        assert desk.ask(Hello()).body == {"hello": "desk"}
        serving.join(5)


@pytest.mark.parametrize(("request_", "times"), [(LOOK, 1), (Hello(), 2)])
def test_only_what_is_safe_is_asked_again(tmp_path, request_, times):
    dying = Dying(tmp_path)
    with pytest.raises(DeskAwayError):
        DeskClient(dying.path, KEY).ask(request_)
    assert dying.heard == times


class Streaming:
    """A desk that answers a stream with so many messages, then ends it, faults, or dies."""

    def __init__(self, folder, messages: int, last: wire.Message | None) -> None:
        self.path, self.sent = folder / "desk", 0
        self._messages, self._last = messages, last
        self._listener = Listener(str(self.path), family="AF_UNIX", authkey=KEY)
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        while True:
            connection = self._listener.accept()
            try:
                while True:
                    wire.receive(connection)
                    for number in range(self._messages):
                        wire.send(connection, wire.Message({"number": number}))
                        self.sent += 1
                    if self._last is None:
                        connection.close()
                        break
                    wire.send(connection, self._last)
            except (OSError, EOFError):
                continue


POSITIONS = asked.Positions(shot=1, number=1, name="man", first=1, last=9)


def test_a_stream_ends_and_its_connection_serves_the_next(tmp_path):
    desk = DeskClient(Streaming(tmp_path, 3, wire.END).path, KEY)
    for _ in range(desk_client.MOST + 2):
        assert [message.body["number"] for message in desk.stream(POSITIONS)] == [0, 1, 2]


def test_a_desk_that_dies_in_mid_stream_is_told_after_what_came(tmp_path):
    stream = DeskClient(Streaming(tmp_path, 2, None).path, KEY).stream(POSITIONS)
    assert [next(stream).body["number"] for _ in range(2)] == [0, 1]
    with pytest.raises(DeskAwayError, match="does not answer"):
        next(stream)


def test_a_fault_in_mid_stream_is_raised_as_what_it_is(tmp_path):
    fault = {"kind": "ShotError", "what": "frame 7 is not there", "where": "man", "remedy": "Wait"}
    desk = DeskClient(Streaming(tmp_path, 1, wire.Message({"fault": fault})).path, KEY)
    with pytest.raises(ShotError, match="frame 7 is not there"):
        list(desk.stream(POSITIONS))


def test_who_stops_listening_leaves_no_messages_to_the_next(tmp_path):
    desk = DeskClient(Streaming(tmp_path, 5, wire.END).path, KEY)
    for _ in range(3):
        stream = desk.stream(POSITIONS)
        assert next(stream).body == {"number": 0}
        stream.close()


def test_every_verb_has_its_record_and_its_method():
    for verb, kind in asked.VERBS.items():
        parameters = set(inspect.signature(getattr(Answers, verb)).parameters) - {"self"}
        assert parameters == set(kind.model_fields), verb
    own = {name for name, _ in inspect.getmembers(Answers, inspect.isfunction) if not name.startswith("_")}
    assert own - {"answer", "stream"} == set(asked.VERBS)


@pytest.mark.parametrize(
    ("body", "says"),
    [
        ({"do": "ghost"}, "does not know 'ghost'"),
        ({"do": ["look"]}, "does not know"),
        ({}, "does not know 'None'"),
        ({"do": "look", "take": 1}, "'garment' of a request is wrong"),
        (
            {"do": "look", "take": "x", "garment": "g", "frame": 1, "kind": "stretch"},
            "'take' of a request is wrong",
        ),
        ({"do": "hello", "more": 1}, "'more' of a request is wrong"),
    ],
)
def test_a_request_that_is_none_is_named(body, says):
    with pytest.raises(ShotError, match=says):
        asked.request_of(body)
    (fault,) = process._answered(None, body)
    assert fault.body["fault"]["kind"] == "ShotError"


@pytest.mark.parametrize("kind", asked.VERBS.values())
def test_requests_come_over_as_they_were_sent(kind):
    sample = {
        "shot": 3, "number": 2, "name": "man", "garment": "cape", "sha": "ab", "files": {"a.obj": "ab"},
        "first": -4, "last": 9, "origin": (0.5, 1, 2), "direction": (0, 0, 1), "choose": {"whole": True},
        "corners": [(0, 1), (1, 0), (1, 1)], "projection": [1.0] * 16, "eye": (0, 1, 2), "facing": True,
        "frame": -7, "hold": "waist", "seen": 2, "page": "p", "less": None, "ending": ".png", "side": 64,
        "unit": "cm", "up": "z", "fitting": "hem up",
        "recipe": {"kind": "rings", "around": "man", "waist_mm": 1080, "hem_mm": 500},
        "stroke": {"hits": [[0, 0, 0, 0, 0, 1, 1]]}, "going": "a", "take": 4, "kind": "stretch",
    }  # fmt: skip
    sent = kind.model_validate({name: sample[name] for name in kind.model_fields})
    assert asked.request_of(json.loads(json.dumps(sent.body()))) == sent


def test_what_nobody_had_thought_of_is_answered_and_told():
    class Broken:
        def answer(self, request):
            raise OverflowError("Python int too large to convert to C long")

    (answer,) = process._answered(Broken(), LOOK.body())
    assert answer.body["fault"]["kind"] == "DeskFaultError"
    assert "OverflowError" in answer.body["fault"]["what"]


def test_numbers_that_json_cannot_say_do_not_leave_the_desk():
    class Odd:
        def answer(self, request):
            return wire.Message({"first": float("nan")})

    (answer,) = process._answered(Odd(), LOOK.body())
    assert answer.body == {"first": None}
