"""Inputs of maps besides the garment itself, the cast and the other garments; and a cache of what was drawn."""

from __future__ import annotations

import pickle
import threading
from collections import OrderedDict
from collections.abc import Iterator, Mapping, Sequence
from hashlib import sha1

import numpy as np

from ...geometry.closed import insider
from ...geometry.placing import skin_of
from ...geometry.topology import is_closed
from ...geometry.tree import build_tree, closest_points
from ...model.errors import ShotError
from ...model.maps import ChalkMap, FromDistance, FromGarment, FromWeights, Step, With, by_name
from ...model.mesh import Mesh
from ...model.shot import CastMember, Garment, ShotPlan
from ...model.typed import Points, Scalars
from ..garments.surface import GarmentSurface

MOST_SURFACES, MOST_VALUES = 8, 48


class MapCache:
    """The latest surfaces by their mesh, and the latest values by the surface and the steps that made them.

    Steps that ask others than the garment itself are not cached, nor what comes after them.
    """

    def __init__(self) -> None:
        self._lock = threading.RLock()
        self._surfaces: OrderedDict[bytes, GarmentSurface] = OrderedDict()
        self._values: OrderedDict[bytes, Scalars] = OrderedDict()

    def surface(self, mesh: Mesh) -> GarmentSurface:
        """The mesh made ready, as `GarmentSurface.of` has it."""
        key = mesh.fingerprint
        with self._lock:
            found = self._surfaces.get(key)
        found = found or GarmentSurface.of(mesh)  # outside the lock: others' garments do not wait for this one
        with self._lock:
            self._surfaces[key] = found
            self._surfaces.move_to_end(key)
            while len(self._surfaces) > MOST_SURFACES:
                self._surfaces.popitem(last=False)
        return found

    def begun(self, surface: GarmentSurface, steps: Sequence[Step]) -> tuple[int, Scalars | None]:
        """How many of the steps need not be done again, and the values (n,) after them."""
        found: tuple[int, Scalars | None] = (0, None)
        with self._lock:
            for count, key in enumerate(_keys(surface, steps), 1):
                if key in self._values:
                    self._values.move_to_end(key)
                    found = (count, self._values[key].copy())
        return found

    def keep(self, surface: GarmentSurface, steps: Sequence[Step], values: Scalars) -> None:
        """Values (n,) after all the steps."""
        keys = list(_keys(surface, steps))
        if len(keys) < len(steps) or not keys:
            return
        with self._lock:
            self._values[keys[-1]] = values.copy()
            while len(self._values) > MOST_VALUES:
                self._values.popitem(last=False)


def _keys(surface: GarmentSurface, steps: Sequence[Step]) -> Iterator[bytes]:
    """A key after each step, for as long as they ask nothing but the garment itself."""
    whole = sha1(surface.mesh.fingerprint)
    for step in steps:
        if isinstance(step, (With, FromGarment, FromWeights, FromDistance)):
            return
        whole.update(pickle.dumps(step))
        yield whole.digest()


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
