"""The figure as a signed distance field on a grid: lofted parts melted together."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy.interpolate import PchipInterpolator
from scipy.ndimage import gaussian_filter1d

from . import profiles as shape

FAR = 1.0  # m, the field's value where nothing has been put


def turned(axis: str, degrees: float) -> np.ndarray:
    """Rotation matrix about x, y or z."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return {
        "x": np.array([[1, 0, 0], [0, c, -s], [0, s, c]]),
        "y": np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]]),
        "z": np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]),
    }[axis]


ALONG_ARM = np.array([np.cos(np.radians(shape.ARM_DOWN)), -np.sin(np.radians(shape.ARM_DOWN)), 0.0])
ABOVE_ARM = np.array([-ALONG_ARM[1], ALONG_ARM[0], 0.0])
SHOULDER, ANKLE = np.array(shape.SHOULDER), np.array(shape.ANKLE)
FOOT_TURN = turned("y", shape.TOES_OUT)


class Profile:
    """Columns of a table as smooth functions of its first column."""

    def __init__(self, table: tuple[tuple[float, ...], ...], smoothing: float) -> None:
        rows = np.array(table)
        rows = rows[np.argsort(rows[:, 0])]
        self.low, self.high = rows[0, 0], rows[-1, 0]
        self._at = np.arange(self.low, self.high + 1e-9, 0.001)
        values = PchipInterpolator(rows[:, 0], rows[:, 1:], axis=0)(self._at)
        self._values = gaussian_filter1d(values, smoothing / 0.001, axis=0, mode="nearest")

    def __call__(self, where: np.ndarray) -> list[np.ndarray]:
        inside = np.clip(where, self.low, self.high)
        return [np.interp(inside, self._at, column) for column in self._values.T]

    def beyond(self, where: np.ndarray) -> np.ndarray:
        """How far outside the table's range, m."""
        return np.maximum(self.low - where, where - self.high)


def superellipse(u, v, right, left, up, down, exponent):
    """First-order distance to an asymmetric superellipse."""
    a, b = np.where(u > 0, right, left), np.where(v > 0, up, down)
    eu, ev = np.maximum(np.abs(u) / a, 1e-5), np.maximum(np.abs(v) / b, 1e-5)
    k = (eu**exponent + ev**exponent) ** (1 / exponent)
    slope_u, slope_v = (eu / k) ** (exponent - 1) / a, (ev / k) ** (exponent - 1) / b
    return (k - 1) / np.hypot(slope_u, slope_v)


def capped(section, beyond):
    """Distance to a loft that ends."""
    corner = np.hypot(np.maximum(section, 0), np.maximum(beyond, 0))
    return np.where((section > 0) & (beyond > 0), corner, np.maximum(section, beyond))


def melt(a, b, blend: float):
    """Smooth union, cubic within `blend` m."""
    h = np.maximum(blend - np.abs(a - b), 0) / blend
    return np.minimum(a, b) - h**3 * blend / 6


def ellipsoid(points, centre, radii, turns):
    offset = points - np.array(centre)
    for axis, degrees in turns:
        offset = offset @ turned(axis, degrees)
    near = np.linalg.norm(offset / np.array(radii), axis=-1)
    slope = np.linalg.norm(offset / np.array(radii) ** 2, axis=-1)
    return near * (near - 1) / np.maximum(slope, 1e-6)


def round_cone(points, start, end, first, last):
    start, along = np.array(start), np.array(end) - np.array(start)
    t = np.clip(((points - start) @ along) / (along @ along), 0, 1)
    return np.linalg.norm(points - start - t[..., None] * along, axis=-1) - (first + (last - first) * t)


ARM_TABLE = (
    *((*row, 2.1) for row in shape.ARM if row[0] < shape.UPPER_ARM + shape.FOREARM - 0.012),
    *((row[0] + shape.UPPER_ARM + shape.FOREARM, *row[1:], 2.5) for row in shape.HAND if row[0] >= 0),
)
PROFILES = {
    "trunk": Profile(shape.TRUNK, 0.012),
    "groove": Profile(shape.GROOVE, 0.015),
    "leg": Profile(shape.LEG, 0.012),
    "arm": Profile(ARM_TABLE, 0.006),
    "foot": Profile(shape.FOOT, 0.006),
    "head": Profile(shape.HEAD, 0.005),
}


