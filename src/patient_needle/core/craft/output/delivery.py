"""A delivery: a take's frames in another department's unit, axis and rate, and the checks on them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from ...geometry.motion import CachedMotion
from ...geometry.topology import triangulated
from ...model.mesh import Mesh
from ...model.motion import FrameSource, Window
from ...model.shot import ShotPlan
from ...model.tolerances import DELIVERY_ERROR
from ...model.typed import Points
from ...model.units import metres_per
from ..inspect.showing import Showing, bodies_of, shown_through

Y_UP_TO_Z_UP = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])


class Samples(Protocol):
    """Samples (f, n, 3) float32 of a file: an array, or what reads them one after the other."""

    @property
    def shape(self) -> tuple[int, ...]:
        """(f, n, 3)."""

    def __len__(self) -> int: ...

    def __iter__(self) -> Iterator[NDArray[np.float32]]: ...


@dataclass(frozen=True)
class Wanted:
    """unit and up of the file; frame_rate written; first and last frame, both in, as numbered in the shot."""

    unit: str
    up: str
    frame_rate: float
    first: int
    last: int


@dataclass(frozen=True)
class Check:
    """One thing that was looked at in the written file: its name, what was found, whether it is good; note:
    it informs and refuses nothing, and somebody should look.
    """

    name: str
    said: str
    good: bool
    note: bool = False


def placement(wanted: Wanted) -> NDArray[np.float64]:
    """The (3, 3) matrix from metres, Y up, to the file's unit and axis."""
    turn = Y_UP_TO_Z_UP if wanted.up == "z" else np.eye(3)
    return turn / metres_per(wanted.unit, where="delivery")


def sample_count(wanted: Wanted, shot_rate: float) -> int:
    """Samples that the range gives at the rate wanted: the first frame, and every one that fits after it."""
    return int(np.floor((wanted.last - wanted.first) / shot_rate * wanted.frame_rate + 1e-9)) + 1


def resampled(source: FrameSource, wanted: Wanted) -> Iterator[Points]:
    """Positions (n, 3) m at each sample wanted, read from the source as they are needed.

    At the source's own rate they are its frames; at another, a cubic through them in time.
    """
    frames = Window(source)
    motion = CachedMotion(np.asarray(frames[0], float), frames, source.first)
    for time in sample_times(wanted, source.rate):
        yield motion.at(time)


def sample_times(wanted: Wanted, shot_rate: float) -> list[float]:
    """The frame in the shot of each sample wanted."""
    count = sample_count(wanted, shot_rate)
    return [min(wanted.first + k * shot_rate / wanted.frame_rate, wanted.last) for k in range(count)]


def check_written(
    mesh: Mesh,
    written: Samples,
    corners: Sequence[int] | None,
    said_timing: tuple[float | None, float | None],
    expected: Iterable[Points],
    wanted: Wanted,
    count: int,
) -> tuple[Check, ...]:
    """What a delivery's file holds against what it should; both are read a frame at a time.

    mesh: the garment as it was brought in; written (f, n, 3) as read back, in the file's unit; corners: the
    file's face corners as one list, None where the format has none; said_timing: first frame and rate as the
    file says, each None where it does not; expected: `count` samples (n, 3) m.
    """
    counts = _counts(mesh, written, corners)
    if not all(check.good for check in counts):
        return counts
    timing = _timing(len(written), said_timing, count, wanted)
    if len(written) != count:
        return (*counts, timing)
    seen = _compared(written, expected, np.linalg.inv(placement(wanted)).T)
    return (*counts, timing, _bounds(seen, wanted), _error(seen))


@dataclass(frozen=True)
class _Seen:
    """Of all samples of a file: whether all are numbers, the lowest and highest corner (3,) in its unit, and
    the largest error in m with its sample and vertex.
    """

    finite: bool
    low: NDArray[np.float32]
    high: NDArray[np.float32]
    worst: float
    sample: int
    vertex: int


def _compared(written: Samples, expected: Iterable[Points], back: NDArray[Any]) -> _Seen:
    finite, worst, at = True, -1.0, (0, 0)
    low, high = np.full(3, np.inf, np.float32), np.full(3, -np.inf, np.float32)
    for sample, (there, should) in enumerate(zip(written, expected, strict=True)):
        finite &= bool(np.isfinite(there).all())
        low, high = np.minimum(low, there.min(axis=0)), np.maximum(high, there.max(axis=0))
        error = np.linalg.norm(np.asarray(there, float) @ back - should, axis=1)
        vertex = int(np.argmax(error))
        if not (error[vertex] <= worst or np.isnan(worst)):
            worst, at = float(error[vertex]), (sample, vertex)
    return _Seen(finite, low, high, worst, *at)


