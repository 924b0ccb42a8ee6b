"""OBJ meshes in and out, and numbered OBJ files as one moving mesh."""

from __future__ import annotations

import re
from array import array
from dataclasses import dataclass
from pathlib import Path
from typing import TextIO

import numpy as np
from numpy.typing import NDArray

from ...core.model.errors import FileError, NeedleError
from ...core.model.mesh import Mesh
from ..files import replacing

IGNORED = {"vn", "vp", "s", "usemtl", "mtllib", "l", "p"}
LONGEST_LINE = 4 << 20  # letters
MOST_NAMES = 64  # groups that one face may belong to
NUMBERED = re.compile(r"^(?P<stem>.*?)(?P<number>-?\d+)\.obj$", re.IGNORECASE)


class _Collected:
    """Numbers as they come: in arrays, since a list of them takes many times the file's size."""

    def __init__(self) -> None:
        self.vertices = array("d")
        self.uvs = array("d")
        self.sizes = array("i")
        self.corners = array("q")
        self.uv_corners = array("q")
        self.groups: dict[str, list[tuple[int, int]]] = {}  # spans of faces
        self.current: list[str] = []
        self.since = 0  # the first face of the current groups

    def close_groups(self) -> None:
        """The current groups end before the next face."""
        if self.since < len(self.sizes):
            for name in self.current:
                self.groups.setdefault(name, []).append((self.since, len(self.sizes)))
        self.since = len(self.sizes)


def read_obj(path: Path) -> list[Mesh]:
    """The file's one mesh; `FileError` names the line that cannot be read."""
    out = _Collected()
    try:
        with path.open("rb") as stream:
            if b"\0" in stream.read(4096):
                raise FileError(
                    "this is not an OBJ file: it holds binary data", where=str(path), remedy="Export it as OBJ"
                )
        with path.open(encoding="utf-8", errors="replace") as text:
            _take_lines(out, text, path)
    except OSError as error:
        raise FileError(
            f"the file cannot be read ({error.strerror})", where=str(path),
            remedy="Check the path in the shot file",
        ) from error  # fmt: skip
    if not out.vertices:
        raise FileError(
            "no vertices were found", where=str(path), remedy="Is this an OBJ file? Export it again"
        )
    try:
        return [_mesh(path, out)]
    except NeedleError as error:
        raise error.at(str(path)) from None


def _take_lines(out: _Collected, text: TextIO, path: Path) -> None:
    number = 0
    while line := text.readline(LONGEST_LINE):
        number += 1
        if len(line) == LONGEST_LINE:
            raise FileError(
                f"a line has more than {LONGEST_LINE:,} letters", where=f"{path}, line {number}",
                remedy="The file is damaged or is no OBJ: export it again",
            )  # fmt: skip
        words = line.split("#", 1)[0].split()
        if not words:
            continue
        try:
            _take(out, words)
        except (ValueError, IndexError, OverflowError) as error:
            raise FileError(
                f"'{line.strip()[:60]}' cannot be read ({error})",
                where=f"{path}, line {number}",
                remedy="The file is damaged or is no OBJ: export it again",
            ) from None
    out.close_groups()


def _take(out: _Collected, words: list[str]) -> None:
    kind, rest = words[0], words[1:]
    if kind == "v":
        out.vertices.extend((float(rest[0]), float(rest[1]), float(rest[2])))
    elif kind == "vt":
        out.uvs.extend((float(rest[0]), float(rest[1]) if len(rest) > 1 else 0.0))
    elif kind == "f":
        _take_face(out, rest)
    elif kind in ("g", "o"):
        names = list(dict.fromkeys(rest or ["default"]))
        if kind == "g" and len(names) > MOST_NAMES:
            raise ValueError(f"a face cannot belong to {len(names)} groups, at most to {MOST_NAMES}")
        out.close_groups()
        out.current = names if kind == "g" else names[:1]
    elif kind not in IGNORED:
        raise ValueError(f"'{kind[:20]}' is not a known statement")


