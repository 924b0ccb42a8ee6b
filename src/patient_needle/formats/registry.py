"""Which folder reads or writes which file ending. Each format registers itself on import."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from ..core.model.errors import FileError, NeedleError
from ..core.model.mesh import Mesh
from ..core.model.typed import Indices, Points
from .contents import CacheInShort, Contents, Figure, FigureAsk, Piece, Stated, size_of
from .frames import Samples


@dataclass(frozen=True)
class CacheTiming:
    """First frame and frames per second of a cache; what its unit and axis are, for formats that state them."""

    first_frame: int
    frame_rate: float
    metres: float = 1.0
    up: str = "y"


@dataclass(frozen=True, eq=False)
class CacheContent:
    """What a cache holds: frames (f, n, 3) float32 in file units, which may be read as they are asked for, and
    what else its format says, if anything: the corners of all faces as one list, and the timing.
    """

    frames: Samples
    corners: Indices | None = None
    first_frame: float | None = None
    frame_rate: float | None = None


@dataclass(frozen=True, eq=False)
class VertexValues:
    """A value (n,) to each of a mesh's `count` vertices, as a file names it."""

    mesh: str
    name: str
    count: int
    values: NDArray[np.float64]


Frames = Iterable[Points]
MeshReader = Callable[[Path], list[Mesh]]
MeshWriter = Callable[[Path, Mesh], None]
CacheReader = Callable[[Path], CacheContent]
CacheWriter = Callable[[Path, Mesh, Frames, CacheTiming], None]
Lister = Callable[[Path], Contents]
FigureReader = Callable[[Path, FigureAsk], Figure]
ModelWriter = Callable[[Path, Mesh, float, str], None]
ValuesReader = Callable[[Path], list[VertexValues]]
ValuesWriter = Callable[[Path, Mesh, str, NDArray[np.float64]], None]

_mesh_readers: dict[str, MeshReader] = {}
_mesh_writers: dict[str, MeshWriter] = {}
_model_writers: dict[str, ModelWriter] = {}
_cache_readers: dict[str, CacheReader] = {}
_cache_writers: dict[str, CacheWriter] = {}
_listers: dict[str, Lister] = {}
_figure_readers: dict[str, FigureReader] = {}
_values_readers: dict[str, ValuesReader] = {}
_values_writers: dict[str, ValuesWriter] = {}


def register(
    ending: str,
    *,
    mesh_reader: MeshReader | None = None,
    mesh_writer: MeshWriter | None = None,
    model_writer: ModelWriter | None = None,
    cache_reader: CacheReader | None = None,
    cache_writer: CacheWriter | None = None,
    lister: Lister | None = None,
    figure_reader: FigureReader | None = None,
    values_reader: ValuesReader | None = None,
    values_writer: ValuesWriter | None = None,
) -> None:
    """Make a format known by its file ending, such as ".obj"."""
    if lister is not None:
        _listers[ending] = lister
    if figure_reader is not None:
        _figure_readers[ending] = figure_reader
    if values_reader is not None:
        _values_readers[ending] = values_reader
    if values_writer is not None:
        _values_writers[ending] = values_writer
    if mesh_reader is not None:
        _mesh_readers[ending] = mesh_reader
    if mesh_writer is not None:
        _mesh_writers[ending] = mesh_writer
    if model_writer is not None:
        _model_writers[ending] = model_writer
    if cache_reader is not None:
        _cache_readers[ending] = cache_reader
    if cache_writer is not None:
        _cache_writers[ending] = cache_writer


T = TypeVar("T")


def _guarded(read: Callable[..., T], path: Path, *more: object) -> T:
    """What a reader gives. Libraries raise many kinds on damaged files: they become one `FileError`."""
    try:
        return read(path, *more)
    except NeedleError:
        raise
    except Exception as error:
        raise FileError(
            f"the file cannot be read as what it claims to be ({type(error).__name__}: {str(error)[:160]})",
            where=str(path),
            remedy="It is damaged or of an unusual kind: export it again",
        ) from error


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
    return _guarded(_find(_mesh_readers, path, "a mesh file"), path)


