"""A figure as it is dressed: which of its joints are limbs, and its shapes from thin to full."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
import shapely

from ...geometry.skinning import Skeleton, Skin
from ...model.errors import CastError
from ...model.typed import Matrices, Points, Scalars, Triangles, Vectors
from .pattern import BodyPart

LIMBS: tuple[BodyPart, ...] = ("left arm", "right arm", "left leg", "right leg")
THIN, FLAT = 0.12, 0.25  # of its thickness about the skeleton, and of its depth, that the thin figure has
SEEN, GRID, OUTLINE = (
    1e-9,
    1e-4,
    0.003,
)  # m2 of a triangle, m between places, and m of an outline seen from afar
LOW = 0.3  # of a figure's height: feet are below, hands above


@dataclass(frozen=True, eq=False)
class Limb:
    """An arm or a leg: its three joints (3,) m from the trunk outwards, and (n,) how much each vertex of the
    figure follows it, from 0 to 1.
    """

    root: Vectors
    middle: Vectors
    end: Vectors
    share: Scalars

    @property
    def length(self) -> float:
        """Along its bones, m."""
        return float(np.linalg.norm(self.middle - self.root) + np.linalg.norm(self.end - self.middle))


@dataclass(frozen=True, eq=False)
class Figure:
    """A figure of n vertices in its rest pose, in its own frame: x to its left, y up from the floor, z forward.

    world      (4, 4) from its frame to the shot's
    points     (n, 3) m, triangles (m, 3)
    axis       (n, 3) m, the place of the skeleton that each vertex belongs to
    limbs      arms and legs
    neck       (3,) m, the neck's lowest joint; pelvis (3,) m, the root of both legs
    middle     m, the z of the upright plane between front and back
    """

    world: Matrices
    points: Points
    triangles: Triangles
    axis: Points
    limbs: dict[BodyPart, Limb]
    neck: Vectors
    pelvis: Vectors
    middle: float

    def shape(self, grown: float, arms: float = 0.0, legs: float = 0.0) -> Points:
        """The figure (n, 3) m between thin, at 0, and full, at 1, with its arms raised and its legs spread by
        degrees in the plane of front and back.
        """
        return self.shaped(self.points, self.axis, self.shares, grown, arms, legs)

    def shaped(
        self, points: Points, axis: Points, shares: Vectors, grown: float, arms: float, legs: float
    ) -> Points:
        """The same of other points (k, 3) m, with axis (k, 3) m and shares (4, k) as the figure has them."""
        thick, depth = THIN + (1 - THIN) * grown, FLAT + (1 - FLAT) * grown
        out = axis + thick * (points - axis)
        for (name, limb), share in zip(self.limbs.items(), shares, strict=True):
            degrees = arms if name.endswith("arm") else legs
            turn = np.radians(degrees if name.startswith("left") else -degrees) * share
            off = out[:, :2] - limb.root[:2]
            cos, sin = np.cos(turn), np.sin(turn)
            out[:, 0] = limb.root[0] + cos * off[:, 0] - sin * off[:, 1]
            out[:, 1] = limb.root[1] + sin * off[:, 0] + cos * off[:, 1]
        out[:, 2] = self.middle + depth * (out[:, 2] - self.middle)
        return out

    @cached_property
    def shares(self) -> Vectors:
        """(4, n), how much each vertex follows each limb."""
        return np.stack([limb.share for limb in self.limbs.values()])

    @cached_property
    def silhouette(self) -> tuple[Vectors, ...]:
        """Its outlines (k, 2) m as seen from the front, to 3 mm."""
        corners = self.points[self.triangles][:, :, :2]
        a, b, c = (corners[:, k] for k in range(3))
        area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
        seen = shapely.union_all([shapely.Polygon(one) for one in corners[area > SEEN]], grid_size=GRID)
        parts = getattr(seen, "geoms", [seen])
        return tuple(np.asarray(part.exterior.simplify(OUTLINE).coords)[:-1] for part in parts)

    def arm_angle(self) -> float:
        """Degrees that the arms point below level at rest, as seen from the front."""
        limb = self.limbs["left arm"]
        along = limb.end - limb.root
        return float(np.degrees(np.arctan2(-along[1], abs(along[0]))))

    def leg_angle(self) -> float:
        """Degrees that the legs are spread from upright at rest, as seen from the front."""
        limb = self.limbs["left leg"]
        along = limb.end - limb.root
        return float(np.degrees(np.arctan2(abs(along[0]), -along[1])))

    def to_world(self, points: Points) -> Points:
        """Points (k, 3) of its frame in the shot's."""
        return np.asarray(points @ self.world[:3, :3].T + self.world[:3, 3])

    def from_world(self, points: Points) -> Points:
        """Points (k, 3) of the shot's frame in its own."""
        return np.asarray((points - self.world[:3, 3]) @ self.world[:3, :3])


