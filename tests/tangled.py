"""Starts that are wrong: sleeves through the dress, a hem through itself, a waist inside the body."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy.spatial.transform import Rotation

from patient_needle.core.craft.garments.sources import FromMesh
from patient_needle.core.geometry.motion import Still
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.model.shot import RunIn, ShotPlan
from tests.sheets import polygons
from tests.violent import plan

SETTLED = 24  # frames of the run-in
SHOULDER, FOLD = np.array([0.26, 1.4, 0.0]), 0.42  # m; the hem's flap turns about the height FOLD


def wrong_start(seed: int, vertices: int = 3000) -> ShotPlan:
    """The dress and sleeves of the violent scene, arms hanging: sleeves cut into the skirt, a flap of the hem
    goes out, up and in through the sheet above it, the waist hangs up to a few mm inside the torso.
    """
    rng = np.random.default_rng(seed)
    hanging, turned, aside = rng.uniform(1.40, 1.56), rng.uniform(0, 2 * np.pi), rng.uniform(0.045, 0.06)
    turns = {f"arm{s}": Rotation.from_euler("z", -k * hanging) for s, k in (("L", 1), ("R", -1))}
    made = plan(vertices, lambda _: turns, 0)
    (body,), (garment,) = made.cast, made.garments
    posed = polygons("figure", body.motion.at(0), body.cut.triangles.tolist())
    body = replace(body, mesh=posed, cut=triangulated(posed), motion=Still(posed.vertices))
    rest = garment.mesh.vertices
    points = rest.copy()
    for k in (1, -1):
        sleeve, about = (rest[:, 0] * k > 0.31) & (rest[:, 1] > 1.3), SHOULDER * [k, 1, 1]
        points[sleeve] = Rotation.from_euler("z", -k * hanging).apply(rest[sleeve] - about) + about
    skirt = np.abs(rest[:, 0]) < 0.31
    _fold(points, skirt & (rest[:, 1] < FOLD), turned)
    high = np.clip(1 - np.abs(points[:, 1] - 1.15) / 0.15, 0, 1)
    points[skirt, 0] += (aside * high * (3 - 2 * high) * high)[skirt]
    wrong = replace(
        garment, source=FromMesh(polygons("dress", points, triangulated(garment.mesh).triangles.tolist()))
    )
    return replace(made, cast=(body,), garments=(wrong,), run_in=RunIn(SETTLED, 0))


def _fold(points: np.ndarray, low: np.ndarray, turned: float) -> None:
    """Turn the hem up and inwards about FOLD, most at the angle `turned` about the body."""
    around = np.arctan2(points[low, 2], points[low, 0])
    off = np.abs((around - turned + np.pi) % (2 * np.pi) - np.pi)
    angle = (np.pi + 0.9) * np.clip(1 - (off / 0.35) ** 2, 0, None) ** 2
    below, out = FOLD - points[low, 1], np.stack([np.cos(around), 0 * around, np.sin(around)], axis=1)
    points[low] += (np.sin(angle) * below)[:, None] * out
    points[low, 1] = FOLD - np.cos(angle) * below
