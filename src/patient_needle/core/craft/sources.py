"""Where a garment's cloth comes from. Each kind of source makes a `GarmentShape`."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from ..geometry.material import drawn_directions, pattern_directions
from ..geometry.rest_metric import metric_of_surface
from ..geometry.topology import check_triangles
from ..model.garment_shape import GarmentShape
from ..model.mesh import Mesh
from ..model.typed import Vectors
from .ground import Ground


class Source(Protocol):
    """One way to make a garment."""

    @property
    def surface(self) -> Mesh:
        """The mesh to draw on and to hand off, as it stands before a run."""
        ...

    def shape(self, name: str, ground: Ground) -> GarmentShape:
        """The garment `name` for the engine; ground: the surface made ready. `MeshError` if it is no cloth."""
        ...


@dataclass(frozen=True, eq=False)
class FromMesh:
    """A garment at rest as its mesh lies; warp (3,), the drawn direction where its UVs are no pattern."""

    surface: Mesh
    warp: Vectors = field(default_factory=lambda: np.array([0.0, 1.0, 0.0]))

    def shape(self, name: str, ground: Ground) -> GarmentShape:
        """Rest metric, start and allowed nearness are all those of the mesh."""
        cut, points = ground.cut, self.surface.vertices
        check_triangles(points, cut.triangles, name=name)
        pattern = pattern_directions(self.surface, cut)
        warp = drawn_directions(points, cut.triangles, self.warp) if pattern is None else pattern
        return GarmentShape(
            name,
            ground.topology,
            metric_of_surface(points, ground.topology, warp),
            placed=points,
            near=points,
            surface=self.surface,
            source_face=cut.source_face,
            directions="drawn direction" if pattern is None else "pattern UVs",
        )
