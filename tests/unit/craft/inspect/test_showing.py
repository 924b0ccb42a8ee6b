"""What of a body shows through cloth, whatever stood in for it; and cloth that is stretched too far."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from numpy.testing import assert_allclose

from patient_needle.core.craft.cast.colliders import merged_colliders
from patient_needle.core.craft.cast.understudies import UnderstudySettings, understudy_of
from patient_needle.core.craft.inspect.showing import bodies_of, shown_through
from patient_needle.core.craft.inspect.snags import OVERSTRETCH, list_snags
from patient_needle.core.craft.run.release import Crossings
from patient_needle.core.geometry.motion import Still
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.mesh import Mesh
from patient_needle.core.model.shot import CastMember, ColliderSettings, RunIn, ShotPlan
from patient_needle.core.model.swatch_book import BOOK
from patient_needle.core.solver.outfit import outfit
from tests.sheets import box, cloth_of, halved_squares

COLLIDER = ColliderSettings(Curve.constant(0.0))
NOBODY = Crossings(*(np.zeros((0, 2), np.int32) for _ in range(3)))


def member(collider=COLLIDER, left_out=()) -> CastMember:
    """A box of 1 m, its 12 triangles a part."""
    points, triangles = box((0, 0, 0), (1, 1, 1))
    mesh = Mesh("box", points, np.full(12, 3, np.int32), triangles.ravel())
    chosen = ~np.isin(np.arange(12), left_out)
    return CastMember(
        "box", "prop", mesh, triangulated(mesh), Still(points), np.zeros(12, np.int32), ("whole",),
        np.zeros(1, np.int32), chosen, collider,
    )  # fmt: skip


def plan_of(*cast: CastMember) -> ShotPlan:
    return ShotPlan("shot", 24.0, (1, 9), RunIn(0, 0), cast, (), np.zeros(3), 0.0)


def lying_at(height: float, spacing: float = 0.25):
    """A level sheet of 2 m by 2 m about the box's axis."""
    points, triangles = halved_squares(2.0, 2.0, spacing)
    return np.stack([points[:, 0] - 0.5, np.full(len(points), height), points[:, 1] - 0.5], axis=1), triangles


def test_a_member_that_cloth_meets_as_a_whole_is_not_counted_twice():
    assert bodies_of(plan_of(member())) == ()
    assert bodies_of(plan_of(member(collider=None))) == ()


def test_what_an_understudy_hides_is_counted_on_the_body_itself():
    """A sheet 10 mm under the lid of the box: clear of a smaller box that stands in for it."""
    whole = member()
    stand_in = replace(
        member(),
        name="box (understudy)",
        stands_in_for="box",
        motion=Still(0.9 * (whole.mesh.vertices - 0.5) + 0.5),
    )
    plan = plan_of(replace(whole, collider=None), stand_in)
    (body,) = bodies_of(plan)
    points, triangles = lying_at(0.99, 0.05)
    (found,) = shown_through((body,), triangles, points, 1.0)
    assert (found.of, found.left_out) == ("box", False)
    assert found.crossings > 0
    assert 1.0 < found.area < 1.25  # the lid's 1 m2 and the rim of triangles that it cuts
    points, triangles = lying_at(1.01, 0.05)
    (clear,) = shown_through((body,), triangles, points, 1.0)
    assert (clear.crossings, clear.area) == (0, 0.0)


def test_cloth_that_lies_wholly_inside_crosses_nothing_and_is_counted():
    points, triangles = lying_at(0.5)
    small = 0.2 * points + [0.4, 0.4, 0.4]
    stand_in = replace(member(), name="u", stands_in_for="box")
    bodies = bodies_of(plan_of(replace(member(), collider=None), stand_in))
    (found,) = shown_through(bodies, triangles, small, 1.0)
    assert found.crossings == 0
    assert_allclose(found.area, 0.04 * 4.0, rtol=1e-9)


def test_parts_left_out_by_choice_are_counted_apart():
    lid = [
        t
        for t, corners in enumerate(member().cut.triangles)
        if (member().mesh.vertices[corners][:, 1] == 1).all()
    ]
    (body,) = bodies_of(plan_of(member(left_out=lid)))
    points, triangles = lying_at(0.5)
    through_the_lid = points[:, [0, 2, 1]] * [0.2, 1, 0.2] + [0.4, 0.7, 0.4]
    met, apart = shown_through((body,), triangles, through_the_lid, 1.0)
    assert (met.left_out, apart.left_out) == (False, True)
    assert met.crossings == 0
    assert apart.crossings > 0
    assert apart.area > 0


def test_a_member_that_is_switched_off_is_not_counted():
    on = Curve(np.array([1.0, 2.0]), np.array([0.0, 1.0]))
    (body,) = bodies_of(plan_of(member(replace(COLLIDER, on=on), left_out=[0])))
    points, triangles = lying_at(0.5)
    assert shown_through((body,), triangles, points, 1.0) == ()
    assert len(shown_through((body,), triangles, points, 2.0)) == 2


def test_an_understudy_says_for_whom_it_stands():
    made = understudy_of(member(), UnderstudySettings("box", spacing=0.3), (1, 9))
    assert made.stands_in_for == "box"
    assert [body.member.name for body in bodies_of(plan_of(replace(member(), collider=None), made))] == ["box"]


@pytest.mark.parametrize(
    ("limit", "pulled", "found"), [(None, 1.14, 0), (None, 1.20, 1), (0.05, 1.06, 1), (0.3, 1.2, 0)]
)
def test_one_edge_beyond_the_limit_is_a_snag(limit, pulled, found):
    points, triangles = halved_squares(0.4, 0.4, 0.1)
    cloth = cloth_of(points, triangles, replace(BOOK[0].fabric, strain_limit=limit))
    worn = outfit((cloth,))
    colliders = merged_colliders(plan_of(member()))
    now = points.copy()
    now[0] += (points[0] - points[1]) * (pulled - 1)
    snags = list_snags(
        worn, 0, now, colliders, colliders.rest_points(), NOBODY, np.zeros((len(points), 1), bool)
    )
    over = [snag for snag in snags if snag.kind == OVERSTRETCH]
    assert len(over) == found
    if found:
        assert_allclose(over[0].strain, pulled - 1, atol=1e-9)
        assert_allclose(over[0].place, now[[0, 1]].mean(axis=0), atol=1e-9)
        assert over[0].with_what == "box: whole"
        assert over[0].count >= 1
        assert over[0].area > 0
