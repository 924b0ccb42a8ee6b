"""Asking the process of live fittings from another process, without the engine."""

from __future__ import annotations

import json
import socket
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..core.model.errors import NeedleError
from . import wire

PATIENCE = 60.0  # s that an answer may take: a step that is under way, and a file that is written


class FittingAwayError(NeedleError):
    """The process of live fittings does not answer."""


@dataclass(frozen=True)
class Given:
    """A fitting as it is given to be kept. head: as `serving.given` writes it; file: the fitting itself; poses:
    of each garment, positions as little-endian float32.
    """

    head: dict[str, Any]
    file: bytes
    poses: tuple[bytes, ...]


class FittingClient:
    """The process behind a local socket."""

    def __init__(self, address: Path) -> None:
        self.address = address

    def give(self, shot: int) -> Given:
        """The fitting of a shot as it is; `NeedleError` when it has none open."""
        kind, body = self._asked({"do": "give", "shot": shot})
        if kind == wire.Kind.REFUSED:
            fault = json.loads(body)
            raise NeedleError(fault["what"], where=fault["where"], remedy=fault["remedy"])
        (length,) = wire.LENGTH.unpack_from(body)
        at = wire.LENGTH.size + length
        head = json.loads(body[wire.LENGTH.size : at])
        file = body[at : at + head["file"]]
        at += len(file)
        poses = []
        for _, count in head["garments"]:
            poses.append(body[at : at + 12 * count])
            at += 12 * count
        return Given(head, file, tuple(poses))

    def _asked(self, command: dict[str, Any]) -> tuple[int, bytes]:
        try:
            with socket.socket(socket.AF_UNIX) as connection:
                connection.settimeout(PATIENCE)
                connection.connect(str(self.address))
                connection.sendall(wire.framed(json.dumps(command).encode()))
                with connection.makefile("rb") as stream:
                    (length,) = wire.LENGTH.unpack(stream.read(wire.LENGTH.size))
                    data = stream.read(length)
        except (OSError, ValueError, wire.LENGTH_ERROR) as error:
            raise FittingAwayError(
                "the fitting's process does not answer",
                remedy="It is started again by ./needle up; wait a moment",
            ) from error
        _, kind, _, _ = wire.HEAD.unpack_from(data)
        return kind, data[wire.HEAD.size :]
