"""A walking dress against a sheet of as many vertices in a general-purpose physics engine."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np

from .limbs import ran, walked

SIDE = 55  # vertices along the sheet's side of 1 m
STEPS = 20  # of 1/480 s, the other engine's per frame


def elsewhere(quick: bool) -> str:
    """The other engine's sheet falls on a ball, self-collision off; ours walks with everything on."""
    walk, _ = ran(1500 if quick else 3000, walked, 8 if quick else 24)
    ours = float(np.median(walk.seconds[4:]))
    theirs = _fallen(6 if quick else 16)
    return (
        "## A walking dress against a general-purpose engine (bar: 15 times as fast)\n\n"
        f"Ours, {walk.vertices:,} vertices, self-collision on, First look: {ours * 1e3:.0f} ms per frame. "
        f"pybullet 3.2.7, a sheet of {SIDE * SIDE:,} vertices that falls on a ball, self-collision off, "
        f"{STEPS} steps: {theirs * 1e3:.0f} ms per frame, {theirs / ours:.1f} times ours. Medians.\n"
    )


def _fallen(frames: int) -> float:
    """Median seconds per frame while the sheet lies on the ball."""
    import pybullet  # only here: it prints as it is loaded

    pybullet.connect(pybullet.DIRECT)
    pybullet.resetSimulation(pybullet.RESET_USE_DEFORMABLE_WORLD)
    pybullet.setGravity(0, 0, -9.81)
    pybullet.setTimeStep(1 / (24 * STEPS))
    pybullet.createMultiBody(0, pybullet.createCollisionShape(pybullet.GEOM_SPHERE, radius=0.3))
    with tempfile.TemporaryDirectory() as folder:
        sheet = Path(folder) / "sheet.obj"
        sheet.write_text(_sheet())
        pybullet.loadSoftBody(
            str(sheet), mass=0.2, useMassSpring=1, useBendingSprings=1, springElasticStiffness=40,
            springDampingStiffness=0.1, useSelfCollision=0, frictionCoeff=0.4, useFaceContact=1,
            collisionMargin=0.003,
        )  # fmt: skip
    seconds = []
    for _ in range(frames):
        start = time.perf_counter()
        for _ in range(STEPS):
            pybullet.stepSimulation()
        seconds.append(time.perf_counter() - start)
    pybullet.disconnect()
    return float(np.median(seconds[4:]))  # by then it has met the ball


def _sheet() -> str:
    """A level square 5 cm above the ball, as an OBJ file's text."""
    across = np.linspace(-0.5, 0.5, SIDE)
    lines = [f"v {x} {y} 0.35" for x in across for y in across]
    for row in range(SIDE - 1):
        for a in range(row * SIDE + 1, row * SIDE + SIDE):
            lines += [f"f {a} {a + 1} {a + SIDE}", f"f {a + 1} {a + SIDE + 1} {a + SIDE}"]
    return "\n".join(lines) + "\n"
