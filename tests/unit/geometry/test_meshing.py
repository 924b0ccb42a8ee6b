"""Meshing flat pieces and surfaces anew: quality, what is kept, and the same bits."""

from __future__ import annotations

import numpy as np
import pytest

from patient_needle.core.geometry.flat_meshing import even_mesh, evenly_along
from patient_needle.core.geometry.remeshing import remeshed
from patient_needle.core.geometry.topology import border_loops, build_topology
from patient_needle.core.model.errors import MeshError
from tests.sheets import box, sheet


def quality(points: np.ndarray, triangles: np.ndarray, size) -> tuple[float, float]:
    """Share of the edges from 0.6 to 1.5 of the size asked in their middle, and of the angles of 20 degrees or
    more.
    """
    corners = points[triangles]
    sides = np.roll(corners, -1, axis=1) - corners
    middle = (corners + np.roll(corners, -1, axis=1)) / 2
    lengths = np.linalg.norm(sides, axis=2)
    ratio = lengths / size(middle.reshape(-1, points.shape[1])).reshape(lengths.shape)
    cosine = -(sides * np.roll(sides, 1, axis=1)).sum(axis=2) / lengths / np.roll(lengths, 1, axis=1)
    return float(((ratio > 0.6) & (ratio < 1.5)).mean()), float((cosine <= np.cos(np.radians(20))).mean())


def ring_sector(inner: float, outer: float, angle: float, spacing: float) -> np.ndarray:
    """The outline of a ring's sector, cut at a spacing, counter-clockwise."""
    turn = np.linspace(-angle / 2, angle / 2, 500)
    arc = lambda r, t: evenly_along(np.stack([r * np.sin(t), -r * np.cos(t)], axis=1), spacing)  # noqa: E731
    low, high = arc(outer, turn), arc(inner, turn[::-1])
    right = evenly_along(np.array([low[-1], high[0]]), spacing)
    left = evenly_along(np.array([high[-1], low[0]]), spacing)
    return np.concatenate([low[:-1], right[:-1], high[:-1], left[:-1]])


@pytest.mark.parametrize("spacing", [0.03, 0.011])
@pytest.mark.parametrize("angle", [0.4, 1.9, 3.0])
def test_a_flat_piece_is_even_and_keeps_its_border(spacing, angle):
    outline = ring_sector(0.2, 0.7, angle, spacing)
    even = lambda at: np.full(len(at), spacing)  # noqa: E731
    mesh = even_mesh(outline, even)
    edges, angles = quality(mesh.points, mesh.triangles, even)
    assert edges >= 0.95
    assert angles >= 0.99
    assert np.array_equal(mesh.points[: mesh.border], outline)
    (loop,) = border_loops(build_topology(mesh.triangles, len(mesh.points)))
    assert set(loop.tolist()) == set(range(mesh.border))
    again = even_mesh(outline, even)
    assert again.points.tobytes() == mesh.points.tobytes()
    assert again.triangles.tobytes() == mesh.triangles.tobytes()


def test_a_flat_piece_is_finer_where_the_size_says():
    size = lambda at: np.clip(0.008 + 0.15 * at[:, 1], 0.008, 0.03)  # noqa: E731
    wide = evenly_along(np.array([[0.0, 0.0], [0.6, 0.0]]), 0.008)
    up = [0.0]
    while up[-1] < 0.5:
        up.append(up[-1] + float(size(np.array([[0.0, up[-1]]]))[0]))
    up = np.array(up) * 0.5 / up[-1]
    right = np.stack([np.full(len(up), 0.6), up], axis=1)
    top = evenly_along(np.array([[0.6, 0.5], [0.0, 0.5]]), 0.03)
    left = np.stack([np.zeros(len(up)), up[::-1]], axis=1)
    mesh = even_mesh(np.concatenate([wide[:-1], right[:-1], top[:-1], left[:-1]]), size)
    edges, angles = quality(mesh.points, mesh.triangles, size)
    assert edges >= 0.95
    assert angles >= 0.99


def test_an_outline_through_itself_is_refused():
    with pytest.raises(MeshError, match="no simple line"):
        even_mesh(np.array([[0, 0], [1, 1], [1, 0], [0, 1.0]]), lambda at: np.full(len(at), 0.1))


@pytest.mark.parametrize("spacing", [0.04, 0.013, 0.005])
def test_a_flat_sheet_keeps_its_corners_and_its_area(spacing):
    points, triangles = sheet(0.4, 0.3, 0.017)
    found = remeshed(points, triangles, np.zeros(len(triangles), np.int32), np.full(len(points), spacing))
    edges, angles = quality(found.points, found.triangles, lambda at: np.full(len(at), spacing))
    assert edges >= 0.95
    assert angles >= 0.99
    corners = found.points[found.triangles]
    area = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 2] / 2
    assert area.min() > 0  # none is turned over
    assert area.sum() == pytest.approx(0.12, rel=1e-12)
    for corner in ((0, 0), (0.4, 0), (0, 0.3), (0.4, 0.3)):
        assert np.linalg.norm(found.points[:, :2] - corner, axis=1).min() < 1e-12


