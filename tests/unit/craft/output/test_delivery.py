"""Checks of a written delivery: every one must be able to fail."""

from __future__ import annotations

import numpy as np
import pytest

from patient_needle.core.craft.output.delivery import Wanted, check_written, placement, resampled, sample_count
from patient_needle.core.model.mesh import Mesh
from patient_needle.formats.frames import CacheFrames

WANTED = Wanted("cm", "z", 24.0, 1001, 1004)
MESH = Mesh(
    "square", np.array([[0.0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]), np.array([4], np.int32),
    np.arange(4, dtype=np.int32),
)  # fmt: skip
FRAMES = np.stack([MESH.vertices + [0, 0.1 * k, 0.02 * k * k] for k in range(4)])
TAKE = CacheFrames(MESH, 24.0, 1001, FRAMES.astype(np.float32), "the take")
WRITTEN = (FRAMES @ placement(WANTED).T).astype(np.float32)


def failing(written=WRITTEN, corners=(0, 1, 2, 3), timing=(1001.0, 24.0), expected=FRAMES, mesh=MESH):
    checks = check_written(mesh, written, corners, timing, list(expected), WANTED, len(expected))
    return [check.name for check in checks if not check.good]


def test_what_is_right_passes():
    assert failing() == []
    assert failing(corners=None, timing=(None, None)) == []


def test_placement_is_a_turn_and_a_scale():
    up = placement(WANTED) @ [0.0, 1.0, 0.0]
    assert up == pytest.approx([0, 0, 100])
    assert np.linalg.det(placement(WANTED)) == pytest.approx(1e6)  # no mirror


@pytest.mark.parametrize(
    ("wrong", "name"),
    [
        ({"written": WRITTEN[:, :3]}, "Vertex count"),
        ({"corners": (1, 0, 2, 3)}, "Vertex order"),
        ({"written": WRITTEN[:3]}, "Range and rate"),
        ({"timing": (1000.0, 24.0)}, "Range and rate"),
        ({"timing": (1001.0, 25.0)}, "Range and rate"),
        ({"written": WRITTEN[:, [1, 0, 2, 3]]}, "Largest error"),
        ({"written": WRITTEN * 1.0001}, "Largest error"),
        ({"written": WRITTEN[:, :, [0, 2, 1]]}, "Largest error"),
        ({"written": np.where(WRITTEN == 0, np.nan, WRITTEN)}, "Bounds"),
    ],
    ids=["count", "faces", "frames", "first", "rate", "order", "scale", "axis", "nan"],
)
def test_what_is_wrong_is_found(wrong, name):
    assert name in failing(**wrong)


def test_bounds_are_said_to_the_millimetre():
    bounds = next(
        c for c in check_written(MESH, WRITTEN, None, (None, None), FRAMES, WANTED, 4) if c.name == "Bounds"
    )
    assert bounds.said == "100.0 x 18.0 x 130.0 cm over the range, Z up, from 0.0 to 130.0 cm in height"


@pytest.mark.parametrize(("rate", "count"), [(24.0, 4), (48.0, 7), (12.0, 2), (25.0, 4), (30.0, 4)])
def test_samples_at_another_rate(rate, count):
    wanted = Wanted("m", "y", rate, 1001, 1004)
    assert sample_count(wanted, 24.0) == count
    assert len(list(resampled(TAKE, wanted))) == count


def test_resampling_keeps_a_parabola():
    """Catmull and Rom's cubic reproduces parabolas within the frames that have both neighbours."""
    wanted = Wanted("m", "y", 48.0, 1001, 1004)
    found = list(resampled(TAKE, wanted))
    assert found[3] == pytest.approx(MESH.vertices + [0, 0.15, 0.02 * 1.5**2], abs=1e-6)
