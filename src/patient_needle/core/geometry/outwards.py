"""Turning faces so that a surface has an outside."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import trimesh

from ..model.typed import Points
from .triangulate import TriangleMap


def turned_outwards(points: Points, cut: TriangleMap) -> TriangleMap:
    """The same triangles, wound so that neighbours agree and every closed body looks outwards (trimesh)."""
    solid = trimesh.Trimesh(points, cut.triangles, process=False)
    trimesh.repair.fix_normals(solid, multibody=True)
    wanted = np.asarray(solid.faces)
    first = np.argmax(wanted == cut.triangles[:, :1], axis=1)
    after = wanted[np.arange(len(wanted)), (first + 1) % 3]
    turned = (after != cut.triangles[:, 1])[:, None]
    return replace(
        cut, triangles=np.where(turned, cut.triangles[:, ::-1], cut.triangles),
        corners=np.where(turned, cut.corners[:, ::-1], cut.corners),
    )  # fmt: skip