def trunk_section(points: np.ndarray) -> np.ndarray:
    """Distance to the trunk's outline at each point's height, without grooves."""
    width, front, back, exponent = PROFILES["trunk"](points[..., 1])
    middle = (front + back) / 2
    return superellipse(
        points[..., 0], points[..., 2] - middle, width, width, front - middle, middle - back, exponent
    )


def arm_frame(points: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Along, above and in front of the left arm's line."""
    offset = points - SHOULDER
    return offset @ ALONG_ARM, offset @ ABOVE_ARM, offset[..., 2]


def arm_section(points: np.ndarray) -> np.ndarray:
    """Distance to the left arm's outline at each point's place along it."""
    s, u, v = arm_frame(points)
    over, ahead, up, down, front, back, exponent = PROFILES["arm"](s)
    return superellipse(u - over, v - ahead, up, down, front, back, exponent)


def _trunk(points: np.ndarray) -> np.ndarray:
    width, front, back, exponent = PROFILES["trunk"](points[..., 1])
    middle = (front + back) / 2
    spine, chest = PROFILES["groove"](points[..., 1])
    back = back + spine * np.exp(-((points[..., 0] / 0.020) ** 2))
    front = front - chest * np.exp(-((points[..., 0] / 0.018) ** 2))
    section = superellipse(
        points[..., 0], points[..., 2] - middle, width, width, front - middle, middle - back, exponent
    )
    return capped(section, PROFILES["trunk"].beyond(points[..., 1]))


def _leg(points: np.ndarray) -> np.ndarray:
    cx, cz, inner, outer, front, back = PROFILES["leg"](points[..., 1])
    section = superellipse(points[..., 0] - cx, points[..., 2] - cz, outer, inner, front, back, 2.15)
    return capped(section, PROFILES["leg"].beyond(points[..., 1]))


def _arm(points: np.ndarray) -> np.ndarray:
    return capped(arm_section(points), PROFILES["arm"].beyond(arm_frame(points)[0]))


def _foot(points: np.ndarray) -> np.ndarray:
    local = (points - ANKLE) @ FOOT_TURN
    cx, inner, outer, top = PROFILES["foot"](local[..., 2])
    half = top / 2 + 0.008
    section = superellipse(local[..., 0] - cx, points[..., 1] - (top - half), outer, inner, half, half, 2.4)
    solid = capped(section, PROFILES["foot"].beyond(local[..., 2]))
    return -melt(-solid, points[..., 1], 0.012)


def _head(points: np.ndarray) -> np.ndarray:
    width, front, back, exponent = PROFILES["head"](points[..., 1])
    middle = back + 0.55 * (front - back)
    section = superellipse(
        points[..., 0], points[..., 2] - middle, width, width, front - middle, middle - back, exponent
    )
    return capped(section, PROFILES["head"].beyond(points[..., 1]))


class Grid:
    """A regular grid that is symmetric about x = 0."""

    def __init__(self, spacing: float) -> None:
        self.spacing = spacing
        self.counts = np.array([round(1.52 / spacing) | 1, round(1.80 / spacing), round(0.50 / spacing)])
        self.origin = np.array([-(self.counts[0] - 1) / 2 * spacing, -0.03, -0.20])

    def empty(self) -> np.ndarray:
        return np.full(self.counts, FAR, np.float32)

    def put(
        self,
        field: np.ndarray,
        low: np.ndarray,
        high: np.ndarray,
        part: Callable[[np.ndarray], np.ndarray],
        blend: float,
        *,
        mirrored: bool = True,
        even: bool = False,
    ) -> None:
        """Melt `part` into the field within a box; `even` makes its gradient 1; mirrored onto the right."""
        first = np.maximum(np.floor((low - 0.045 - self.origin) / self.spacing).astype(int), 0)
        last = np.ceil((high + 0.045 - self.origin) / self.spacing).astype(int) + 1
        last = np.minimum(last, self.counts)
        axes = [self.origin[k] + self.spacing * np.arange(first[k], last[k]) for k in range(3)]
        values = part(np.stack(np.meshgrid(*axes, indexing="ij"), -1))
        if even:
            slope = np.sqrt(sum(g * g for g in np.gradient(values, self.spacing)))
            values = values / np.clip(slope, 0.6, 3.0)
        box = tuple(slice(a, b) for a, b in zip(first, last, strict=True))
        field[box] = melt(field[box], values.astype(np.float32), blend)
        if mirrored:
            count = self.counts[0]
            other = (slice(count - box[0].stop, count - box[0].start), *box[1:])
            field[other] = melt(field[other], values[::-1].astype(np.float32), blend)

    def relief(self, field, centre, radii, turns, blend, *, mirrored=True) -> None:
        centre, reach = np.array(centre), max(radii)
        self.put(
            field, centre - reach, centre + reach,
            lambda p: ellipsoid(p, centre, radii, turns), blend, mirrored=mirrored,
        )  # fmt: skip

    def cone(self, field, start, end, first, last, blend, *, mirrored=True) -> None:
        a, b, reach = np.array(start), np.array(end), max(first, last)
        self.put(
            field, np.minimum(a, b) - reach, np.maximum(a, b) + reach,
            lambda p: round_cone(p, a, b, first, last), blend, mirrored=mirrored,
        )  # fmt: skip


def build_field(spacing: float = 0.005) -> tuple[Grid, np.ndarray]:
    """The whole figure in its rest pose."""
    grid = Grid(spacing)
    body = grid.empty()
    trunk = PROFILES["trunk"]
    grid.put(
        body, np.array([-0.24, trunk.low, -0.17]), np.array([0.24, trunk.high, 0.17]), _trunk, 0.01,
        mirrored=False, even=True,
    )  # fmt: skip
    for relief in shape.TRUNK_RELIEFS:
        grid.relief(body, *relief)
    for cone in shape.TRUNK_CONES:
        grid.cone(body, *cone)
    body = melt(body, _legs(grid), shape.BLEND["hip"])
    body = melt(body, _arms(grid), shape.BLEND["shoulder"])
    neck = grid.empty()
    grid.cone(neck, *shape.NECK, 0.01, mirrored=False)
    body = melt(body, neck, shape.BLEND["neck"])
    return grid, melt(body, _skull(grid), shape.BLEND["head"])


def _legs(grid: Grid) -> np.ndarray:
    left = grid.empty()
    grid.put(
        left, np.array([-0.03, 0.02, -0.15]), np.array([0.22, PROFILES["leg"].high, 0.14]), _leg, 0.01,
        mirrored=False, even=True,
    )  # fmt: skip
    for relief in shape.LEG_RELIEFS:
        grid.relief(left, *relief, mirrored=False)
    grid.put(
        left, np.array([0.02, -0.02, -0.14]), np.array([0.20, 0.12, 0.20]), _foot, shape.BLEND["ankle"],
        mirrored=False, even=True,
    )  # fmt: skip
    return melt(left, left[::-1].copy(), shape.BLEND["crotch"])


def _arms(grid: Grid) -> np.ndarray:
    arms = grid.empty()
    wrist = SHOULDER + ALONG_ARM * (shape.UPPER_ARM + shape.FOREARM)
    tip = wrist + ALONG_ARM * shape.HAND_LENGTH
    grid.put(
        arms, np.array([SHOULDER[0] - 0.09, tip[1] - 0.06, -0.13]),
        np.array([tip[0] + 0.06, SHOULDER[1] + 0.09, 0.09]), _arm, 0.01, even=True,
    )  # fmt: skip
    for start, end, first, last, blend in shape.THUMB:
        ends = [wrist + ALONG_ARM * s + ABOVE_ARM * u + np.array([0, 0, v]) for s, u, v in (start, end)]
        grid.cone(arms, *ends, first, last, blend)
    for (s, u, v), radii, blend in shape.ARM_RELIEFS:
        centre = SHOULDER + ALONG_ARM * s + ABOVE_ARM * u + np.array([0, 0, v])
        grid.relief(arms, centre, radii, (("z", -shape.ARM_DOWN),), blend)
    return arms


def _skull(grid: Grid) -> np.ndarray:
    head, profile = grid.empty(), PROFILES["head"]
    grid.put(
        head, np.array([-0.09, profile.low, -0.13]), np.array([0.09, profile.high, 0.14]), _head, 0.01,
        mirrored=False, even=True,
    )  # fmt: skip
    for relief in shape.HEAD_RELIEFS:
        grid.relief(head, *relief)
    for cone in shape.HEAD_CONES:
        grid.cone(head, *cone, mirrored=False)
    return head
