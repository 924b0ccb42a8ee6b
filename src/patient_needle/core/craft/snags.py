"""What is wrong in a frame, by kind and place: counted exactly."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..contact.filter import patches
from ..contact.intersections import crossing_depths, crossing_pairs, inside, self_crossing_pairs
from ..geometry.normals import area_vectors, triangle_areas, unit
from ..geometry.tree import build_tree, closest_points
from ..model.tolerances import DEFAULT
from ..model.typed import Flags, Indices, Points, Triangles
from ..solver.diagnostics import edge_strains
from ..solver.outfit import Outfit
from .colliders import Colliders

IN_THE_BODY = "in the body"
THROUGH_ITSELF = "through itself"
THROUGH_ANOTHER = "through another garment"
PINCHED = "pinched"
OVERSTRETCH = "overstretch"
BESIDE = 0.06  # m: cloth this near to a part that has sunk into another waits until it comes out again
LIFT = 1e-4  # m above a surface, where it is asked whether something covers it


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


@dataclass(frozen=True, eq=False)
class Crossings:
    """Exact crossings of one frame, as pairs of triangles: the outfit's with colliders (k, 2), of each garment
    with itself (k, 2), and of one garment with another (k, 2).
    """

    colliders: Indices
    itself: Indices
    garments: Indices

    def of(self, garment: int, worn: Outfit) -> Crossings:
        """Those that the garment of that index takes part in; it comes first."""
        own = worn.skin.garment == garment
        turned = np.concatenate([self.garments, self.garments[:, ::-1]])
        return Crossings(
            self.colliders[own[self.colliders[:, 0]]],
            self.itself[own[self.itself[:, 0]]],
            turned[own[turned[:, 0]]],
        )


def find_crossings(worn: Outfit, points: Points, colliders: Colliders, around: Points) -> Crossings:
    """Crossings of an outfit at points (n, 3) m with colliders at around (k, 3) m and with itself."""
    cloth = self_crossing_pairs(points, worn.triangles)
    kin = worn.skin.garment[cloth[:, 0]] == worn.skin.garment[cloth[:, 1]]
    return Crossings(
        crossing_pairs(points, worn.triangles, around, colliders.triangles), cloth[kin], cloth[~kin]
    )


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


def rearmed(
    cloth: Outfit,
    points: Points,
    colliders: Colliders,
    around: Points,
    crossings: Crossings,
    released: Flags,
) -> tuple[Flags, Flags]:
    """Which vertices stay released (n, p) at the end of a frame, and which of them (n,) are to be eased out.

    Every triangle that a part still pierces is let go as a whole. What hangs together is armed again together,
    once all of it is outside and none of its triangles is pierced: a patch that lies wholly clear lies on its
    right side, but a vertex that is clear may have slipped past a limb that the rest of its patch hangs on.
    Nothing is eased out beside a part that has sunk into another: its nearest surface may be the far side.
    """
    if not released.any() and len(crossings.colliders) == 0:
        return released, np.zeros(len(released), bool)
    out = released.copy()
    pierced = np.zeros_like(released)
    for triangle, other in crossings.colliders:
        pierced[cloth.triangles[triangle], colliders.part[other]] = True
    out |= pierced
    out[cloth.held] = False
    waiting = np.flatnonzero(out.any(axis=1))
    caught = pierced.copy()
    caught[waiting[inside(around, colliders.enclosing, points[waiting])]] = True
    eased = np.zeros(len(out), bool)
    for part in map(int, np.flatnonzero(out.any(axis=0))):
        for patch in patches(cloth.triangles, out[:, part]):
            out[patch, part] = caught[patch, part].any()
        let_go = np.flatnonzero(out[:, part])
        eased[let_go[~_beside_sunk(points[let_go], colliders, around, part)]] = True
    return out, eased


def caught_by(cloth: Outfit, points: Points, colliders: Colliders, around: Points) -> Flags:
    """Vertices (n, p) that each part would catch at points (n, 3) m: those of triangles it pierces, and those
    that lie inside, of whichever part; whole triangles of them, so that none is held by one corner.
    """
    out = np.zeros((len(points), len(colliders.rank)), bool)
    for triangle, other in find_crossings(cloth, points, colliders, around).colliders:
        out[cloth.triangles[triangle], colliders.part[other]] = True
    within = inside(around, colliders.enclosing, points)
    out[cloth.triangles[within[cloth.triangles].any(axis=1)].ravel()] = True
    out[cloth.held] = False
    return out


def parts_near(points: Points, colliders: Colliders, around: Points, reach: float) -> Flags:
    """Which parts (p,) come within `reach` m of any of points (k, 3) m."""
    near = np.zeros(len(colliders.rank), bool)
    for part in np.unique(colliders.part):
        tree = build_tree(around, colliders.triangles[colliders.part == part])
        near[part] = np.isfinite(closest_points(tree, around, points, reach)[2]).any()
    return near


def _beside_sunk(points: Points, colliders: Colliders, around: Points, part: int) -> Flags:
    """Which points (n, 3) m lie within `BESIDE` of where a part's surface has sunk into another's.

    What is sunk in the rest pose, as in a joint, is how the figure is made.
    """
    triangles = colliders.triangles[colliders.part == part]
    sunk = _covered(triangles, colliders, around)
    sunk[sunk] = ~_covered(triangles[sunk], colliders, colliders.rest_points())
    if not sunk.any():
        return np.zeros(len(points), bool)
    _, _, distance = closest_points(build_tree(around, triangles[sunk]), around, points, BESIDE)
    return np.asarray(distance <= BESIDE)


def _covered(triangles: Triangles, colliders: Colliders, points: Points) -> Flags:
    """Which triangles (m, 3) of colliders at points (k, 3) m have a closed collider over them."""
    lifted = points[triangles].mean(axis=1) + LIFT * unit(area_vectors(points, triangles))
    return inside(points, colliders.enclosing, lifted)