def write_mesh(path: Path, mesh: Mesh) -> None:
    """Write one mesh."""
    _find(_mesh_writers, path, "a mesh file")(path, mesh)


def write_model(path: Path, mesh: Mesh, metres: float, up: str) -> None:
    """Write one mesh that stands, for somebody else: its vertices are in units of `metres`, `up` is upward.

    A format that states its unit and axis says both. One that has them fixed refuses any other.
    """
    _find(_model_writers, path, "a model file")(path, mesh, metres, up)


def read_cache(path: Path) -> CacheContent:
    """A cache's one mesh over time, one sample per frame."""
    return _guarded(_find(_cache_readers, path, "a cache"), path)


def write_cache(path: Path, mesh: Mesh, frames: Frames, timing: CacheTiming) -> None:
    """Write positions over time in the mesh's own vertex order; the file appears whole or not at all."""
    _find(_cache_writers, path, "a cache")(path, mesh, frames, timing)


def read_values(path: Path, name: str | None = None) -> VertexValues:
    """The values called `name` of a file, or its only ones; `FileError` says which there are."""
    every = _guarded(_find(_values_readers, path, "a file of values"), path)
    found = [one for one in every if name in (None, one.name)]
    if len(found) != 1:
        named = f" called '{name}'" if name else ""
        raise FileError(
            f"it has {len(found)} properties of one number to a vertex{named}",
            where=str(path),
            remedy=f"Say which: {', '.join(x.name for x in every)}" if every else "Export it with its values",
        )
    return found[0]


def write_values(path: Path, mesh: Mesh, name: str, values: NDArray[np.float64]) -> None:
    """Write a mesh in m with values (n,) of its vertices under a name that the format allows."""
    _find(_values_writers, path, "a file of values")(path, mesh, name, values)


def cache_endings() -> list[str]:
    """Endings of the caches that can be written."""
    return sorted(_cache_writers)


def list_contents(path: Path) -> Contents:
    """What a file holds, to choose from; `FileError` when it is of no kind that is known."""
    ending = path.suffix.lower()
    if ending in _listers:
        return _guarded(_listers[ending], path)
    if ending in _mesh_readers:
        meshes = read_meshes(path)
        pieces = (Piece(m.name, m.vertex_count, m.face_count, size_of(m.vertices)) for m in meshes)
        return Contents(Stated(), tuple(pieces))
    if ending in _cache_readers:
        cache = read_cache(path)
        frames, points = cache.frames.shape[:2]
        return Contents(
            Stated(rate=cache.frame_rate), (), cache=CacheInShort(points, frames, cache.first_frame)
        )
    raise FileError(
        f"files with the ending '{path.suffix}' are not known",
        where=str(path),
        remedy=f"Use one of {', '.join(sorted({*_listers, *_mesh_readers, *_cache_readers}))}",
    )


def read_figure(path: Path, ask: FigureAsk) -> Figure:
    """One mesh of a file with its motion; a file of plain meshes gives one that stands."""
    ending = path.suffix.lower()
    if ending in _figure_readers:
        return _guarded(_figure_readers[ending], path, ask)
    return Figure(chosen(read_meshes(path), ask.mesh, path), Stated(), decimal=ending == ".obj")


def chosen(meshes: list[Mesh], name: str | None, path: Path) -> Mesh:
    """The mesh called `name`, or the only one; `FileError` says which there are."""
    found = [mesh for mesh in meshes if name is None or mesh.name == name]
    if len(found) != 1:
        raise FileError(
            f"the file holds {len(meshes)} meshes" if name is None else f"no mesh is called '{name}'",
            where=str(path),
            remedy=f"Say which: {', '.join(m.name for m in meshes)}",
        )
    return found[0]