def figure_of(
    name: str, points: Points, triangles: Triangles, joints: Points, skeleton: Skeleton, skin: Skin
) -> Figure:
    """Find arms, legs and the neck of a skinned figure, points (n, 3) m, by where its joints (j, 3) m are.

    Names of joints are not read. `CastError` when it has no two legs, two arms and a head.
    """
    tree = _Tree(name, joints, skeleton)
    left, right = tree.feet()
    arms = tree.hands(left, right)
    turn, floor = _facing(tree, (left, right), points, skin)
    flat = (points - floor) @ turn
    at = (joints - floor) @ turn
    chains = {}
    for which, leaves in (("leg", (left, right)), ("arm", arms)):
        one, other = sorted(leaves, key=lambda leaf: -at[leaf, 0])
        chains[f"left {which}"], chains[f"right {which}"] = tree.limb(one, at), tree.limb(other, at)
    limbs: dict[BodyPart, Limb] = {}
    for part in LIMBS:
        root, middle, end = chains[part]
        share = np.isin(skin.joints, tree.below(root)) * skin.weights
        limbs[part] = Limb(at[root], at[middle], at[end], np.asarray(share.sum(axis=1)))
    world = np.eye(4)
    world[:3, :3], world[:3, 3] = turn, floor
    trunk = np.stack([limbs[part].root for part in LIMBS])
    return Figure(
        world, flat, triangles, _axis(at, skeleton, skin, flat), limbs, at[tree.neck(arms)],
        at[tree.shared(left, right)], float(trunk[:, 2].mean()),
    )  # fmt: skip


class _Tree:
    """Joints as a tree."""

    def __init__(self, name: str, joints: Points, skeleton: Skeleton) -> None:
        self.name, self.joints = name, joints
        self.parents = [int(parent) for parent in skeleton.parents]
        count = len(self.parents)
        ends = sorted(set(range(count)) - set(self.parents))
        self.leaves = [leaf for leaf in ends if len(self.path(leaf)) > 2]
        if len(self.leaves) < 5:
            raise self._unlike("it has fewer than five chains of joints")
        self.low, self.high = float(joints[:, 1].min()), float(joints[:, 1].max())
        self.level = self.low + LOW * (self.high - self.low)

    def path(self, leaf: int) -> list[int]:
        """From the root to a joint."""
        out = [leaf]
        while self.parents[out[-1]] >= 0:
            out.append(self.parents[out[-1]])
        return out[::-1]

    def shared(self, one: int, other: int) -> int:
        """The last joint on the way to both."""
        both = [a for a, b in zip(self.path(one), self.path(other), strict=False) if a == b]
        if not both:
            raise self._unlike("its joints are not one tree")
        return both[-1]

    def below(self, joint: int) -> list[int]:
        """A joint and all that hang from it."""
        out = [joint]
        for child in range(joint + 1, len(self.parents)):
            if self.parents[child] in out:
                out.append(child)
        return out

    def feet(self) -> tuple[int, int]:
        """The ends of two legs: the lowest joints whose ways part above the knees."""
        low = sorted(self.leaves, key=lambda leaf: self.joints[leaf, 1])
        for other in low[1:]:
            if self.joints[other, 1] > self.level:
                break
            if self.joints[self.shared(low[0], other), 1] > self.level:
                return low[0], other
        raise self._unlike("it has no two legs")

    def head(self) -> int:
        """The end of the head."""
        return max(self.leaves, key=lambda leaf: self.joints[leaf, 1])

    def hands(self, left: int, right: int) -> tuple[int, int]:
        """The ends of two arms: the joints furthest to either side, above the legs."""
        across = self.joints[left] - self.joints[right]
        across[1] = 0.0
        high = [leaf for leaf in self.leaves if self.joints[leaf, 1] > self.level and leaf != self.head()]
        if len(high) < 2:
            raise self._unlike("it has no two arms")
        along = self.joints @ across
        one, other = max(high, key=lambda leaf: along[leaf]), min(high, key=lambda leaf: along[leaf])
        if one == other or self.shared(one, other) in (one, other):
            raise self._unlike("it has no two arms")
        return one, other

    def neck(self, arms: tuple[int, int]) -> int:
        """The first joint of the head's own."""
        way, both = self.path(self.head()), self.shared(*arms)
        if both not in way or way[-1] == both:
            raise self._unlike("it has no neck")
        return way[way.index(both) + 1]

    def limb(self, leaf: int, at: Points) -> tuple[int, int, int]:
        """Root, middle and end of a limb: the two bones in a row that are longest together."""
        way = self.path(leaf)
        own = [joint for joint in way if abs(at[joint, 0]) > 1e-3]
        if len(own) < 3:
            raise self._unlike("an arm or leg has fewer than three joints")
        bones = [float(np.linalg.norm(at[b] - at[a])) for a, b in pairwise(own)]
        first = int(np.argmax([a + b for a, b in pairwise(bones)]))
        return own[first], own[first + 1], own[first + 2]

    def _unlike(self, what: str) -> CastError:
        return CastError(
            f"'{self.name}' cannot be dressed by sewing: {what}", where="its skeleton",
            remedy="Sew round a figure with a head, two arms and two legs, or make the garment another way",
        )  # fmt: skip


