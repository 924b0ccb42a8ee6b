"""Joints and skin weights of the figure."""

from __future__ import annotations

import igl
import numpy as np
from scipy import sparse
from scipy.sparse.linalg import factorized

from . import profiles as shape
from .field import (
    ABOVE_ARM,
    ALONG_ARM,
    ANKLE,
    FOOT_TURN,
    PROFILES,
    SHOULDER,
    arm_frame,
    arm_section,
    trunk_section,
)  # fmt: skip
from .surface import Surface

ELBOW = SHOULDER + ALONG_ARM * shape.UPPER_ARM
WRIST = ELBOW + ALONG_ARM * shape.FOREARM
KNUCKLE = WRIST + ALONG_ARM * 0.098 - ABOVE_ARM * 0.002
HIP, KNEE = np.array([0.088, 0.895, -0.005]), np.array([0.092, 0.490, -0.008])
TOE = ANKLE + FOOT_TURN @ np.array([0.002, -ANKLE[1] + 0.020, 0.128])

_SPINE = (
    ("pelvis", (0, 0.930, -0.008)), ("spine1", (0, 1.025, -0.012)), ("spine2", (0, 1.135, -0.018)),
    ("chest", (0, 1.255, -0.028)), ("neck", (0, 1.452, -0.042)), ("head", (0, 1.552, -0.010)),
)  # fmt: skip
_LIMBS = (
    ("clav", np.array([0.022, 1.418, -0.005]), "chest"), ("uparm", SHOULDER, "clav"),
    ("forearm", ELBOW, "uparm"), ("hand", WRIST, "forearm"), ("fingers", KNUCKLE, "hand"),
    ("thigh", HIP, "pelvis"), ("shank", KNEE, "thigh"), ("foot", ANKLE, "shank"), ("toes", TOE, "foot"),
)  # fmt: skip


def _joints() -> tuple[list[str], np.ndarray, np.ndarray]:
    names = [name for name, _ in _SPINE]
    places = [np.array(place, float) for _, place in _SPINE]
    parents = [-1, 0, 1, 2, 3, 4]
    for side, sign in (("L", 1), ("R", -1)):
        for name, place, parent in _LIMBS:
            names.append(name + side)
            places.append(place * [sign, 1, 1])
            parents.append(names.index(parent if parent in names else parent + side))
    for side, sign in (("L", 1), ("R", -1)):
        # Turns half as far as the thigh: keeps the seat round when the leg is drawn up.
        names.append("halfhip" + side)
        places.append(HIP * [sign, 1, 1])
        parents.append(0)
    return names, np.array(places), np.array(parents)


NAMES, PLACES, PARENTS = _joints()
INDEX = {name: i for i, name in enumerate(NAMES)}


