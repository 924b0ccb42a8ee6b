"""What the lamplighter does from frame 1001 to 1120: key poses in the world, and the way between them.

It walks along the quay (+z), steps onto a mooring block, reaches up to light a lamp, turns sharply in a gust,
ducks under the festival line and brushes a lantern aside, steps down and kneels by a bollard.
"""

from __future__ import annotations

import numpy as np
from scipy.interpolate import PchipInterpolator

from .posing import REST, Solved
from .rig import INDEX, PLACES

RATE, FIRST, LAST = 24, 1001, 1120
BLOCK_TOP = 0.30  # m
SOLE = 0.004  # m, room under the feet so that bent toes do not sink in

STRIDE = {
    "pelvis": (0, -0.036, 0.03), "pelvis_turn": (4, -10, 2), "spine_turn": (3, 16, -2),
    "neck_turn": (2, -6, 0), "head_turn": (-4, -2, 0), "handL": (0.37, 0.92, -0.14),
    "handR": (-0.36, 1.00, 0.24), "elbowL": (0.8, -0.2, -1), "elbowR": (-0.9, -0.4, -0.9),
    "collarL": (-3, -6), "collarR": (-3, 6), "footL": (0.075, 0.036, 0.355, 5, -12),
    "footR": (-0.08, 0.007, -0.20, -6, 36), "curlL": 20, "curlR": 25,
}  # fmt: skip
STEP_UP = {
    "pelvis": (0.01, 0.03, 0.07), "pelvis_turn": (3, -6, 3), "spine_turn": (11, 10, -3),
    "neck_turn": (-6, -3, 0), "head_turn": (-10, 0, 0), "handL": (0.40, 1.00, -0.08),
    "handR": (-0.38, 1.14, 0.38), "elbowL": (0.7, -0.1, -1), "elbowR": (-0.8, -0.5, -0.6),
    "collarR": (4, 8), "footL": (0.10, BLOCK_TOP, 0.42, 6, 0), "footR": (-0.095, 0, -0.02, -8, 46),
    "kneeL": (0.14, 0.3, 1), "curlL": 25, "curlR": 15, "wristR": (-6, 0, 0),
}  # fmt: skip
REACH = {
    "pelvis": (-0.04, 0.030, 0.02), "pelvis_turn": (-2, 8, 5), "spine_turn": (-8, 10, -9),
    "neck_turn": (-12, 4, 4), "head_turn": (-14, 4, 0), "collarR": (30, 4), "collarL": (2, 0),
    "handR": (-0.14, 2.00, 0.18), "elbowR": (-0.8, -0.2, 0.35), "handL": (0.43, 0.98, 0.0),
    "elbowL": (0.7, 0, -1), "rollR": -40, "wristR": (-10, 0, 0), "footL": (0.13, 0, 0.05, 10, 28),
    "footR": (-0.10, 0, 0.09, -6, 22), "curlR": 10, "curlL": 18,
}  # fmt: skip
TURN = {
    "pelvis": (0.01, -0.070, 0.01), "pelvis_turn": (8, 40, -5), "spine_turn": (6, 36, 4),
    "neck_turn": (2, 18, 0), "head_turn": (-4, 18, 4), "collarL": (0, -10), "collarR": (2, 14),
    "handR": (0.02, 1.24, 0.44), "elbowR": (-0.8, -0.5, 0.3), "handL": (0.44, 1.03, -0.38),
    "elbowL": (0.9, -0.3, -0.3), "footL": (0.14, 0, -0.02, 56, 0), "footR": (-0.17, 0, 0.14, 28, 38),
    "kneeL": (0.9, 0, 1), "kneeR": (0.3, 0, 1), "curlL": 16, "curlR": 14, "rollR": 20,
}  # fmt: skip
DUCK = {
    "pelvis": (0, -0.24, -0.06), "pelvis_turn": (14, -8, 0), "spine_turn": (19, -12, 6),
    "neck_turn": (16, 4, 0), "head_turn": (12, 10, 0), "collarL": (6, 14), "collarR": (12, 12),
    "chest_space": 1.0, "handR": (-0.12, 1.66, 0.22), "elbowR": (-0.7, -0.25, 0.9),
    "handL": (0.30, 1.48, 0.28), "elbowL": (0.9, -0.5, 0.4), "rollR": -20, "rollL": -10,
    "footL": (0.15, 0, 0.19, 14, 0), "footR": (-0.15, 0, -0.11, -14, 16), "kneeL": (0.25, 0, 1),
    "kneeR": (-0.25, 0, 1), "curlL": 16, "curlR": 16, "wristR": (14, 0, 0), "wristL": (8, 0, 0),
}  # fmt: skip
STEP_DOWN = {
    "pelvis": (0.0, -0.14, 0.20), "pelvis_turn": (8, 8, -3), "spine_turn": (8, -10, 2),
    "neck_turn": (4, 2, 0), "head_turn": (6, 0, 0), "handL": (0.43, 0.94, 0.14),
    "handR": (-0.43, 0.94, 0.04), "elbowL": (0.5, -0.3, -1), "elbowR": (-0.5, -0.3, -1),
    "footR": (-0.11, -BLOCK_TOP, 0.56, -6, 0), "footL": (0.11, 0, 0.0, 10, 34),
    "kneeR": (-0.15, 0.2, 1), "kneeL": (0.2, 0, 1), "curlL": 14, "curlR": 20,
}  # fmt: skip
KNEEL = {
    "pelvis": (0, -0.405, -0.02), "pelvis_turn": (5, 6, 0), "spine_turn": (9, -6, 2),
    "neck_turn": (8, -8, 0), "head_turn": (8, -8, 0), "handL": (0.30, 0.79, 0.42),
    "handR": (-0.41, 0.66, 0.10), "elbowL": (0.9, 0, -0.7), "elbowR": (-0.7, 0, -1), "rollL": 10,
    "footL": (0.14, 0, 0.27, 8, 0), "footR": (-0.13, 0.016, -0.46, -2, 72), "kneeL": (0.18, 0.6, 1),
    "kneeR": (-0.05, -1, 0.35), "curlL": 22, "curlR": 20, "wristL": (14, 0, 0),
}  # fmt: skip

