"""Inputs of maps besides the garment itself: the cast, and the other garments."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ...geometry.closed import insider
from ...geometry.placing import skin_of
from ...geometry.topology import is_closed
from ...geometry.tree import build_tree, closest_points
from ...model.errors import ShotError
from ...model.maps import ChalkMap, by_name
from ...model.shot import CastMember, Garment, ShotPlan
from ...model.typed import Points, Scalars
from ..garments.surface import GarmentSurface
from .cache import MapCache


class MapInputs:
    """A shot's cast and garments, as they stand before anything moves."""

    def __init__(
        self,
        cast: Mapping[str, CastMember],
        garments: Mapping[str, Garment],
        cache: MapCache | None = None,
    ) -> None:
        self._cast, self._garments = cast, garments
        self.cache = cache or MapCache()

    @staticmethod
    def of(plan: ShotPlan) -> MapInputs:
        """Those of a plan."""
        return MapInputs({one.name: one for one in plan.cast}, {one.name: one for one in plan.garments})

    @staticmethod
    def none() -> MapInputs:
        """Without cast and garments."""
        return MapInputs({}, {})

    def garment(self, name: str) -> tuple[GarmentSurface, dict[str, ChalkMap]]:
        """A garment and its maps by name; `ShotError` when there is none called so."""
        if name not in self._garments:
            raise ShotError(
                f"there is no garment '{name}'", remedy=f"There is {', '.join(self._garments) or 'none'}"
            )
        garment = self._garments[name]
        return self.cache.surface(garment.mesh), by_name(garment.maps)

    def away(self, name: str, points: Points, reach: float) -> Scalars:
        """Distance (k,) m of points (k, 3) m from a cast member in its rest pose; 0 within it where it is
        closed, infinite beyond `reach` m.
        """
        member = self._member(name)
        rest, triangles = member.motion.rest(), member.cut.triangles
        _, _, distance = closest_points(build_tree(rest, triangles), rest, points, reach)
        if is_closed(triangles):
            distance[insider(rest, triangles)(points)] = 0.0
        return distance

    def carried(self, name: str, joints: tuple[str, ...], points: Points) -> Scalars:
        """The sum (k,) of the skin weights of `joints` at the place of a cast member in its rest pose that is
        nearest to points (k, 3) m; `ShotError` when it has no skin or no such joint.
        """
        member = self._member(name)
        found = skin_of(member.motion)
        if found is None:
            raise ShotError(
                f"'{name}' has no skin weights", remedy="Take a character that a skeleton moves, or a distance"
            )
        skin, skeleton = found
        missing = [joint for joint in joints if joint not in skeleton.names]
        if missing or not joints:
            raise ShotError(
                f"'{name}' has no joint '{missing[0]}'" if missing else "no joint is named",
                remedy=f"It has {', '.join(skeleton.names)}",
            )
        meant = np.isin(np.array(skeleton.names), joints)
        weight = (skin.weights * meant[skin.joints]).sum(axis=1)
        rest, triangles = member.motion.rest(), member.cut.triangles
        triangle, barycentric, _ = closest_points(build_tree(rest, triangles), rest, points)
        return np.einsum("ik,ik->i", barycentric, weight[triangles[triangle]])

    def _member(self, name: str) -> CastMember:
        if name not in self._cast:
            raise ShotError(f"the cast has no '{name}'", remedy=f"It has {', '.join(self._cast) or 'nobody'}")
        return self._cast[name]