def _take_face(out: _Collected, corners: list[str]) -> None:
    if len(corners) < 3:
        raise ValueError("a face needs three corners")
    for corner in corners:
        parts = corner.split("/")
        out.corners.append(_index(parts[0], len(out.vertices) // 3))
        if len(parts) > 1 and parts[1]:
            out.uv_corners.append(_index(parts[1], len(out.uvs) // 2))
    out.sizes.append(len(corners))


def _index(word: str, count: int) -> int:
    """OBJ counts from 1, and from the end with negative numbers."""
    value = int(word)
    if value == 0:
        raise ValueError("index 0")
    return value - 1 if value > 0 else count + value


def _mesh(path: Path, out: _Collected) -> Mesh:
    uvs = np.frombuffer(out.uvs, np.float64).reshape(-1, 2)
    uv_corners = np.frombuffer(out.uv_corners, np.int64)
    if len(uv_corners) != len(out.corners):
        uvs, uv_corners = np.zeros((0, 2)), np.zeros(0, np.int64)
    if len(uv_corners) and (uv_corners.min() < 0 or uv_corners.max() >= len(uvs)):
        raise FileError(
            f"a face names texture coordinate {uv_corners.max() + 1} of {len(uvs)}",
            remedy="The file is cut short: export it again",
        )
    return Mesh(
        path.stem,
        np.frombuffer(out.vertices, np.float64).reshape(-1, 3),
        np.frombuffer(out.sizes, np.int32),
        _int32(np.frombuffer(out.corners, np.int64)),
        uvs,
        uv_corners.astype(np.int32),
        {
            name: np.concatenate([np.arange(*span, dtype=np.int32) for span in spans])
            for name, spans in out.groups.items()
        },
    )


def _int32(corners: NDArray[np.int64]) -> NDArray[np.int32]:
    """Indices as the mesh has them; what does not fit stays a vertex that does not exist."""
    return np.clip(corners, -1, np.iinfo(np.int32).max).astype(np.int32)


def write_obj(path: Path, mesh: Mesh) -> None:
    """Write `mesh`; numbers with nine significant digits, enough for float32 both ways."""
    lines = ["# written by Patient Needle", f"o {mesh.name}"]
    lines += [f"v {x:.9g} {y:.9g} {z:.9g}" for x, y, z in mesh.vertices]
    lines += [f"vt {u:.9g} {v:.9g}" for u, v in mesh.uvs]
    membership: list[list[str]] = [[] for _ in range(mesh.face_count)]
    for name, faces in mesh.groups.items():
        for face in faces:
            membership[int(face)].append(name)
    current: list[str] = []
    starts = np.concatenate([[0], np.cumsum(mesh.face_sizes)])
    for face in range(mesh.face_count):
        if membership[face] != current:
            current = membership[face]
            lines.append("g " + " ".join(name.replace(" ", "_") for name in current))
        lines.append("f " + " ".join(_corners(mesh, int(starts[face]), int(starts[face + 1]))))
    with replacing(path) as part:
        part.write_text("\n".join(lines) + "\n", encoding="utf-8")


def write_model(path: Path, mesh: Mesh, metres: float, up: str) -> None:  # noqa: ARG001
    """Write `mesh`. The format states neither unit nor axis: whoever reads the file has to be told."""
    write_obj(path, mesh)


def _corners(mesh: Mesh, start: int, end: int) -> list[str]:
    vertices = mesh.face_corners[start:end] + 1
    if len(mesh.uv_corners) == 0:
        return [str(v) for v in vertices]
    return [f"{v}/{t}" for v, t in zip(vertices, mesh.uv_corners[start:end] + 1, strict=True)]


@dataclass(frozen=True, eq=False)
class Sequence:
    """The first file and its mesh and number; frames (f, n, 3) float32."""

    path: Path
    mesh: Mesh
    frames: NDArray[np.float32]
    first: int


def siblings(path: Path) -> list[Path]:
    """The numbered files that `path` is one of, in order; `FileError` when it has no number."""
    here = NUMBERED.match(path.name)
    if here is None:
        raise FileError(
            "the file has no number in its name",
            where=str(path),
            remedy="A cache of OBJ files is named like walk.0001.obj",
        )
    found = [
        (int(match["number"]), other)
        for other in path.parent.iterdir()
        if (match := NUMBERED.match(other.name)) and match["stem"] == here["stem"]
    ]
    if not found:
        raise FileError("the file does not exist", where=str(path), remedy="Check the path")
    return [other for _, other in sorted(found)]


def read_siblings(folder: Path, name: str) -> Sequence:
    """The sequence of numbered files of a folder that the one called `name` belongs to."""
    return read_sequence(siblings(folder / name))


def read_folder(folder: Path) -> Sequence:
    """All files of a folder as one sequence."""
    return read_sequence(list(folder.iterdir()))


def read_sequence(paths: list[Path]) -> Sequence:
    """Files in order of their numbers; `FileError` names a number that is missing or a file that differs."""
    numbers = [int(match["number"]) if (match := NUMBERED.match(path.name)) else None for path in paths]
    if None in numbers or len(set(numbers)) != len(numbers) or not paths:
        raise FileError("the files are not numbered one by one", remedy="Name them like walk.0001.obj")
    order = sorted(zip(numbers, paths, strict=True), key=lambda pair: pair[0] or 0)
    first, last = order[0][0] or 0, order[-1][0] or 0
    missing = sorted(set(range(first, last + 1)) - set(numbers))
    if missing:
        raise FileError(
            f"{len(missing)} of the files {first} to {last} are missing, the first of them {missing[0]}",
            where=order[0][1].name,
            remedy="Bring in all files of the sequence, or export it again",
        )
    (mesh,) = read_obj(order[0][1])
    frames = np.empty((len(order), mesh.vertex_count, 3), np.float32)
    for index, (_, path) in enumerate(order):
        (here,) = read_obj(path)
        if here.vertices.shape != mesh.vertices.shape or not np.array_equal(
            here.face_corners, mesh.face_corners
        ):
            raise FileError(
                f"it has {here.vertex_count} vertices and {here.face_count} faces, the first file "
                f"{mesh.vertex_count} and {mesh.face_count}, or joins them in another way",
                where=path.name,
                remedy="A cast member keeps one topology: export the sequence with a fixed one",
            )
        frames[index] = here.vertices
    return Sequence(order[0][1], mesh, frames, first)