MIRRORED = {key: key[:-1] + {"L": "R", "R": "L"}[key[-1]] for key in REST if key[-1] in "LR"}
IN_WORLD = ("pelvis", "handL", "handR", "footL", "footR")


def mirrored(pose: dict) -> dict:
    """The same pose with left and right exchanged."""
    out = {}
    for key, value in {**REST, **pose}.items():
        array = np.array(value, float)
        if key in ("pelvis", "handL", "handR", "elbowL", "elbowR", "kneeL", "kneeR"):
            array = array * [-1, 1, 1]
        elif key.startswith("foot"):
            array = array * [-1, 1, 1, -1, 1]
        elif key.endswith("_turn"):
            array = array * [1, -1, -1]
        out[MIRRORED.get(key, key)] = array
    return out


# Seconds, pose, where its origin stands in the world.
KEYS = (
    (0.00, STRIDE, (0, 0, -0.95)),
    (0.46, mirrored(STRIDE), (0, 0, -0.395)),
    (0.98, STEP_UP, (0, 0, 0.0)),
    (1.46, {"pelvis": (0, -0.02, 0.02), "handL": (0.41, 0.94, 0.04), "handR": (-0.36, 1.24, 0.28)},
     (0, BLOCK_TOP, 0.34)),
    (1.95, REACH, (0, BLOCK_TOP, 0.34)),
    (2.14, REACH, (0, BLOCK_TOP, 0.34)),
    (2.54, TURN, (0, BLOCK_TOP, 0.34)),
    (2.64, TURN, (0, BLOCK_TOP, 0.34)),
    (3.12, DUCK, (0, BLOCK_TOP, 0.36)),
    (3.20, DUCK, (0, BLOCK_TOP, 0.36)),
    (3.84, STEP_DOWN, (0, BLOCK_TOP, 0.50)),
    (4.72, KNEEL, (0, 0, 1.36)),
    (5.20, KNEEL, (0, 0, 1.36)),
)  # fmt: skip
# What a part passes on its way between two keys, as (seconds, value): the left hand goes round the ribs.
BY_WAY_OF = {"handL": (2.88, (0.40, BLOCK_TOP + 1.00, 0.42))}
# Overlap: how many seconds a part follows (or leads) the pelvis.
LAG = {
    "head_turn": -0.06, "neck_turn": -0.04, "spine_turn": 0.03, "collarL": 0.04, "collarR": 0.04,
    "handL": 0.06, "handR": 0.06, "elbowL": 0.06, "elbowR": 0.06, "wristL": 0.10, "wristR": 0.10,
    "curlL": 0.12, "curlR": 0.12, "rollL": 0.07, "rollR": 0.07,
}  # fmt: skip
STEP_SHARE = (0.08, 0.86)  # part of the way between two keys during which a foot is in the air


