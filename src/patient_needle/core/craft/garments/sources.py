"""Where a garment's cloth comes from. Each kind of source makes a `GarmentShape`."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ...geometry.rest_metric import drawn_directions, metric_of_pieces, metric_of_surface, pattern_directions
from ...geometry.topology import check_triangles
from ...model.errors import MeshError
from ...model.garment import GarmentShape
from ...model.mesh import Mesh, Topology, TriangleMap
from ...model.typed import Points, Vectors

TRUE_SCALES = (1.0, 0.1, 0.01, 0.001, 0.0254)  # m in a unit of UVs that are a pattern in true scale
AS_TRUE = 0.03  # a mean scale as near to one of them is that


@dataclass(frozen=True, eq=False)
class FromMesh:
    """A garment at rest as its mesh lies, or as its UVs lay it flat; warp (3,), the drawn direction where its
    UVs are no pattern.
    """

    surface: Mesh
    warp: Vectors = field(default_factory=lambda: np.array([0.0, 1.0, 0.0]))
    laid_flat: bool = False

    def shape(self, name: str, cut: TriangleMap, topology: Topology) -> GarmentShape:
        """Start and allowed nearness are those of the mesh. `MeshError` where the UVs lay nothing flat."""
        points = self.surface.vertices
        check_triangles(points, cut.triangles, name=name)
        if self.laid_flat:
            metric, directions = metric_of_pieces(flat_corners(self.surface, cut), topology), "pattern UVs"
            return GarmentShape(
                name, topology, metric, points, points, self.surface, cut.source_face, directions
            )
        pattern = pattern_directions(self.surface, cut)
        warp = drawn_directions(points, cut.triangles, self.warp) if pattern is None else pattern
        return GarmentShape(
            name,
            topology,
            metric_of_surface(points, topology, warp),
            placed=points,
            near=points,
            surface=self.surface,
            source_face=cut.source_face,
            directions="drawn direction" if pattern is None else "pattern UVs",
        )


def flat_corners(mesh: Mesh, cut: TriangleMap) -> Vectors:
    """Each triangle's corners (m, 3, 2) m in the UVs, u along weft and v along warp, at the true scale that is
    nearest, or as large as the mesh where none is near. `MeshError` without UVs.
    """
    if len(mesh.uv_corners) == 0:
        raise MeshError(
            "the mesh has no UVs to be laid flat by", where=mesh.name, remedy="Let it rest as it was made"
        )
    flat = mesh.uvs[mesh.uv_corners[cut.corners]]
    return np.asarray(flat * _scale_of(flat, mesh.vertices[cut.triangles]))


def _scale_of(flat: Vectors, solid: Points) -> float:
    """Metres in a unit of UVs (m, 3, 2), by how long the sides of the triangles (m, 3, 3) m are in space."""
    sides = [np.linalg.norm(one - np.roll(one, -1, axis=1), axis=2) for one in (flat, solid)]
    mean = float(sides[1].sum() / max(float(sides[0].sum()), 1e-12))
    near = min(TRUE_SCALES, key=lambda one: abs(np.log(mean / one)))
    return near if abs(mean / near - 1) < AS_TRUE else mean


def isometry_error(mesh: Mesh, cut: TriangleMap) -> tuple[float, float] | None:
    """By how much the sides of triangles differ between the UVs, at their scale, and space: the median and what
    99 in 100 keep below, as shares; None without UVs.
    """
    if len(mesh.uv_corners) == 0:
        return None
    flat, solid = flat_corners(mesh, cut), mesh.vertices[cut.triangles]
    one = np.linalg.norm(flat - np.roll(flat, -1, axis=1), axis=2)
    other = np.linalg.norm(solid - np.roll(solid, -1, axis=1), axis=2)
    error = np.abs(one / other - 1)
    return float(np.median(error)), float(np.percentile(error, 99))
