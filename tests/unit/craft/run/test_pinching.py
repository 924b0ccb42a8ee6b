"""Cloth that bodies have closed on: it sticks to what still holds it and slips under a hard pull."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from patient_needle.core.craft.cast.colliders import merged_colliders
from patient_needle.core.craft.garments.sources import FromMesh
from patient_needle.core.craft.inspect.frame import inspected
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.craft.run.pinching import Clasp, clasped
from patient_needle.core.geometry.motion import CachedMotion
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.shot import CastMember, Garment, RunIn
from patient_needle.core.model.tolerances import CLASP_STRAIN
from tests.sheets import polygons, sheet
from tests.unit.craft.test_craft import member, plan

PILLAR, POST = 0, 1
SUNK = 0.02  # m, how deep the post is in the pillar's front, which is at z = 0.3 m


def two_colliders():
    """A pillar, and a post of lower standing that has sunk into its front; and where they are."""
    post = replace(member("post", size=0.5), rank=np.array([60], np.int32))
    colliders = merged_colliders(plan(cast=(member(), post)))
    around = colliders.rest_points()
    around[8:] += [0.05, 0.3, 0.3 - SUNK]
    return colliders, around


def stuck(points, *, eased=False, before=None):
    colliders, around = two_colliders()
    pinched = np.zeros((len(points), 2), bool)
    pinched[:, POST] = True
    return clasped(
        before or Clasp.none(), np.array(points), pinched, np.full(len(points), eased), colliders, around
    )


def test_what_lies_inside_what_let_it_go_sticks_to_the_other_surface():
    colliders, around = two_colliders()
    inside, outside, deep = [0.12, 0.5, 0.301], [0.26, 0.5, 0.301], [0.125, 0.55, 0.355]
    clasp = stuck([inside, outside, deep])
    assert clasp.stuck.tolist() == [True, False, False]
    assert colliders.part[clasp.places.triangle[0]] == PILLAR
    for moved, goes in ((slice(0, 8), 1.0), (slice(8, 16), 0.0)):  # the post may go where it likes
        there = around.copy()
        there[moved] += [0.0, 0.004, 0.0]
        worn = OutfitRun(plan(), plan().runs[0]).outfit
        links = clasp.links(colliders, around, there, worn)
        np.testing.assert_allclose(links.place_from, [inside], atol=1e-12)
        np.testing.assert_allclose(links.place_to - links.place_from, [[0, goes * 0.004, 0]], atol=1e-12)
        assert links.most == pytest.approx(CLASP_STRAIN * 2 * worn.stiffness * worn.spacing)


def test_where_nothing_else_is_near_it_sticks_to_what_let_it_go():
    clasp = stuck([[0.195, 0.5, 0.375]])  # 5 mm within the post's side, 75 mm before the pillar
    assert two_colliders()[0].part[clasp.places.triangle].tolist() == [POST]


def test_what_is_eased_out_is_not_held_and_who_is_held_keeps_its_place():
    point = [[0.12, 0.5, 0.301]]
    assert len(stuck(point, eased=True).vertices) == 0
    first = stuck(point)
    again = stuck([[0.12, 0.46, 0.31]], before=first)
    np.testing.assert_array_equal(again.places.coordinates, first.places.coordinates)
    assert len(stuck(point, eased=True, before=first).vertices) == 0


def closing(last: int, tug: float = 0.0, bystanders: tuple[CastMember, ...] = ()) -> list:
    """A loose cloth before the pillar, on which a post closes in a frame, stays 12 frames and opens again; tug
    is how many times its weight pulls; bystanders come before them in the cast.
    """
    points, triangles = sheet(0.1, 0.1, 0.02)
    mesh = polygons("patch", points + [0.08, 0.5, 0.303], triangles.tolist())
    cloth = Garment("patch", FromMesh(mesh), Fabric("cotton", friction=0.3), ())
    post = replace(member("post", size=0.5), rank=np.array([60], np.int32))
    gap = np.interp(np.arange(1001, last + 1), (1001, 1002, 1014, 1016), (0.01, -SUNK, -SUNK, 0.05))
    frames = post.mesh.vertices + np.array([0.05, 0.3, 0.3]) + gap[:, None, None] * [0, 0, 1.0]
    post = replace(post, motion=CachedMotion(frames[0], frames, 1001))
    made = plan(
        cast=(*bystanders, member(), post), garments=(cloth,), run_in=RunIn(0, 0), frames=(1001, last),
        air_drag=0.0, gravity=np.array([0, -9.81 * (1.0 + tug), 0]),
    )  # fmt: skip
    run = OutfitRun(made, made.runs[0])
    return [result for (result,) in inspected(run, run.start(), 1001, last)]


def test_cloth_between_two_bodies_hangs_there_until_they_open():
    by = {r.frame: r for r in closing(1026)}
    height = {frame: r.positions[:, 1].mean() for frame, r in by.items()}
    assert {snag.kind for snag in by[1004].snags} >= {"pinched"}
    assert by[1004].state.released[:, POST].all()
    assert not by[1004].state.released[:, PILLAR].any()
    assert height[1003] - height[1013] < 0.002  # free, it would fall by 0.85 m
    assert by[1026].snags == ()
    assert height[1013] - height[1026] > 0.1


def test_a_hard_pull_draws_it_along():
    by = {r.frame: r.positions[:, 1].mean() for r in closing(1013, tug=400.0)}
    assert by[1003] - by[1013] > 0.01


def test_a_collider_that_is_off_neither_holds_it_nor_decides_who_lets_go():
    pillar = member("shade")
    off = replace(pillar.collider, on=Curve.constant(0.0))
    rising = pillar.mesh.vertices + [0, 0, 0.001] + np.arange(6)[:, None, None] * [0, 0.01, 0]
    shade = replace(pillar, collider=off, motion=CachedMotion(rising[0], rising, 1001))
    by = {r.frame: r for r in closing(1006, bystanders=(shade,))}
    assert by[1006].snags[0].kind == "pinched"
    assert {snag.kind for snag in by[1006].snags[1:]} <= {"overstretch"}
    assert by[1006].state.released.any(axis=0).tolist() == [False, False, True]
    assert np.abs(by[1006].positions[:, 1] - by[1003].positions[:, 1]).max() < 0.005