def _smooth(x, low, high):
    t = np.clip((x - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


def skin_weights(surface: Surface) -> np.ndarray:
    """(n, joints) weights: smooth steps along each part, diffused over the surface, four per vertex."""
    raw = _first_weights(surface.vertices)
    raw /= raw.sum(1, keepdims=True)
    stiffness = -igl.cotmatrix(surface.vertices, surface.triangles.astype(np.int64))
    mass = igl.massmatrix(surface.vertices, surface.triangles.astype(np.int64), igl.MASSMATRIX_TYPE_VORONOI)
    spread = _diffused(raw, mass, stiffness, 0.020)
    other_side = [
        INDEX.get({"L": n[:-1] + "R", "R": n[:-1] + "L"}.get(n[-1], n), i) for i, n in enumerate(NAMES)
    ]
    spread = (spread + spread[surface.mirror][:, other_side]) / 2
    spread = _diffused(_half_hips(spread), mass, stiffness, 0.012)
    return _four_largest(spread)


def _diffused(weights, mass, stiffness, length: float):
    solve = factorized(sparse.csc_matrix(mass + length**2 * stiffness))
    columns = [solve(mass @ weights[:, k]) for k in range(weights.shape[1])]
    return np.clip(np.stack(columns, 1), 0, None)


def _half_hips(weights: np.ndarray) -> np.ndarray:
    out = weights.copy()
    for side in "LR":
        thigh, half = INDEX["thigh" + side], INDEX["halfhip" + side]
        trunk = out[:, 0] + out[:, 1]
        shared = np.minimum(out[:, thigh], trunk)
        out[:, half] = 2 * shared
        out[:, thigh] -= shared
        out[:, :2] *= (1 - shared / np.maximum(trunk, 1e-9))[:, None]
    return out


def _four_largest(weights: np.ndarray) -> np.ndarray:
    keep = np.argsort(-weights, 1)[:, :4]
    out = np.zeros_like(weights)
    np.put_along_axis(out, keep, np.take_along_axis(weights, keep, 1), 1)
    out[out < 0.004] = 0
    return out / out.sum(1, keepdims=True)


def _first_weights(vertices: np.ndarray) -> np.ndarray:
    x, y, z = vertices.T
    left = np.stack([np.abs(x), y, z], 1)
    along, over, ahead = arm_frame(left)
    arm = _arm_share(left, along, over)
    leg = _leg_share(left)
    neck_height, head_height = y - 0.45 * (z + 0.042), y + 0.40 * (z + 0.01)
    head = _smooth(head_height, 1.495, 1.560)
    neck = np.where(head > 0, np.maximum(_smooth(neck_height, 1.415, 1.505), head), 0)
    neck = np.maximum(neck, _smooth(neck_height, 1.415, 1.505))
    low, middle, high = _smooth(y, 0.965, 1.075), _smooth(y, 1.075, 1.195), _smooth(y, 1.185, 1.310)
    trunk = (1 - arm) * (1 - leg)
    chest = trunk * high * (1 - neck)
    collar = chest * _smooth(left[:, 0], 0.020, 0.150) * _smooth(y + 0.3 * np.abs(z), 1.24, 1.42) * 0.92
    out = np.zeros((len(vertices), len(NAMES)))
    for name, value in (
        ("pelvis", trunk * (1 - low)), ("spine1", trunk * low * (1 - middle)),
        ("spine2", trunk * middle * (1 - high)), ("chest", chest - collar),
        ("neck", trunk * high * neck * (1 - head)), ("head", trunk * high * neck * head),
    ):  # fmt: skip
        out[:, INDEX[name]] = value
    upper, whole = shape.UPPER_ARM, shape.UPPER_ARM + shape.FOREARM
    elbow, wrist = _smooth(along, upper - 0.050, upper + 0.050), _smooth(along, whole - 0.032, whole + 0.028)
    knuckle = whole + 0.098
    fingers = _smooth(along, knuckle - 0.028, knuckle + 0.028) * (
        1 - _smooth(ahead - 0.35 * (along - knuckle), 0.040, 0.052)
    )
    knee = 1 - _smooth(y, KNEE[1] - 0.065, KNEE[1] + 0.065)
    sole = (left - ANKLE) @ FOOT_TURN
    ankle = 1 - _smooth(y + 0.25 * np.clip(sole[:, 2], -0.03, 0.06), 0.060, 0.130)
    toes = _smooth(sole[:, 2], 0.100, 0.152)
    for side, sign in (("L", 1), ("R", -1)):
        here = np.where(np.abs(x) < 1e-9, 0.5, (x * sign > 0).astype(float))
        limb, stride = arm * here, leg * _smooth(x * sign, -0.025, 0.025) * (1 - arm)
        for name, value in (
            ("clav", collar * here), ("uparm", limb * (1 - elbow)),
            ("forearm", limb * elbow * (1 - wrist)), ("hand", limb * elbow * wrist * (1 - fingers)),
            ("fingers", limb * elbow * wrist * fingers), ("thigh", stride * (1 - knee)),
            ("shank", stride * knee * (1 - ankle)), ("foot", stride * knee * ankle * (1 - toes)),
            ("toes", stride * knee * ankle * toes),
        ):  # fmt: skip
            out[:, INDEX[name + side]] = value
    return out


def _arm_share(left, along, over):
    """Arm against trunk by the difference of their distance fields."""
    y = left[:, 1]
    trunk = np.where(y > PROFILES["trunk"].high, 0.2, trunk_section(left))
    arm = arm_section(left)
    arm = np.maximum(arm, -along - 0.05)
    high = _smooth(over, -0.02, 0.05)
    share = _smooth((trunk - arm + 0.045 + 0.03 * high) / (0.100 + 0.04 * high), 0, 1)
    share = share * _smooth((along + 0.060 + 0.025 * high) / (0.135 + 0.055 * high), 0, 1)
    share = np.where(along > 0.14, np.where(arm < 0.05, 1, share), share)
    share[(y < 1.0) & (left[:, 0] < 0.3)] = 0
    share[y > 1.47] = 0
    return share


def _leg_share(left):
    """Leg against trunk across a slanted crease, wider behind."""
    x, y, z = left.T
    crease = 0.815 + 0.75 * np.minimum(x, 0.18) - 0.012 * np.clip(-z / 0.1, 0, 1)
    half = np.where(z > 0, 0.060, 0.060 + 0.042 * np.clip(-z / 0.06, 0, 1))
    half = half * np.clip(0.55 + x / 0.12, 0.55, 1.0)
    share = 1 - _smooth((y - crease + half) / (2 * half), 0, 1)
    return np.where(y < 0.70, 1, share)
