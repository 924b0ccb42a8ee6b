"""Writing OBJ: vertices and faces in the mesh's own order, groups as they were."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ...core.model.mesh import Mesh
from ..files import replacing


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
            lines.append("g " + " ".join(current))
        lines.append("f " + " ".join(_corners(mesh, int(starts[face]), int(starts[face + 1]))))
    with replacing(path) as part:
        part.write_text("\n".join(lines) + "\n", encoding="utf-8")


def _corners(mesh: Mesh, start: int, end: int) -> list[str]:
    vertices = mesh.face_corners[start:end] + 1
    if len(mesh.uv_corners) == 0:
        return [str(v) for v in vertices]
    return [f"{v}/{t}" for v, t in zip(vertices, mesh.uv_corners[start:end] + 1, strict=True)]
