"""Caches against readers that share no code with what wrote them."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
import pytest

from patient_needle.core.model.errors import FileError
from patient_needle.formats.alembic_cache import read_alembic, write_alembic
from patient_needle.formats.obj import read_obj
from patient_needle.formats.pc2 import write_pc2
from patient_needle.formats.registry import CacheTiming

from . import ogawa

SKIRT = Path(__file__).parents[2] / "demo" / "lamplighter" / "apron_skirt.obj"


@pytest.fixture
def skirt():
    (mesh,) = read_obj(SKIRT)
    rng = np.random.default_rng(0)
    return mesh, [mesh.vertices + 0.01 * rng.normal(size=mesh.vertices.shape) for _ in range(5)]


def test_pc2_by_its_bytes(tmp_path, skirt):
    """PC2's layout (common practice, no published standard) read with struct and NumPy alone."""
    mesh, frames = skirt
    write_pc2(tmp_path / "a.pc2", mesh, frames, CacheTiming(1001, 24))
    data = (tmp_path / "a.pc2").read_bytes()
    assert struct.unpack("<12siiffi", data[:32]) == (b"POINTCACHE2\0", 1, mesh.vertex_count, 1001.0, 1.0, 5)
    points = np.frombuffer(data[32:], "<f4").reshape(5, -1, 3)
    assert np.array_equal(points, np.array(frames, np.float32))


def test_alembic_by_an_independent_reader(tmp_path, skirt):
    """Positions, faces (clockwise, as the format winds them) and times, from the container's bytes."""
    mesh, frames = skirt
    write_alembic(tmp_path / "a.abc", mesh, frames, CacheTiming(1001, 24))
    found = ogawa.mesh_samples(tmp_path / "a.abc", mesh.name, f"{mesh.name}Shape")
    assert np.array_equal(np.array(found["P"]), np.array(frames, np.float32))
    assert found[".faceCounts"][0].ravel().tolist() == mesh.face_sizes.tolist()
    corners = found[".faceIndices"][0].ravel()
    assert corners[: mesh.face_sizes[0]][::-1].tolist() == mesh.face(0).tolist()
    cycle, (start,) = ogawa.time_samplings(tmp_path / "a.abc")[1]
    assert cycle == pytest.approx(1 / 24)
    assert start == pytest.approx(1001 / 24)


def test_alembic_round_trip_keeps_order_groups_and_times(tmp_path, skirt):
    mesh, frames = skirt
    write_alembic(tmp_path / "a.abc", mesh, frames, CacheTiming(1001, 24))
    back = read_alembic(tmp_path / "a.abc")
    assert np.array_equal(back.frames, np.array(frames, np.float32))
    assert back.mesh.face_corners.tolist() == mesh.face_corners.tolist()
    assert {k: sorted(v) for k, v in back.mesh.groups.items()} == {k: sorted(v) for k, v in mesh.groups.items()}
    assert back.times * 24 == pytest.approx([1001, 1002, 1003, 1004, 1005])


def test_damaged_alembic(tmp_path, skirt):
    mesh, frames = skirt
    path = tmp_path / "a.abc"
    write_alembic(path, mesh, frames, CacheTiming(1001, 24))
    with pytest.raises(FileError, match="called 'cape'"):
        read_alembic(path, "cape")
    path.write_bytes(b"not a cache")
    with pytest.raises(FileError, match="not a sound Alembic file: it is cut short"):
        read_alembic(path)
    with pytest.raises(FileError, match="does not exist"):
        read_alembic(tmp_path / "none.abc")
    with pytest.raises(FileError, match="no frames"):
        write_alembic(tmp_path / "b.abc", mesh, [], CacheTiming(1001, 24))
    assert not (tmp_path / "b.abc").exists()
