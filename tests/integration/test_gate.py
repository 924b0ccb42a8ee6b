"""The gate: clients that are slow in every state hold no thread, and streams go on beside them."""

from __future__ import annotations

import contextlib
import json
import socket
import threading
import urllib.request

import pytest

from patient_needle.bootstrap import cluster
from patient_needle.bootstrap.web_process import server
from patient_needle.web import gate
from tests.houses import until

CROWD = gate.THREADS + 20


@pytest.fixture
def port(workroom, monkeypatch):
    """The application served for real, with short patience."""
    monkeypatch.setattr(gate, "HEAD", 1.0)
    monkeypatch.setattr(gate, "SPAN", 1.5)
    monkeypatch.setattr(gate, "LEAST", 1500)
    chosen = cluster.free_port(8950)
    serving = server(workroom.app.extensions["needle"], chosen)
    thread = threading.Thread(target=serving.run, daemon=True)
    thread.start()
    until(lambda: serving.started, 20)
    yield chosen
    serving.should_exit = True
    thread.join(20)


def ask(port: int, path: str, data: bytes | None = None, **headers: str) -> bytes:
    request = urllib.request.Request(f"http://127.0.0.1:{port}/api/{path}", data, headers)
    with urllib.request.urlopen(request, timeout=30) as answer:
        return answer.read()


def connected(port: int, sent: str) -> socket.socket:
    made = socket.create_connection(("127.0.0.1", port), timeout=30)
    made.sendall(sent.replace("\n", "\r\n").encode())
    return made


def received(connection: socket.socket) -> bytes:
    """Everything until the other side closes."""
    out = b""
    with connection, contextlib.suppress(ConnectionResetError):
        while piece := connection.recv(1 << 16):
            out += piece
    return out


HEAD_UNFINISHED = "GET /api/shots HTTP/1.1\nHost: 127.0.0.1\n"
BODY_UNFINISHED = (
    "POST /api/shots HTTP/1.1\nHost: 127.0.0.1\nContent-Type: application/json\nContent-Length: 4000\n\n{"
)
STREAM = "GET /api/events HTTP/1.1\nHost: 127.0.0.1\n\n"


@pytest.mark.parametrize("unfinished", [HEAD_UNFINISHED, BODY_UNFINISHED, STREAM])
def test_a_crowd_of_slow_clients_does_not_keep_a_page_waiting(port, unfinished):
    crowd = [connected(port, unfinished) for _ in range(CROWD)]
    assert json.loads(ask(port, "shots")) == []
    for one in crowd:
        one.close()


def test_a_head_that_drips_is_cut_off(port):
    connection = connected(port, HEAD_UNFINISHED)
    dripping = threading.Event()

    def drip():
        try:
            while not dripping.wait(0.2):
                connection.sendall(b"X-More: 1\r\n")
        except OSError:
            pass

    threading.Thread(target=drip, daemon=True).start()
    assert received(connection) == b""
    dripping.set()


def test_a_connection_that_says_nothing_is_closed(port):
    assert received(connected(port, "")) == b""


def test_a_body_that_does_not_get_on_is_given_up_in_words(port):
    said = received(connected(port, BODY_UNFINISHED)).decode()
    assert said.startswith("HTTP/1.1 408")
    assert "does not arrive" in said


def test_a_body_that_comes_slowly_but_gets_on_is_taken(port):
    body = json.dumps({"name": "袖"}).encode() + b" " * 6000
    head = "POST /api/shots HTTP/1.1\nHost: 127.0.0.1\nContent-Type: application/json\nConnection: close\n"
    connection = connected(port, f"{head}Content-Length: {len(body)}\n\n")
    for start in range(0, len(body), 700):
        connection.sendall(body[start : start + 700])
        threading.Event().wait(0.3)
    assert received(connection).startswith(b"HTTP/1.1 201")


def test_a_body_is_refused_by_its_head_alone(port):
    head = "PUT /api/shots/files/a.obj HTTP/1.1\nHost: 127.0.0.1\nContent-Type: application/octet-stream\n"
    said = received(connected(port, f"{head}Content-Length: 99999999999\n\n"))
    assert said.startswith(b"HTTP/1.1 413")
    assert b"100 GB, more than the 1.07 GB" in said
    said = received(connected(port, f"{head}Transfer-Encoding: chunked\n\n"))
    assert said.startswith(b"HTTP/1.1 411")
    said = received(connected(port, "POST /api/shots HTTP/1.1\nHost: evil.example\nContent-Length: 9\n\n"))
    assert said.startswith(b"HTTP/1.1 421")


def test_a_stream_hears_what_happens_and_what_it_missed(port, workroom):
    with connected(port, STREAM) as stream, stream.makefile("rb") as file:
        head = list(iter(file.readline, b"\r\n"))
        assert head[0].startswith(b"HTTP/1.1 200")
        assert not [line for line in head if line.lower().startswith((b"content-length", b"x-needle"))]
        ask(port, "shots", b'{"name": "one"}', **{"Content-Type": "application/json"})
        line = until(lambda: b'"shots"' in (got := file.readline()) and got, 20)
        assert line.startswith(b"data: ")
    again = STREAM.replace("\n\n", "\nLast-Event-ID: 0\n\n")
    with connected(port, again) as stream, stream.makefile("rb") as file:
        assert until(lambda: b'"shots"' in file.readline(), 20)


def test_an_answer_comes_whole_to_a_slow_reader(port, workroom):
    connection = connected(
        port, f"GET /api/openapi.json HTTP/1.1\nHost: 127.0.0.1:{port}\nConnection: close\n\n"
    )
    whole = ask(port, "openapi.json")
    threading.Event().wait(0.5)
    assert received(connection).endswith(whole[-1000:])
