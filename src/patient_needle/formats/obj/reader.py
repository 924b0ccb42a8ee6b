"""Reading OBJ. Vertices are shared by all objects of the file, so the file is one mesh with groups."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ...core.model.errors import FileError, NeedleError
from ...core.model.mesh import Mesh
from ..whole_file import read_bytes

IGNORED = {"vn", "vp", "s", "usemtl", "mtllib", "l", "p"}


class _Collected:
    def __init__(self) -> None:
        self.vertices: list[tuple[float, ...]] = []
        self.uvs: list[tuple[float, ...]] = []
        self.sizes: list[int] = []
        self.corners: list[int] = []
        self.uv_corners: list[int] = []
        self.groups: dict[str, list[int]] = {}
        self.current: list[str] = []


def read_obj(path: Path) -> list[Mesh]:
    """The file's one mesh; `FileError` names the line that cannot be read."""
    data = read_bytes(path)
    if b"\0" in data[:4096]:
        raise FileError(
            "this is not an OBJ file: it holds binary data", where=str(path), remedy="Export it as OBJ"
        )
    out = _Collected()
    for number, line in enumerate(data.decode("utf-8", "replace").splitlines(), 1):
        words = line.split("#", 1)[0].split()
        if not words:
            continue
        try:
            _take(out, words)
        except (ValueError, IndexError) as error:
            raise FileError(
                f"'{line.strip()[:60]}' cannot be read ({error})",
                where=f"{path}, line {number}",
                remedy="The file is damaged or is no OBJ: export it again",
            ) from None
    if not out.vertices:
        raise FileError(
            "no vertices were found", where=str(path), remedy="Is this an OBJ file? Export it again"
        )
    try:
        return [_mesh(path, out)]
    except NeedleError as error:
        raise error.at(str(path)) from None


def _take(out: _Collected, words: list[str]) -> None:
    kind, rest = words[0], words[1:]
    if kind == "v":
        out.vertices.append((float(rest[0]), float(rest[1]), float(rest[2])))
    elif kind == "vt":
        out.uvs.append((float(rest[0]), float(rest[1]) if len(rest) > 1 else 0.0))
    elif kind == "f":
        _take_face(out, rest)
    elif kind in ("g", "o"):
        names = rest or ["default"]
        out.current = names if kind == "g" else names[:1]
    elif kind not in IGNORED:
        raise ValueError(f"'{kind}' is not a known statement")


def _take_face(out: _Collected, corners: list[str]) -> None:
    if len(corners) < 3:
        raise ValueError("a face needs three corners")
    for corner in corners:
        parts = corner.split("/")
        out.corners.append(_index(parts[0], len(out.vertices)))
        if len(parts) > 1 and parts[1]:
            out.uv_corners.append(_index(parts[1], len(out.uvs)))
    for name in out.current:
        out.groups.setdefault(name, []).append(len(out.sizes))
    out.sizes.append(len(corners))


def _index(word: str, count: int) -> int:
    """OBJ counts from 1, and from the end with negative numbers."""
    value = int(word)
    if value == 0:
        raise ValueError("index 0")
    return value - 1 if value > 0 else count + value


def _mesh(path: Path, out: _Collected) -> Mesh:
    uvs = out.uv_corners if len(out.uv_corners) == len(out.corners) else []
    if uvs and (min(uvs) < 0 or max(uvs) >= len(out.uvs)):
        raise FileError(
            f"a face names texture coordinate {max(uvs) + 1} of {len(out.uvs)}",
            remedy="The file is cut short: export it again",
        )
    return Mesh(
        path.stem,
        np.array(out.vertices, np.float64).reshape(-1, 3),
        np.array(out.sizes, np.int32),
        np.array(out.corners, np.int32),
        np.array(out.uvs, np.float64).reshape(-1, 2) if uvs else np.zeros((0, 2)),
        np.array(uvs, np.int32),
        {name: np.array(faces, np.int32) for name, faces in out.groups.items()},
    )
