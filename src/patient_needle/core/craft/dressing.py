"""A garment made ready: its cloth, and where its held vertices go."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..geometry.binding import Binding, bind, follow
from ..geometry.material import drawn_directions, pattern_directions
from ..geometry.motion import Motion
from ..geometry.topology import Topology, border_loops, build_topology, is_closed
from ..geometry.triangulate import triangulated
from ..model.errors import NeedleError, ShotError
from ..model.typed import Indices, Points
from ..solver.cloth import Cloth, build_cloth
from .plan import Choice, Garment, ShotPlan
from .run_in import StagedMotion


@dataclass(frozen=True, eq=False)
class HeldLoop:
    """One hold: which vertices (k,) it moves, what they are bound to, and whose motion that is."""

    name: str
    vertices: Indices
    binding: Binding
    motion: StagedMotion


@dataclass(frozen=True, eq=False)
class Dressed:
    """A garment's cloth and its holds; finished: the motion that has all of it already."""

    cloth: Cloth
    holds: tuple[HeldLoop, ...]
    directions: str
    finished: Motion | None = None

    def start(self, frame: int) -> Points:
        """Where it is (n, 3) m when the run starts at `frame`: as it was made, or as it was finished."""
        return self.cloth.rest_points if self.finished is None else self.finished.at(frame)

    def held_points(self, frame: float) -> Points:
        """Positions (h, 3) m of the cloth's held vertices at `frame`, in vertex order.

        A vertex in two holds follows the later one.
        """
        if self.finished is not None:
            return self.finished.at(frame)
        out = np.zeros((self.cloth.count, 3))
        for hold in self.holds:
            out[hold.vertices] = follow(hold.binding, hold.motion.at(frame))
        return out[self.cloth.held]


def dress(plan: ShotPlan, garment: Garment) -> Dressed:
    """Make `garment` ready for the shot; errors name the garment."""
    try:
        return _dress(plan, garment)
    except NeedleError as error:
        raise error.at(f"garment '{garment.name}'") from error


def _dress(plan: ShotPlan, garment: Garment) -> Dressed:
    cut = triangulated(garment.mesh)
    points = garment.mesh.vertices
    topology = build_topology(cut.triangles, len(points), name=garment.mesh.name)
    holds = tuple(
        _held_loop(plan, garment, topology, cut.source_face, index) for index in range(len(garment.holds))
    )
    held = np.zeros(len(points), bool)
    for hold in holds:
        held[hold.vertices] = True
    if garment.finished is not None:
        _check_finished(plan, garment.finished)
        held[:] = True
    pattern = pattern_directions(garment.mesh, cut)
    warp = drawn_directions(points, cut.triangles, garment.warp) if pattern is None else pattern
    cloth = build_cloth(
        garment.name,
        points,
        cut.triangles,
        warp,
        garment.fabric,
        held,
        flat_rest_angles=garment.rest_angles == "flat",
        multipliers=garment.multipliers,
    )
    if garment.filling is not None and not is_closed(cut.triangles):
        raise ShotError(
            "it is to be filled, but its mesh has open borders",
            remedy="Close the mesh, or take the filling away",
        )
    return Dressed(cloth, holds, "drawn direction" if pattern is None else "pattern UVs", garment.finished)


def _check_finished(plan: ShotPlan, finished: Motion) -> None:
    low, high = finished.span()
    if plan.first_simulated < low or plan.frames[1] > high:
        raise ShotError(
            f"it is finished from frame {low:g} to {high:g}, but the run goes from {plan.first_simulated} to "
            f"{plan.frames[1]}, run-in included",
            remedy="Finish it over the whole range, run-in included, or simulate it again",
        )


def _held_loop(
    plan: ShotPlan, garment: Garment, topology: Topology, source_face: Indices, index: int
) -> HeldLoop:
    hold = garment.holds[index]
    vertices = chosen_vertices(garment, topology, source_face, hold.choice)
    try:
        member = plan.member(hold.follows)
    except StopIteration:
        raise ShotError(
            f"hold '{hold.name}' follows '{hold.follows}', which is not in the cast",
            remedy=f"Name one of {', '.join(m.name for m in plan.cast)}",
        ) from None
    binding = bind(
        member.motion.rest(),
        member.cut.triangles,
        garment.mesh.vertices[vertices],
        name=f"hold '{hold.name}'",
    )
    return HeldLoop(hold.name, vertices, binding, StagedMotion(member.motion, plan.run_in, plan.frames[0]))


def chosen_vertices(garment: Garment, topology: Topology, source_face: Indices, choice: Choice) -> Indices:
    """Vertices (k,) of a choice, in rising order; `ShotError` when it chooses nothing."""
    mesh = garment.mesh
    if choice.group is not None:
        if choice.group not in mesh.groups:
            known = ", ".join(mesh.groups) or "no groups at all"
            raise ShotError(f"the mesh has no group '{choice.group}'", remedy=f"It has {known}")
        triangles = np.isin(source_face, mesh.groups[choice.group])
        chosen = topology.triangles[triangles].ravel()
    elif choice.border is not None:
        chosen = _border(mesh.vertices, topology, choice.border)
    else:
        chosen = np.array(choice.vertices, np.int32)
        if len(chosen) and (chosen.min() < 0 or chosen.max() >= mesh.vertex_count):
            raise ShotError(
                f"a hold names vertex {int(chosen.max())} of {mesh.vertex_count}",
                remedy="Choose vertices of this mesh",
            )
    for _ in range(choice.rings):
        chosen = topology.triangles[np.isin(topology.triangles, chosen).any(axis=1)].ravel()
    if len(chosen) == 0:
        raise ShotError("a hold chooses no vertices", remedy="Give it a group, a border or vertices")
    return np.unique(chosen).astype(np.int32)


def _border(points: Points, topology: Topology, which: str, up: int = 1) -> Indices:
    loops = border_loops(topology)
    if not loops:
        raise ShotError("a hold asks for a border, but the mesh is closed", remedy="Choose a group instead")
    heights = [points[loop, up].mean() for loop in loops]
    pick = {"highest": int(np.argmax(heights)), "lowest": int(np.argmin(heights)), "longest": 0}
    return loops[pick[which]]
