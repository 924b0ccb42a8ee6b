"""A garment of a take as a source of frames, each read from the database when it is asked for."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..core.model.errors import ShotError
from ..core.model.mesh import Mesh
from . import blobs, takes
from .errors import MissingError
from .models import Take
from .session import Store


@dataclass(frozen=True, eq=False)
class TakeFrames:
    """See `FrameSource`; shas: the bytes of each frame from `first` on."""

    store: Store
    mesh: Mesh
    rate: float
    first: int
    origin: str
    shas: tuple[str, ...]

    @property
    def last(self) -> int:
        """The last frame it has."""
        return self.first + len(self.shas) - 1

    def at(self, frame: int) -> NDArray[np.float32]:
        """Positions (n, 3) m at a frame; `MissingError` outside."""
        if not self.first <= frame <= self.last:
            raise MissingError(
                f"frames {self.first} to {self.last} are at hand, not {frame}",
                where=self.origin,
                remedy="Let the take finish, or ask for a frame that it has",
            )
        with self.store.begin() as session:
            data = blobs.get(session, self.shas[frame - self.first])
        points = np.frombuffer(data, "<f4").reshape(-1, 3)
        if len(points) != self.mesh.vertex_count:
            raise ShotError(
                f"frame {frame} has {len(points)} points, the garment {self.mesh.vertex_count} vertices",
                where=self.origin,
                remedy="Make a new take",
            )
        return points


def take_frames(
    store: Store, take: Take, garment: str, mesh: Mesh, rate: float, first: int, last: int
) -> TakeFrames:
    """Frames first to last, both in, of a garment of a take; `MissingError` when one is not finished."""
    with store.begin() as session:
        rows = takes.frames(session, take.id, garment, first, last)
        found = [(row.frame, row.sha) for row in rows]
    if [frame for frame, _ in found] != list(range(first, last + 1)):
        raise MissingError(
            f"the take does not have every frame from {first} to {last}",
            where=f"'{take.name}'",
            remedy="Let the take finish, or deliver a shorter range",
        )
    return TakeFrames(store, mesh, rate, first, f"'{take.name}', {garment}", tuple(sha for _, sha in found))
