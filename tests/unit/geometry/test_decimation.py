"""Fewer triangles: what is flat goes first, what bends stays, nothing is folded or joined."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from patient_needle.core.geometry.decimation import decimated
from patient_needle.core.geometry.triangles import area_vectors, triangle_areas
from tests.sheets import sheet


def free(poses):
    return np.zeros(poses.shape[1], bool)


def test_a_flat_sheet_keeps_its_area_and_its_facing():
    points, triangles = sheet(0.4, 0.4, 0.033)
    kept, fewer = decimated(points[None], triangles, 20, free(points[None]))
    assert len(fewer) < len(triangles) / 4  # its border stays
    assert triangle_areas(points[kept], fewer).sum() == pytest.approx(
        triangle_areas(points, triangles).sum(), rel=0.02
    )
    facing = area_vectors(points[kept], fewer)
    assert (np.sign(facing @ area_vectors(points, triangles)[0]) == 1).all()


def test_what_bends_in_another_pose_keeps_more_triangles():
    points, triangles = sheet(0.4, 0.4, 0.025)
    bent = points.copy()
    fold = points[:, 0] > points[:, 0].mean()
    bent[fold, 2] += 0.5 * (points[fold, 0] - points[:, 0].mean())
    wavy = points.copy()
    wavy[fold, 2] += 0.02 * np.sin(40 * points[fold, 1])
    poses = np.stack([points, bent, wavy])
    kept, _ = decimated(poses, triangles, 120, free(poses))
    flat, _ = decimated(points[None], triangles, 120, free(points[None]))
    inner = (np.abs(points[:, :2] - 0.2) < 0.19).all(axis=1)  # the border stays in any case
    assert (fold & inner)[kept].sum() > 2 * (~fold & inner)[kept].sum()
    assert (fold & inner)[kept].sum() > (fold & inner)[flat].sum()


def test_locked_vertices_stay():
    points, triangles = sheet(0.4, 0.4, 0.040)
    locked = np.zeros(len(points), bool)
    locked[[17, 55, 83]] = True
    kept, _ = decimated(points[None], triangles, 8, locked)
    assert np.isin([17, 55, 83], kept).all()


def test_a_closed_ball_stays_closed_and_keeps_its_volume():
    ball = trimesh.creation.icosphere(subdivisions=3, radius=0.2)
    points, triangles = np.array(ball.vertices), np.array(ball.faces, np.int32)
    kept, fewer = decimated(points[None], triangles, 200, free(points[None]))
    less = trimesh.Trimesh(points[kept], fewer, process=False)
    assert less.is_watertight
    # A polyhedron of 200 triangles within a ball lacks 5 % of it at best.
    assert 0.92 * ball.volume < less.volume < ball.volume


def test_more_than_there_is_changes_nothing():
    points, triangles = sheet(0.4, 0.4, 0.100)
    kept, same = decimated(points[None], triangles, 10_000, free(points[None]))
    assert kept.tolist() == list(range(len(points)))
    assert same.tolist() == triangles.tolist()
