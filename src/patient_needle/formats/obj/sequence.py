"""Numbered OBJ files as one cache: walk.0001.obj, walk.0002.obj and so on."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ...core.model.errors import FileError
from ...core.model.mesh import Mesh
from .reader import read_obj

NUMBERED = re.compile(r"^(?P<stem>.*?)(?P<number>-?\d+)\.obj$", re.IGNORECASE)


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
