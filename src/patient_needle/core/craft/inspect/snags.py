"""Snags: the faults of a frame, by kind and place, counted exactly."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...contact.intersections import crossing_depths
from ...geometry.closed import inside
from ...geometry.tree import build_tree, closest_points
from ...geometry.triangles import triangle_areas
from ...model.tolerances import DEFAULT
from ...model.typed import Flags, Indices, Points
from ...solver.diagnostics import edge_strains
from ...solver.outfit import Outfit
from ..cast.colliders import Colliders
from ..run.release import Crossings

IN_THE_BODY = "in the body"
THROUGH_ITSELF = "through itself"
THROUGH_ANOTHER = "through another garment"
PINCHED = "pinched"
OVERSTRETCH = "overstretch"


@dataclass(frozen=True)
class Snag:
    """One fault of a frame: its kind, how many triangle pairs, vertices or edges, where (m), what it touches or
    lies nearest to, how deep it goes (m), how much cloth it takes up (m2), and the worst strain of overstretch.
    """

    kind: str
    count: int
    place: tuple[float, float, float]
    with_what: str
    depth: float
    area: float
    strain: float = 0.0


def list_snags(
    worn: Outfit,
    index: int,
    points: Points,
    colliders: Colliders,
    around: Points,
    own: Crossings,
    released: Flags,
) -> tuple[Snag, ...]:
    """Snags of one garment's frame, one per kind and what it meets; points (n, 3) m of the whole outfit, around
    (k, 3) m of the colliders.
    """
    cloth = worn.cloths[index]
    part = colliders.part[own.colliders[:, 1]] if len(own.colliders) else np.zeros(0, np.int32)
    snags = []
    for which in np.unique(part):
        pairs = own.colliders[part == which]
        depth = crossing_depths(
            points, worn.triangles[pairs[:, 0]], around, colliders.triangles[pairs[:, 1]]
        )  # fmt: skip
        caught = np.unique(worn.triangles[pairs[:, 0]])
        sunk = max(float(depth.max()), _sunk(points[caught], colliders, around))
        snags.append(
            _snag(IN_THE_BODY, worn, points, pairs[:, 0], len(pairs), colliders.part_names[which], sunk)
        )
    if len(own.itself):
        snags.append(_through(THROUGH_ITSELF, worn, points, own.itself, own.itself, cloth.name))
    others = worn.skin.garment[own.garments[:, 1]]
    for other in np.unique(others):
        pairs = own.garments[others == other]
        snags.append(_through(THROUGH_ANOTHER, worn, points, pairs[:, 0], pairs, worn.cloths[other].name))
    mine = worn.skin.garment == index
    for which in np.flatnonzero(released[worn.spans[index]].any(axis=0)):
        let_go = released[:, which]
        loose = np.flatnonzero(mine & let_go[worn.triangles].any(axis=1)).astype(np.int32)
        count = int(let_go[worn.spans[index]].sum())
        sunk = _sunk(points[np.unique(worn.triangles[loose])], colliders, around)
        snags.append(_snag(PINCHED, worn, points, loose, count, colliders.part_names[which], sunk))
    return (*snags, *_overstretched(worn, index, points, colliders, around))


def _overstretched(
    worn: Outfit, index: int, points: Points, colliders: Colliders, around: Points
) -> tuple[Snag, ...]:
    """The simulated edges of a garment that stretch beyond its fabric's limit, as one snag at the worst."""
    cloth, own = worn.cloths[index], points[worn.spans[index]]
    limit = cloth.fabric.strain_limit
    strain, held = edge_strains(cloth, own)
    over = np.flatnonzero((strain > (DEFAULT.overstretch if limit is None else limit)) & ~held)
    if len(over) == 0:
        return ()
    edges = cloth.topology.edges[over]
    worst = int(np.argmax(strain[over]))
    x, y, z = own[edges[worst]].mean(axis=0)
    touched = np.zeros(cloth.count, bool)
    touched[edges] = True
    corners = cloth.triangles[touched[cloth.triangles].sum(axis=1) >= 2]
    area = float(triangle_areas(own, corners).sum()) if len(corners) else 0.0
    near = _nearest_part(np.array([[x, y, z]]), colliders, around)
    place = (float(x), float(y), float(z))
    return (Snag(OVERSTRETCH, len(over), place, near, 0.0, area, float(strain[over][worst])),)


def _nearest_part(place: Points, colliders: Colliders, around: Points) -> str:
    """The name of the collider part nearest to a place (1, 3) m; "" without colliders."""
    if len(colliders.triangles) == 0:
        return ""
    nearest = closest_points(build_tree(around, colliders.triangles), around, place)[0]
    return colliders.part_names[colliders.part[nearest[0]]]


def _through(kind: str, worn: Outfit, points: Points, own: Indices, pairs: Indices, with_what: str) -> Snag:
    """Cloth through cloth, pairs (k, 2) of triangles, of which `own` are the garment's."""
    corners = worn.triangles[pairs]
    depth = crossing_depths(points, corners[:, 0], points, corners[:, 1])
    return _snag(kind, worn, points, own, len(pairs), with_what, float(depth.max()))


def _snag(
    kind: str, worn: Outfit, points: Points, triangles: Indices, count: int, with_what: str, depth: float
) -> Snag:
    """A snag that takes up these cloth triangles, each once."""
    corners = worn.triangles[np.unique(triangles)]
    x, y, z = points[corners].mean(axis=(0, 1))
    place = (float(x), float(y), float(z))
    return Snag(kind, count, place, with_what, depth, float(triangle_areas(points, corners).sum()))


def _sunk(points: Points, colliders: Colliders, around: Points) -> float:
    """How deep the deepest of points (n, 3) m lies within the colliders, m; 0 when all are outside."""
    within = points[inside(around, colliders.enclosing, points)]
    if len(within) == 0:
        return 0.0
    tree = build_tree(around, colliders.enclosing)
    return float(closest_points(tree, around, within)[2].max())
