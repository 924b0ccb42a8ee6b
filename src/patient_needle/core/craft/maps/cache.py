"""Cache for maps: prepared garments, and the values after each earlier step."""

from __future__ import annotations

import pickle
import threading
from collections import OrderedDict
from collections.abc import Iterator, Sequence
from hashlib import sha1

from ...model.maps import FromDistance, FromGarment, FromWeights, Step, With
from ...model.mesh import Mesh
from ...model.typed import Scalars
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