def test_a_cylinder_keeps_its_edges_within_the_chord_and_its_area_within_the_facets():
    """Sagitta s^2 / 8R of a chord s on a circle of radius R; facets of edge s lose s^2 / 24 R^2 of the area."""
    radius, height, spacing = 0.1, 0.3, 0.012
    turn = np.arange(400) / 400 * 2 * np.pi
    ring = np.stack([radius * np.sin(turn), np.zeros(400), radius * np.cos(turn)], axis=1)
    rows = [ring + [0, y, 0] for y in np.linspace(0, height, 40)]
    at = np.arange(400)
    after = (at + 1) % 400
    faces = []
    for row in range(39):
        low, high = 400 * row, 400 * (row + 1)
        faces.append(np.stack([at + low, after + low, at + high], 1))
        faces.append(np.stack([after + low, after + high, at + high], 1))
    points, triangles = np.concatenate(rows), np.concatenate(faces).astype(np.int32)
    found = remeshed(points, triangles, np.zeros(len(triangles), np.int32), np.full(len(points), spacing))
    topology = build_topology(found.triangles, len(found.points))
    loops = border_loops(topology)
    assert len(loops) == 2
    for loop in loops:
        after = np.roll(loop, -1)
        chord = np.linalg.norm(found.points[after] - found.points[loop], axis=1)
        off = radius - np.linalg.norm((found.points[loop] + found.points[after])[:, [0, 2]] / 2, axis=1)
        assert off.max() <= spacing**2 / 8 / radius + 5e-5
        assert chord.min() >= 0.9 * spacing
        assert np.ptp(found.points[loop, 1]) < 1e-12
    corners = found.points[found.triangles]
    area = (
        np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum() / 2
    )
    assert area == pytest.approx(2 * np.pi * radius * height, rel=spacing**2 / 24 / radius**2 + 1e-3)
    assert np.linalg.norm(found.points[:, [0, 2]], axis=1) == pytest.approx(radius, abs=2e-5)


def test_long_thin_triangles_are_cut_into_even_ones():
    """Strips as long as a tube of two rings: they are cut longest first, not ever thinner."""
    turn = np.arange(48) / 48 * 2 * np.pi
    ring = 0.06 * np.stack([np.sin(turn), np.zeros(48), np.cos(turn)], axis=1)
    at, after = np.arange(48), (np.arange(48) + 1) % 48
    faces = np.concatenate([np.stack([at, after, at + 48], 1), np.stack([after, after + 48, at + 48], 1)])
    points, triangles = np.concatenate([ring, ring + [0, 0.3, 0]]), faces.astype(np.int32)
    found = remeshed(points, triangles, np.zeros(96, np.int32), np.full(96, 0.01))
    edges, angles = quality(found.points, found.triangles, lambda q: np.full(len(q), 0.01))
    assert edges >= 0.95
    assert angles >= 0.99


def test_regions_creases_and_bits_are_kept():
    points, triangles = box((0, 0, 0), (0.3, 0.2, 0.1))
    region = (np.arange(12) // 2).astype(np.int32)
    found = remeshed(points, triangles, region, np.full(8, 0.02))
    corners = found.points[found.triangles]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    exact = np.linalg.norm(
        np.cross(
            points[triangles][:, 1] - points[triangles][:, 0], points[triangles][:, 2] - points[triangles][:, 0]
        ),
        axis=1,
    )
    for side in range(6):
        assert area[found.region == side].sum() == pytest.approx(exact[region == side].sum() / 2, rel=1e-9)
    again = remeshed(points, triangles, region, np.full(8, 0.02))
    assert again.points.tobytes() == found.points.tobytes()
    assert again.triangles.tobytes() == found.triangles.tobytes()


def test_where_the_size_says_it_is_finer():
    points, triangles = sheet(0.4, 0.4, 0.02)
    size = np.clip(0.006 + 0.06 * points[:, 1], 0.006, 0.03)
    found = remeshed(points, triangles, np.zeros(len(triangles), np.int32), size)
    edges, angles = quality(
        found.points, found.triangles, lambda at: np.clip(0.006 + 0.06 * at[:, 1], 0.006, 0.03)
    )
    assert edges >= 0.95
    assert angles >= 0.99


def test_an_edge_with_three_faces_is_refused():
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1.0]])
    triangles = np.array([[0, 1, 2], [1, 0, 3], [0, 1, 4]], np.int32)
    with pytest.raises(MeshError, match="more than two triangles"):
        remeshed(points, triangles, np.zeros(3, np.int32), np.full(5, 0.1))


def test_pieces_that_meet_in_one_vertex_are_meshed():
    points = np.array([[0, 0, 0], [0.1, 0.05, 0], [0.1, -0.05, 0], [-0.1, -0.05, 0], [-0.1, 0.05, 0.0]])
    triangles = np.array([[0, 2, 1], [0, 4, 3]], np.int32)
    found = remeshed(points, triangles, np.zeros(2, np.int32), np.full(5, 0.01))
    corners = found.points[found.triangles]
    area = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 2] / 2
    assert area.min() > 0
    assert area.sum() == pytest.approx(0.01, rel=1e-12)
