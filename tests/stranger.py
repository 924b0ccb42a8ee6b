"""A costume as a stranger sends it: nobody has tuned anything for these files.

A figure of 1.66 m as a mesh in centimetres, Z up; its walk as a bare cache of points in millimetres, 30 frames
a second from frame -12 on, heading 127 degrees away; a skirt in centimetres that lies on its back.
"""

from __future__ import annotations

from pathlib import Path

from patient_needle.core.model.mesh import Mesh
from patient_needle.formats.obj import read_obj, write_obj
from patient_needle.formats.registry import CacheTiming, write_cache
from tests.figures import FOLDER, as_file, lamplighter, turned

TALL = 1.66 / 1.72
RATE, FIRST, COUNT, HEADING = 30.0, -12, 18, 127.0


def write_all(folder: Path) -> tuple[Path, Path, Path]:
    """The mesh, the cache, the costume."""
    member = lamplighter()
    rest = member.motion.rest()
    body = Mesh("figure", as_file(TALL * rest, "cm", "z"), member.mesh.face_sizes, member.mesh.face_corners)
    write_obj(folder / "figure.obj", body)
    walk = (as_file(TALL * turned(member.motion.at(1001 + 0.8 * k), HEADING), "mm", "z") for k in range(COUNT))
    write_cache(folder / "figure_walk.mdd", body, walk, CacheTiming(FIRST, RATE))
    (skirt,) = read_obj(FOLDER / "apron_skirt.obj")
    write_obj(folder / "skirt.obj", skirt.with_vertices(as_file(TALL * skirt.vertices, "cm", "z")))
    return folder / "figure.obj", folder / "figure_walk.mdd", folder / "skirt.obj"