def _facing(tree: _Tree, feet: tuple[int, int], points: Points, skin: Skin) -> tuple[Matrices, Vectors]:
    """The axes (3, 3) of a figure as columns, and where its frame stands, (3,) m. Feet point forward."""
    across = tree.joints[feet[0]] - tree.joints[feet[1]]
    across[1] = 0.0
    size = float(np.linalg.norm(across))
    if size < 1e-4:
        raise CastError(f"the feet of '{tree.name}' stand on each other", where="its skeleton")
    front = np.cross(across / size, [0.0, 1.0, 0.0])
    own = skin.joints[np.arange(len(points)), skin.weights.argmax(axis=1)]
    forward = 0.0
    for foot in feet:
        way = tree.path(foot)
        ankle = next(joint for joint in reversed(way) if len(tree.below(joint)) > 1 or joint == way[-2])
        sole = points[np.isin(own, tree.below(ankle))]
        if len(sole):
            forward += float((sole.mean(axis=0) - tree.joints[ankle]) @ front)
    front = front if forward >= 0 else -front
    axes = np.stack([np.cross([0.0, 1.0, 0.0], front), [0.0, 1.0, 0.0], front], axis=1)
    place = tree.joints[tree.shared(*feet)].copy()
    place[1] = float(points[:, 1].min())
    return axes, place


def _axis(joints: Points, skeleton: Skeleton, skin: Skin, points: Points) -> Points:
    """The place (n, 3) m on the skeleton that each vertex belongs to: on the bones of its joints, by weight."""
    out = np.zeros_like(points)
    children: dict[int, list[int]] = {}
    for joint, parent in enumerate(skeleton.parents):
        children.setdefault(int(parent), []).append(joint)
    near = np.zeros((len(joints), *points.shape))
    for joint, parent in enumerate(skeleton.parents):
        head = joints[joint]
        ends = [joints[child] for child in children.get(joint, [])]
        if not ends:
            ends = [head + (head - joints[parent])] if parent >= 0 else [head]
        nearest = np.full(len(points), np.inf)
        for end in ends:
            bone = end - head
            along = np.clip((points - head) @ bone / max(float(bone @ bone), 1e-12), 0, 1)
            place = head + along[:, None] * bone
            away = np.linalg.norm(points - place, axis=1)
            near[joint][away < nearest] = place[away < nearest]
            nearest = np.minimum(nearest, away)
    each = np.arange(len(points))
    for influence in range(skin.joints.shape[1]):
        out += skin.weights[:, influence, None] * near[skin.joints[:, influence], each]
    return out