def check_bodies(plan: ShotPlan, mesh: Mesh, written: Samples, wanted: Wanted) -> tuple[Check, ...]:
    """How much of each full body shows through the written cloth (f, n, 3), in the file's unit: counted exactly
    at every sample, whatever stood in for the body in the run.
    """
    bodies = bodies_of(plan)
    if not bodies:
        return ()
    back = np.linalg.inv(placement(wanted)).T
    triangles = triangulated(mesh).triangles
    times = sample_times(wanted, plan.frame_rate)
    every = [
        shown_through(bodies, triangles, np.asarray(points, float) @ back, time)
        for points, time in zip(written, times, strict=True)
    ]
    return tuple(_shown(body.member.name, every, times) for body in bodies)


def _shown(name: str, every: Sequence[tuple[Showing, ...]], times: Sequence[float]) -> Check:
    said, notable = [], False
    for left_out, what in ((False, f"'{name}', counted in full,"), (True, "what is left out of it by choice")):
        own = [[one for one in showing if (one.of, one.left_out) == (name, left_out)] for showing in every]
        if left_out and not any(own):
            continue
        area = [max((one.area for one in found if one.crossings or one.area), default=-1.0) for found in own]
        worst = int(np.argmax(area))
        frames = sum(value >= 0 for value in area)
        notable |= frames > 0 and not left_out
        if frames == 0:
            said.append(f"{what} shows through nowhere")
        else:
            said.append(
                f"{what} shows through in {frames} of {len(every)} samples, most at frame {times[worst]:g}, "
                f"where {area[worst] * 1e4:.1f} cm2 of cloth cross it or lie in it"
            )
    return Check("Full body", "; ".join(said), True, notable)


def _counts(mesh: Mesh, written: Samples, corners: Sequence[int] | None) -> tuple[Check, ...]:
    count = written.shape[1]
    counted = Check(
        "Vertex count",
        f"{count:,} vertices, as the garment has in the shot"
        if count == mesh.vertex_count
        else f"{count:,} vertices, but the garment has {mesh.vertex_count:,}",
        count == mesh.vertex_count,
    )
    if corners is None:
        order = Check(
            "Vertex order", "the format holds no faces; the order is proved by the largest error below", True
        )
    else:
        same = np.array_equal(np.asarray(corners), mesh.face_corners)
        order = Check(
            "Vertex order",
            f"all {mesh.face_count:,} faces name the same vertices in the same order"
            if same
            else "the faces name other vertices than the garment's",
            same,
        )
    return counted, order


def _timing(found: int, said: tuple[float | None, float | None], count: int, wanted: Wanted) -> Check:
    good = found == count
    text = f"{found} samples from frame {wanted.first}, {wanted.frame_rate:g} a second"
    if not good:
        text = f"{found} samples, but {count} were wanted"
    for what, value, should in (
        ("starts at frame", said[0], wanted.first),
        ("runs at", said[1], wanted.frame_rate),
    ):
        if value is not None and abs(value - should) > 1e-3:
            good, text = False, f"the file {what} {value:g}, not {should:g}"
    return Check("Range and rate", text, good)


def _bounds(seen: _Seen, wanted: Wanted) -> Check:
    low, high = seen.low, seen.high
    digits = max(0, round(np.log10(metres_per(wanted.unit, where="delivery") * 1000)))  # to the millimetre
    size = " x ".join(f"{v:.{digits}f}" for v in high - low)
    up = 2 if wanted.up == "z" else 1
    text = (
        f"{size} {wanted.unit} over the range, {wanted.up.upper()} up, "
        f"from {low[up]:.{digits}f} to {high[up]:.{digits}f} {wanted.unit} in height"
    )
    return Check("Bounds", text if seen.finite else "some positions are not numbers", seen.finite)


def _error(seen: _Seen) -> Check:
    return Check(
        "Largest error",
        f"{seen.worst * 1e3:.2g} mm from the take, at sample {seen.sample + 1}, vertex {seen.vertex}",
        0 <= seen.worst <= DELIVERY_ERROR,
    )
