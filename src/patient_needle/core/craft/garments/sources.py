"""Where a garment's cloth comes from. Each kind of source makes a `GarmentShape`."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ...geometry.rest_metric import drawn_directions, metric_of_surface, pattern_directions
from ...geometry.topology import check_triangles
from ...model.garment import GarmentShape
from ...model.mesh import Mesh, Topology, TriangleMap
from ...model.typed import Vectors


@dataclass(frozen=True, eq=False)
class FromMesh:
    """A garment at rest as its mesh lies; warp (3,), the drawn direction where its UVs are no pattern."""

    surface: Mesh
    warp: Vectors = field(default_factory=lambda: np.array([0.0, 1.0, 0.0]))

    def shape(self, name: str, cut: TriangleMap, topology: Topology) -> GarmentShape:
        """Rest metric, start and allowed nearness are all those of the mesh."""
        points = self.surface.vertices
        check_triangles(points, cut.triangles, name=name)
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
