"""A small WebSocket client (RFC 6455) for tests, over wsproto; it can be as rude as a test wants."""

from __future__ import annotations

import json
import socket
import struct
import time
from dataclasses import dataclass, field

from wsproto import ConnectionType, WSConnection
from wsproto.events import (
    AcceptConnection,
    BytesMessage,
    CloseConnection,
    Ping,
    RejectConnection,
    Request,
    TextMessage,
)

HEAD = struct.Struct("<BBHI")
OPEN: list[Talk] = []  # every socket of a test, for `hang_up`


class RefusedError(Exception):
    """The handshake was refused; the status is its argument."""


@dataclass
class Talk:
    """One socket to a fitting. told: the latest telling; refused and lost: what was, in order."""

    port: int
    host: str = "127.0.0.1"
    origin: str | None = None
    told: dict = field(default_factory=dict)
    refused: list = field(default_factory=list)
    lost: list = field(default_factory=list)
    positions: bytes = b""
    step: int = -1
    frames: int = 0
    tellings: int = 0
    closed: tuple[int, str] | None = None

    def __post_init__(self) -> None:
        self.line = socket.create_connection(("127.0.0.1", self.port), timeout=30)
        OPEN.append(self)
        self.parser = WSConnection(ConnectionType.CLIENT)
        origin = [] if self.origin is None else [(b"Origin", self.origin.encode())]
        request = Request(host=f"{self.host}:{self.port}", target="/api/fitting", extra_headers=origin)
        self.line.sendall(self.parser.send(request))
        self._pieces: list[bytes] = []
        self._open = False
        while not self._open:
            self._hear(30)

    def ask(self, **command) -> None:
        """Send a command."""
        self.send(json.dumps(command).encode())

    def send(self, data: bytes) -> None:
        """Send anything."""
        self.line.sendall(self.parser.send(BytesMessage(data=data)))

    def until(self, condition, seconds: float = 60.0):
        """Listen until `condition(self)` gives something true, and return it."""
        deadline = time.monotonic() + seconds
        while not (found := condition(self)):
            assert time.monotonic() < deadline, (
                f"not in {seconds:g} s; told {self.told}, refused {self.refused}"
            )
            assert self.closed is None, f"closed: {self.closed}"
            self._hear(deadline - time.monotonic())
        return found

    def hold(self) -> None:
        """Hold it still, and hear all that it has said by then."""
        self.ask(do="hold")
        self.until(lambda t: t.told and not t.told["running"])
        time.sleep(0.3)
        before = self.tellings
        self.ask(do="stand")
        self.until(lambda t: t.tellings > before)

    def gone(self, seconds: float = 30.0) -> tuple[int, str]:
        """Listen until the other side closes; its code and reason."""
        deadline = time.monotonic() + seconds
        while self.closed is None:
            self._hear(deadline - time.monotonic())
        return self.closed

    def close(self) -> None:
        """Hang up."""
        self.line.close()

    def _hear(self, seconds: float) -> None:
        self.line.settimeout(max(0.01, seconds))
        data = self.line.recv(1 << 18)
        self.parser.receive_data(data or None)
        for event in self.parser.events():
            match event:
                case AcceptConnection():
                    self._open = True
                case RejectConnection():
                    raise RefusedError(event.status_code)
                case CloseConnection():
                    self.closed = (event.code, event.reason or "")
                case Ping():
                    self.line.sendall(self.parser.send(event.response()))
                case BytesMessage() | TextMessage():
                    self._pieces.append(bytes(event.data))
                    if event.message_finished:
                        self._take(b"".join(self._pieces))
                        self._pieces = []
        if not data and self.closed is None:
            self.closed = (1006, "")

    def _take(self, data: bytes) -> None:
        version, kind, _, step = HEAD.unpack_from(data)
        assert version == 1
        body = data[HEAD.size :]
        if kind == 16:
            said = json.loads(body)
            self.told = {} if "opening" in said else said
            self.frames = 0 if "opening" in said else self.frames
            self.lost += said.get("lost", [])
            self.tellings += 1
        elif kind == 17:
            assert step >= self.step or self.frames == 0
            self.positions, self.step, self.frames = body, step, self.frames + 1
        elif kind == 19:
            self.refused.append(json.loads(body))


def hang_up() -> None:
    """Close every socket."""
    while OPEN:
        OPEN.pop().close()
