"""What goes over the desk's socket: a JSON head, then arrays as raw little-endian bytes.

One message is one `send_bytes` for the head and one for each array it lists. Nothing is pickled.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from typing import Any


@dataclass(frozen=True)
class Packed:
    """An array as it travels: "float32", "uint32" or "uint8", its shape, its bytes in C order."""

    dtype: str
    shape: tuple[int, ...]
    data: bytes


@dataclass(frozen=True)
class Message:
    """A request (body has "do") or an answer (body has "fault" when it failed)."""

    body: dict[str, Any]
    arrays: dict[str, Packed] = field(default_factory=dict)


END = Message({"end": True})  # the last message of a stream


def send(connection: Connection, message: Message) -> None:
    """Send one message."""
    head = {"body": message.body, "arrays": {k: [p.dtype, p.shape] for k, p in message.arrays.items()}}
    connection.send_bytes(json.dumps(head).encode())
    for packed in message.arrays.values():
        connection.send_bytes(packed.data)


def receive(connection: Connection) -> Message:
    """Wait for one message; `EOFError` when the other side has gone."""
    head = json.loads(connection.recv_bytes())
    arrays = {
        name: Packed(dtype, tuple(shape), connection.recv_bytes())
        for name, (dtype, shape) in head["arrays"].items()
    }
    return Message(head["body"], arrays)