EDGE = 1.35, 2.1  # how much sooner than its way a foot is up, and how much later it is down

STRIDE_OVER = 1.0  # m, a stride so long that its arc clears an edge by itself


def _keyed() -> dict[str, np.ndarray]:
    columns: dict[str, list] = {key: [] for key in REST}
    for _, pose, origin in KEYS:
        full = {key: np.array(value, float) for key, value in {**REST, **pose}.items()}
        if full["chest_space"] > 0:
            full = _into_world(full)
        for key in IN_WORLD:
            full[key][:3] += origin
        for key, value in full.items():
            columns[key].append(value)
    return {key: np.array(values) for key, values in columns.items()}


def _into_world(pose: dict) -> dict:
    """Hands that were given in the chest's space, as world targets."""
    solved = Solved(pose)
    out = dict(pose)
    for side in "LR":
        out["hand" + side] = solved.place[INDEX["hand" + side]].copy()
        out["elbow" + side] = solved.turn[3] @ pose["elbow" + side]
    out["chest_space"] = np.array(0.0)
    return out


TIMES = np.array([time for time, _, _ in KEYS])
_KEYED = _keyed()


def _smooth(key: str) -> PchipInterpolator:
    times, values = TIMES, _KEYED[key]
    if key in BY_WAY_OF:
        time, value = BY_WAY_OF[key]
        at = np.searchsorted(times, time)
        times, values = np.insert(times, at, time), np.insert(values, at, value, axis=0)
    return PchipInterpolator(times, values)


_SMOOTH = {key: _smooth(key) for key in _KEYED if not key.startswith("foot")}


def pose_at(seconds: float) -> dict:
    """The pose at a time, every part with its own lag."""
    out = {}
    for key, curve in _SMOOTH.items():
        out[key] = curve(np.clip(seconds - LAG.get(key, 0.0), TIMES[0], TIMES[-1]))
    for side in "LR":
        out["foot" + side] = _stepping(_KEYED["foot" + side], seconds)
        out["foot" + side][1] += SOLE
    return out


def _stepping(keys: np.ndarray, seconds: float) -> np.ndarray:
    """A foot that stands, then swings in an arc to its next place."""
    index = int(np.clip(np.searchsorted(TIMES, seconds, side="right") - 1, 0, len(TIMES) - 2))
    share = (seconds - TIMES[index]) / (TIMES[index + 1] - TIMES[index])
    t = np.clip((share - STEP_SHARE[0]) / (STEP_SHARE[1] - STEP_SHARE[0]), 0, 1)
    swing = t * t * t * (t * (6 * t - 15) + 10)
    a, b = keys[index], keys[index + 1]
    out = a + (b - a) * swing
    rise, distance = b[1] - a[1], np.hypot(*(b - a)[[0, 2]])
    if abs(rise) > 0.05 and distance < STRIDE_OVER:
        # Close to an edge a foot rises first and goes on then, or goes on first and sinks then.
        early = np.clip(EDGE[0] * t if rise > 0 else 1 - EDGE[1] * (1 - t), 0, 1)
        out[1] = a[1] + rise * early**3 * (early * (6 * early - 15) + 10)
    elif abs(rise) > 0.05:
        out[1] += 0.30 * abs(rise) * np.sin(np.pi * swing)
    if distance > 0.02:
        out[1] += min(0.09, 0.03 + 0.15 * distance) * np.sin(np.pi * swing) ** 2
        out[4] += 16 * np.sin(np.pi * min(swing * 1.3, 1)) * (distance > 0.05)
    return out


def solved_at(frame: float) -> Solved:
    """Joint transforms at a frame from FIRST on."""
    return Solved(pose_at((frame - FIRST) / RATE))


def rest_pose() -> Solved:
    """The pose the surface was built in: every joint unturned."""
    solved = Solved.__new__(Solved)
    solved.turn = np.tile(np.eye(3), (len(PLACES), 1, 1))
    solved.place = PLACES.copy()
    return solved
