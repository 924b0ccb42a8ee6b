"""Which folder reads or writes which file ending. Each format registers itself on import."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..core.model.errors import FileError
from ..core.model.mesh import Mesh
from ..core.model.typed import Indices, Points


@dataclass(frozen=True)
class CacheTiming:
    """first frame and frames per second of a cache."""

    first_frame: int
    frame_rate: float


@dataclass(frozen=True, eq=False)
class CacheContent:
    """What a cache holds: frames (f, n, 3) float32 in file units, and what else its format says, if anything:
    the corners of all faces as one list, and the timing.
    """

    frames: NDArray[np.float32]
    corners: Indices | None = None
    first_frame: float | None = None
    frame_rate: float | None = None


Frames = Iterable[Points]
MeshReader = Callable[[Path], list[Mesh]]
MeshWriter = Callable[[Path, Mesh], None]
CacheReader = Callable[[Path], CacheContent]
CacheWriter = Callable[[Path, Mesh, Frames, CacheTiming], None]

_mesh_readers: dict[str, MeshReader] = {}
_mesh_writers: dict[str, MeshWriter] = {}
_cache_readers: dict[str, CacheReader] = {}
_cache_writers: dict[str, CacheWriter] = {}


def register(
    ending: str,
    *,
    mesh_reader: MeshReader | None = None,
    mesh_writer: MeshWriter | None = None,
    cache_reader: CacheReader | None = None,
    cache_writer: CacheWriter | None = None,
) -> None:
    """Make a format known by its file ending, such as ".obj"."""
    if mesh_reader is not None:
        _mesh_readers[ending] = mesh_reader
    if mesh_writer is not None:
        _mesh_writers[ending] = mesh_writer
    if cache_reader is not None:
        _cache_readers[ending] = cache_reader
    if cache_writer is not None:
        _cache_writers[ending] = cache_writer


def _find(table: dict, path: Path, what: str):  # type: ignore[no-untyped-def,type-arg]
    try:
        return table[path.suffix.lower()]
    except KeyError:
        raise FileError(
            f"{what} with the ending '{path.suffix}' is not known",
            where=str(path),
            remedy=f"Use one of {', '.join(sorted(table))}",
        ) from None


def read_meshes(path: Path) -> list[Mesh]:
    """Every mesh of a file, in file units and axes, without motion."""
    return _find(_mesh_readers, path, "a mesh file")(path)


def write_mesh(path: Path, mesh: Mesh) -> None:
    """Write one mesh."""
    _find(_mesh_writers, path, "a mesh file")(path, mesh)


def read_cache(path: Path) -> CacheContent:
    """A cache's one mesh over time, one sample per frame."""
    return _find(_cache_readers, path, "a cache")(path)


def write_cache(path: Path, mesh: Mesh, frames: Frames, timing: CacheTiming) -> None:
    """Write positions over time in the mesh's own vertex order; the file appears whole or not at all."""
    _find(_cache_writers, path, "a cache")(path, mesh, frames, timing)


def cache_endings() -> list[str]:
    """Endings of the caches that can be written."""
    return sorted(_cache_writers)
