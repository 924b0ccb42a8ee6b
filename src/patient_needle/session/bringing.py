"""Caches from elsewhere: read, held against the garment they are of, and refused with what is wrong."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..core.craft.inspect.cached import judge_cache
from ..core.geometry.placing import TO_Y_UP
from ..core.geometry.topology import triangulated
from ..core.model.errors import FileError, ShotError
from ..core.model.mesh import Mesh
from ..core.model.units import metres_per
from ..formats.obj import read_numbered
from ..formats.registry import read_cache

LOOKED_AT = 5  # frames over the range that are held against the mesh
MOST_NAMED = 8  # frames that an error names


@dataclass(frozen=True)
class HowRead:
    """A cache's unit and up axis, and the shot's frame of its first sample where its format does not say it."""

    unit: str = "m"
    up: str = "y"
    starts_at: int | None = None


@dataclass(frozen=True, eq=False)
class Brought:
    """A cache as a garment's frames: points (f, n, 3) float32 m, Y up, from `first` on."""

    points: NDArray[np.float32]
    first: int


def bring_in(paths: Sequence[Path], mesh: Mesh, how: HowRead, first: int, frame_rate: float) -> Brought:
    """Read the cache of a garment, of one file or of numbered OBJ files. first: where the shot begins.

    `FileError` for another count or order of vertices, another unit, axis or frame rate, missing frames, and
    positions that are no numbers.
    """
    where = f"{paths[0].name}, for '{mesh.name}'"
    frames, said_first = _frames(paths, frame_rate, where)
    if frames.shape[1] != mesh.vertex_count:
        raise FileError(
            f"its {frames.shape[1]:,} points are not the garment's {mesh.vertex_count:,} vertices", where=where,
            remedy="Export the cache of this mesh, without merging or splitting vertices",
        )  # fmt: skip
    begin = how.starts_at if how.starts_at is not None else said_first if said_first is not None else first
    bad = ~np.isfinite(frames).all(axis=(1, 2))
    if bad.any():
        raise FileError(
            f"some positions are not numbers in {_named([begin + int(i) for i in np.flatnonzero(bad)])}",
            where=where,
            remedy="Export those frames again",
        )  # fmt: skip
    matrix = metres_per(how.unit, where=where) * TO_Y_UP[how.up]
    points = (frames.astype(np.float64) @ matrix.T).astype(np.float32)
    some = points[np.unique(np.linspace(0, len(points) - 1, LOOKED_AT).astype(int))].astype(np.float64)
    cut = triangulated(mesh)
    offers, notes = judge_cache(mesh.vertices, cut.triangles, list(some), how.unit, how.up)
    if offers or notes:
        said = offers[0].because if offers else notes[0]
        raise FileError(
            said, where=where, remedy=offers[0].said if offers else "Export it with the garment's order"
        )
    return Brought(points, int(begin))


def in_common(brought: Iterable[Brought]) -> tuple[int, int]:
    """The first and the last frame that all caches have; `ShotError` when there is none."""
    every = list(brought)
    first, last = max(one.first for one in every), min(one.first + len(one.points) - 1 for one in every)
    if last < first:
        raise ShotError("the caches have no frame in common", remedy="Bring in caches of the same range")
    return first, last


def _frames(paths: Sequence[Path], rate: float, where: str) -> tuple[NDArray[np.float32], int | None]:
    if len(paths) > 1:
        read = read_numbered(paths[0].parent)
        return np.asarray(read.frames, np.float32), int(read.first)
    content = read_cache(paths[0])
    if content.frame_rate is not None and abs(content.frame_rate - rate) > 1e-3:
        raise FileError(
            f"it runs at {content.frame_rate:g} frames a second, the shot at {rate:g}", where=where,
            remedy="Export it at the shot's frame rate",
        )  # fmt: skip
    first = None if content.first_frame is None else round(content.first_frame)
    return np.asarray(content.frames, np.float32), first


def _named(frames: list[int]) -> str:
    told = ", ".join(map(str, frames[:MOST_NAMED]))
    more = f" and {len(frames) - MOST_NAMED} more" if len(frames) > MOST_NAMED else ""
    return f"frame{'s' if len(frames) > 1 else ''} {told}{more}"
