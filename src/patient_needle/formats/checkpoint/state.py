"""A cloth's state in full precision, to and from a stream."""

from __future__ import annotations

from typing import BinaryIO

import numpy as np

from ...core.contact.anchors import Anchors
from ...core.solver.state import ClothState, Taken


def write_checkpoint(stream: BinaryIO, state: ClothState, frame: int) -> None:
    """Write the state at the end of `frame`."""
    np.savez(
        stream,
        frame=frame,
        positions=state.positions,
        velocities=state.velocities,
        positions_before=state.positions_before,
        velocities_before=state.velocities_before,
        last_step=state.last_step,
        anchor_triangle=state.anchors.triangle,
        anchor_coordinates=state.anchors.coordinates,
        pushed=state.pushed,
        released=state.released,
        eased=state.eased,
        taken_triangle=state.taken.triangle,
        taken_place=state.taken.place,
        taken_offset=state.taken.offset,
        taken_drift=state.taken.drift,
    )


def read_checkpoint(stream: BinaryIO) -> tuple[ClothState, int]:
    """A state written by `write_checkpoint`, and its frame."""
    with np.load(stream) as data:
        anchors = Anchors(data["anchor_triangle"], data["anchor_coordinates"])
        state = ClothState(
            data["positions"], data["velocities"], data["positions_before"], data["velocities_before"],
            float(data["last_step"]), anchors, data["pushed"], data["released"], data["eased"],
            Taken(data["taken_triangle"], data["taken_place"], data["taken_offset"], data["taken_drift"]),
        )  # fmt: skip
        return state, int(data["frame"])
