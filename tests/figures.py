"""The demo's figure, posed and read otherwise, for tests of what is judged before a run."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from pathlib import Path

import numpy as np
from scipy.spatial.transform import Rotation

from patient_needle.core.geometry.placing import placement
from patient_needle.core.geometry.skinning import joint_matrices, skinned
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.model.units import METRES_PER_UNIT
from patient_needle.formats.obj import read_obj
from patient_needle.formats.shot_file import assemble  # noqa: F401  (formats register themselves)
from patient_needle.formats.shot_file.document import CastRecord
from patient_needle.formats.shot_file.members import assemble_member

FOLDER = Path(__file__).parents[1] / "demo" / "lamplighter"
SHOT = (1001, 1120)
COSTUME = ("apron_skirt", "over_apron", "peplum", "smock", "collar", "cuffs")
X, Z = (1.0, 0, 0), (0, 0, 1.0)
POSES = {
    "arms up": {"uparmL": (Z, 75), "uparmR": (Z, -75)},
    "seated": {"thighL": (X, -90), "thighR": (X, -90), "shankL": (X, 90), "shankR": (X, 90)},
    "bent": {"spine1": (X, 45), "spine2": (X, 30), "chest": (X, 40)},
}


@lru_cache
def lamplighter():
    """The demo's character."""
    record = CastRecord(name="it", kind="character", starts_at=1001, file="lamplighter.glb")
    return assemble_member(record, FOLDER, 24.0, SHOT).member


@lru_cache
def garment(name: str):
    """A garment's points and triangles, m, Y up."""
    mesh = read_obj(FOLDER / f"{name}.obj")[0]
    return mesh.vertices, triangulated(mesh).triangles


def posed(turns: dict) -> np.ndarray:
    """The figure with joints turned by degrees about axes of the world."""
    motion = lamplighter().motion
    skeleton, rotation = motion.skeleton, motion.skeleton.rest.rotation.copy()
    at_rest = joint_matrices(skeleton, skeleton.rest)
    for name, (axis, degrees) in turns.items():
        joint = skeleton.names.index(name)
        parent = at_rest[skeleton.parents[joint]][:3, :3]
        about = parent.T @ Rotation.from_rotvec(np.radians(degrees) * np.array(axis)).as_matrix() @ parent
        rotation[joint] = (Rotation.from_matrix(about) * Rotation.from_quat(rotation[joint])).as_quat()
    return skinned(motion.points, motion.skin, skeleton, replace(skeleton.rest, rotation=rotation))


def turned(points: np.ndarray, degrees: float) -> np.ndarray:
    """Turned to the left about the upward axis."""
    return points @ placement(1, "y", 1, degrees, (0, 0, 0))[:3, :3].T


def as_file(points: np.ndarray, unit: str, up: str) -> np.ndarray:
    """Points in m, Y up, as a file with another unit and upward axis has them."""
    return points @ np.linalg.inv(placement(METRES_PER_UNIT[unit], up, 1, 0, (0, 0, 0))[:3, :3]).T


def volume(points: np.ndarray, triangles: np.ndarray) -> float:
    a, b, c = (points[triangles[:, k]] for k in range(3))
    return float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6)
