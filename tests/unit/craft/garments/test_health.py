"""What is wrong with a mesh is found, and put right where that is sound."""

from __future__ import annotations

import numpy as np
import pytest

from patient_needle.core.craft.garments.health import findings, mended
from patient_needle.core.geometry.topology import build_topology, check_triangles, triangulated
from patient_needle.core.model.mesh import Mesh
from tests.sheets import sheet

POINTS, TRIANGLES = sheet(0.3, 0.3, 0.03)


def mesh_of(points, triangles, **groups) -> Mesh:
    triangles = np.asarray(triangles, np.int32)
    return Mesh("cloth", points, np.full(len(triangles), 3, np.int32), triangles.ravel(), groups=groups)


def kinds(mesh: Mesh) -> dict[str, int]:
    return {one.kind: one.count for one in findings(mesh)}


def test_a_sound_mesh_has_nothing():
    assert kinds(mesh_of(POINTS, TRIANGLES)) == {}


def cut_open() -> Mesh:
    """The sheet with vertices of its own on the right of a line."""
    right = POINTS[TRIANGLES].mean(axis=1)[:, 0] > 0.15
    shared = np.intersect1d(TRIANGLES[right], TRIANGLES[~right])
    other = np.arange(len(POINTS))
    other[shared] = np.arange(len(shared)) + len(POINTS)
    triangles = TRIANGLES.copy()
    triangles[right] = other[TRIANGLES[right]]
    return mesh_of(
        np.concatenate([POINTS, POINTS[shared]]), triangles, right=np.flatnonzero(right).astype(np.int32)
    )


def test_borders_in_one_place_are_welded_and_groups_stay():
    broken = cut_open()
    assert set(kinds(broken)) == {"doubled"}
    whole = mended(broken, ["doubled"])
    assert kinds(whole) == {}
    assert whole.vertex_count == len(POINTS)
    assert len(whole.groups["right"]) == len(broken.groups["right"])
    build_topology(triangulated(whole).triangles, whole.vertex_count)


def test_faces_that_stand_twice_are_dropped():
    broken = mesh_of(POINTS, np.concatenate([TRIANGLES, TRIANGLES[4:7]]))
    assert kinds(broken)["doubled"] == 3
    whole = mended(broken, ["doubled"])
    assert kinds(whole) == {}
    assert whole.face_count == len(TRIANGLES)


def test_faces_that_look_the_other_way_are_turned():
    triangles = TRIANGLES.copy()
    triangles[5:9] = triangles[5:9, ::-1]
    broken = mesh_of(POINTS, triangles)
    assert set(kinds(broken)) == {"inside out"}
    whole = mended(broken, ["inside out"])
    assert kinds(whole) == {}
    cut = triangulated(whole)
    normal = np.cross(
        *(whole.vertices[cut.triangles[:, k]] - whole.vertices[cut.triangles[:, 0]] for k in (1, 2))
    )
    assert (np.sign(normal[:, 2]) == np.sign(normal[0, 2])).all()


@pytest.mark.parametrize("share", [(0.5, 0.01), (0.01, 0.005)], ids=["cap", "needle"])
def test_slivers_go_and_the_area_stays(share):
    a, b, c = TRIANGLES[10]
    along, up = share
    place = POINTS[a] + along * (POINTS[b] - POINTS[a]) + up * (POINTS[c] - POINTS[a])
    n = len(POINTS)
    triangles = np.concatenate([np.delete(TRIANGLES, 10, 0), [[a, b, n], [b, c, n], [c, a, n]]])
    broken = mesh_of(np.concatenate([POINTS, [place]]), triangles)
    assert set(kinds(broken)) == {"slivers"}
    whole = mended(broken, ["slivers"])
    assert kinds(whole) == {}
    cut = triangulated(whole).triangles
    check_triangles(whole.vertices, cut, name="cloth")
    build_topology(cut, whole.vertex_count)
    normal = np.cross(*(whole.vertices[cut[:, k]] - whole.vertices[cut[:, 0]] for k in (1, 2)))
    assert np.linalg.norm(normal, axis=1).sum() / 2 == pytest.approx(0.09, rel=2e-3)


def test_what_cannot_be_put_right_is_told_and_lit():
    extra = np.concatenate([POINTS, [[0.15, 0.15, 0.1]]])
    edge = TRIANGLES[20, :2]
    third = mesh_of(extra, np.concatenate([TRIANGLES, [[edge[0], edge[1], len(POINTS)]]]))
    (found,) = [one for one in findings(third) if one.kind == "non-manifold"]
    assert (found.count, found.mends, found.places.shape) == (1, False, (3, 3, 3))
    crossed = np.concatenate([POINTS, POINTS[:, [2, 1, 0]] + [0.151, 0.013, -0.14]])
    through = mesh_of(crossed, np.concatenate([TRIANGLES, TRIANGLES + len(POINTS)]))
    (found,) = findings(through)
    assert (found.kind, found.mends) == ("touching itself", False)
    assert len(found.places) > 10
