"""A fitting to and from a stream: the cloth's state in full precision, hands, and what surrounds it."""

from __future__ import annotations

import io
import json
import zipfile
from dataclasses import dataclass
from typing import Any, BinaryIO

import numpy as np

from ...core.craft.drape.hands import Grip, Hands, Pin
from ...core.craft.drape.stance import Stance
from ...core.geometry.binding import Binding
from ...core.model.errors import FileError
from ...core.model.typed import Points
from ...core.solver.state import ClothState
from ..checkpoint.state import read_checkpoint, write_checkpoint

VERSION = 1
GRIP = ("vertices", "share", "was", "at", "corners", "weights")


@dataclass(frozen=True, eq=False)
class WrittenFitting:
    """A fitting at one step: garments with their counts of vertices, in order, and all that is needed to go on
    from there; hard: its next step begins with the matrix's own factor.
    """

    garments: tuple[tuple[str, int], ...]
    state: ClothState
    hands: Hands
    stance: Stance
    step: int
    hard: bool = False

    def positions(self, garment: str) -> Points:
        """Where one garment is (n, 3) m; `KeyError` for one that is not in it."""
        start = 0
        for name, count in self.garments:
            if name == garment:
                return self.state.positions[start : start + count]
            start += count
        raise KeyError(garment)


def write_fitting(stream: BinaryIO, fitting: WrittenFitting) -> None:
    """Write it. What is pulled is let go: hands do not stay on what is kept."""
    state = io.BytesIO()
    write_checkpoint(state, fitting.state, 0)
    hands, stance = fitting.hands, fitting.stance
    arrays: dict[str, Any] = {
        "state": np.frombuffer(state.getvalue(), np.uint8), "parked": hands.parked,
        "clearance": stance.clearance, "present": stance.present,
    }  # fmt: skip
    pins = []
    for index, pin in enumerate(hands.pins):
        for name in GRIP:
            arrays[f"pin{index}_{name}"] = getattr(pin.grip, name)
        arrays[f"pin{index}_places"] = pin.places
        if pin.binding is not None:
            arrays[f"pin{index}_triangle"] = pin.binding.triangle
            arrays[f"pin{index}_rows"] = pin.binding.rows()
        pins.append({"number": pin.number, "garment": pin.grip.garment, "reach": pin.grip.reach, "on": pin.on})
    words = {
        "format": "patient-needle-fitting", "version": VERSION, "garments": fitting.garments, "pins": pins,
        "weight": hands.weight, "next_pin": hands.next_pin, "time": stance.time, "out": sorted(stance.out),
        "friction": stance.friction, "step": fitting.step, "hard": fitting.hard,
    }  # fmt: skip
    arrays["words"] = np.frombuffer(json.dumps(words).encode(), np.uint8)
    np.savez(stream, **arrays)


def read_fitting(stream: BinaryIO, where: str, triangles: np.ndarray | None = None) -> WrittenFitting:
    """A fitting that `write_fitting` wrote. triangles (m, 3) of the colliders, which pins on bodies need.

    `FileError` for anything else, and for arrays that do not go together.
    """
    try:
        _check_plain(stream)
        with np.load(stream) as data:
            return _read(data, triangles)
    except (MemoryError, ValueError, KeyError, OSError, EOFError, TypeError, zipfile.BadZipFile) as error:
        raise FileError(
            f"this is no fitting of ours ({error})", where=where, remedy="Keep the fitting again"
        ) from None


def _read(data: Any, triangles: np.ndarray | None) -> WrittenFitting:
    words = json.loads(data["words"].tobytes())
    if words["format"] != "patient-needle-fitting" or words["version"] != VERSION:
        raise ValueError(f"version {words['version']} is not known")
    inner = io.BytesIO(data["state"].tobytes())
    _check_plain(inner)
    state, _ = read_checkpoint(inner)
    garments = tuple((str(name), int(count)) for name, count in words["garments"])
    count = sum(each for _, each in garments)
    parked = np.asarray(data["parked"], bool)
    if (
        state.positions.shape != (count, 3)
        or parked.shape != (count,)
        or not np.isfinite(state.positions).all()
    ):
        raise ValueError(f"its arrays are not of {count} vertices")
    pins = []
    for index, pin in enumerate(words["pins"]):
        arrays = {name: data[f"pin{index}_{name}"] for name in GRIP}
        grip = Grip(garment=pin["garment"], reach=float(pin["reach"]), **arrays)
        places, binding, held = data[f"pin{index}_places"], None, len(grip.vertices)
        _within(grip.vertices, count, (held,))
        _sound(grip.share, (held,))
        _between([grip.reach, *grip.share], 1e-9, 1e3)
        _sound(places, (held, 3))
        if f"pin{index}_rows" in data and triangles is not None:
            triangle, rows = data[f"pin{index}_triangle"], data[f"pin{index}_rows"]
            _within(triangle, len(triangles), (held,))
            _sound(rows, (held, 7))
            binding = Binding.of_rows(triangles, triangle, rows)
        on = pin["on"] if binding is not None else ""
        pins.append(Pin(int(pin["number"]), grip, places, binding, on))
    time = float(words["time"])
    clearance, present = data["clearance"], data["present"]
    _between([0.0, *clearance[~np.isnan(clearance)], *present[~np.isnan(present)]], 0.0, 1e3)
    _between([float(value) for _, value in words["friction"]], 0.0, 1e3)
    _between([float(words["weight"])], 0.0, 1.0)
    if clearance.shape != present.shape or clearance.ndim != 1:
        raise ValueError("its clearances are of two figures")
    stance = Stance(
        time, time, clearance, present, frozenset(words["out"]), (),
        tuple((str(name), float(value)) for name, value in words["friction"]),
    )  # fmt: skip
    hands = Hands(parked, (), tuple(pins), None, float(words["weight"]), int(words["next_pin"]))
    return WrittenFitting(garments, state, hands, stance, int(words["step"]), bool(words.get("hard", False)))


def _check_plain(stream: BinaryIO) -> None:
    """Ours are not compressed, so that none is larger in memory than on the disk."""
    with zipfile.ZipFile(stream) as archive:
        if any(one.compress_type != zipfile.ZIP_STORED for one in archive.infolist()):
            raise ValueError("it is compressed")
    stream.seek(0)


def _between(values: list[float], low: float, high: float) -> None:
    if not all(low <= value <= high for value in values):
        raise ValueError("it has numbers that nothing of ours has")


def _within(indices: np.ndarray, count: int, shape: tuple[int, ...]) -> None:
    whole = indices.dtype.kind == "i" and indices.shape == shape
    if not whole or (indices.size and not (indices.min() >= 0 and indices.max() < count)):
        raise ValueError("it names what is not there")


def _sound(values: np.ndarray, shape: tuple[int, ...]) -> None:
    if values.dtype.kind != "f" or values.shape != shape or not np.isfinite(values).all():
        raise ValueError("it has numbers that are none, or another count of them")
