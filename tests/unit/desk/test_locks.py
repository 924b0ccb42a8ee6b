"""Nobody at the desk waits for another's work, and nothing that was sent is sent twice."""

from __future__ import annotations

import threading
from multiprocessing.connection import Listener

import pytest

from patient_needle.desk import client as desk_client
from patient_needle.desk import process, wire
from patient_needle.desk.client import Desk, DeskAwayError
from patient_needle.desk.locks import KeyedLocks
from patient_needle.desk.process import OpenShots

KEY = b"key of a test"


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
        Desk(dying.path, KEY).call("look")
    assert dying.heard == 1


def test_a_desk_that_is_silent_is_not_waited_for_without_end(tmp_path, monkeypatch):
    monkeypatch.setattr(desk_client, "LONGEST", 0.2)
    monkeypatch.setattr(desk_client, "HELLO", 0.2)
    silent = Dying(tmp_path, silent=True)
    with pytest.raises(DeskAwayError):
        Desk(silent.path, KEY).call("look")
    assert not Desk(silent.path, KEY).answers()


def test_a_connection_to_a_desk_that_has_ended_is_made_anew(tmp_path):
    path = tmp_path / "desk"

    def serve_one(listener: Listener) -> None:
        connection = listener.accept()
        wire.receive(connection)
        wire.send(connection, wire.Message({"hello": "desk"}))
        connection.close()
        listener.close()

    desk = Desk(path, KEY)
    for _ in range(2):
        serving = threading.Thread(target=serve_one, args=(Listener(str(path), family="AF_UNIX", authkey=KEY),))
        serving.start()
        assert desk.call("hello").body == {"hello": "desk"}
        serving.join(5)


def test_what_nobody_had_thought_of_is_answered_and_told():
    class Broken:
        def answer(self, request):
            raise OverflowError("Python int too large to convert to C long")

    answer = process._answered(Broken(), {"do": "pick"})
    assert answer.body["fault"]["kind"] == "DeskFaultError"
    assert "OverflowError" in answer.body["fault"]["what"]


def test_numbers_that_json_cannot_say_do_not_leave_the_desk():
    class Odd:
        def answer(self, request):
            return wire.Message({"first": float("nan")})

    assert process._answered(Odd(), {"do": "look_into"}).body == {"first": None}
