"""What a fitting and a page say to each other, as bytes: docs/fitting-protocol.md explains each message."""

from __future__ import annotations

import json
import struct
from enum import IntEnum
from typing import Any

import numpy as np

from ..core.model.errors import NeedleError

VERSION = 1
HEAD = struct.Struct("<BBHI")  # version, kind, index, step
LENGTH = struct.Struct("<I")
LARGEST = 64 << 20  # bytes of one message, far more than any outfit has


class Kind(IntEnum):
    """What a message is."""

    TOLD = 16
    POSITIONS = 17
    PIECE = 18
    REFUSED = 19
    PARKED = 20
    GIVEN = 21


def message(kind: Kind, step: int, body: bytes, index: int = 0) -> bytes:
    """A message to a page."""
    return HEAD.pack(VERSION, kind, index, step & 0xFFFFFFFF) + body


def as_json(what: dict[str, Any]) -> bytes:
    """JSON as it travels."""
    return json.dumps(what, ensure_ascii=False).encode()


def told(step: int, what: dict[str, Any]) -> bytes:
    """How everything is, in words and numbers."""
    return message(Kind.TOLD, step, as_json(what))


def refused(step: int, error: NeedleError, do: str = "") -> bytes:
    """Why something was not done."""
    fault = {"what": error.what, "where": error.where, "remedy": error.remedy, "do": do}
    return message(Kind.REFUSED, step, as_json(fault))


def floats(kind: Kind, step: int, points: np.ndarray, index: int = 0) -> bytes:
    """Positions (n, 3) m as float32."""
    return message(kind, step, np.ascontiguousarray(points, "<f4").tobytes(), index)


def framed(data: bytes) -> bytes:
    """A message as it goes over the local socket: its length before it."""
    return LENGTH.pack(len(data)) + data


LENGTH_ERROR = struct.error
