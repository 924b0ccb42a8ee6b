"""Skirts from rings: what is cut, how it is meshed and hung, and what is refused."""

from __future__ import annotations

import contextlib

import numpy as np
import pytest

from patient_needle.core.contact.intersections import crossing_pairs, self_crossing_pairs
from patient_needle.core.craft.garments.ring_pose import pose_of
from patient_needle.core.craft.garments.rings import Course, RingsCut, Tier, mesh_of, source_of_rings
from patient_needle.core.craft.garments.sections import girth_of, sections_of, trunk_at
from patient_needle.core.geometry.rest_metric import metric_of_pieces
from patient_needle.core.geometry.topology import border_loops, build_topology
from patient_needle.core.model.errors import ShotError


def body(rings: list[tuple[float, float, float]], around: int = 64) -> tuple[np.ndarray, np.ndarray]:
    """A closed body of level ellipses: height and half axes along x and z, from the lowest up."""
    turn = np.arange(around) / around * 2 * np.pi
    points = [np.stack([a * np.sin(turn), np.full(around, y), b * np.cos(turn)], axis=1) for y, a, b in rings]
    at, after = np.arange(around), (np.arange(around) + 1) % around
    faces = []
    for k in range(len(rings) - 1):
        low, high = k * around, (k + 1) * around
        faces.append(np.stack([at + low, after + low, at + high], 1))
        faces.append(np.stack([after + low, after + high, at + high], 1))
    ends = np.array([[0, rings[0][0], 0], [0, rings[-1][0], 0]])
    last, top = len(rings) * around, (len(rings) - 1) * around
    faces.append(np.stack([after, at, np.full(around, last)], 1))
    faces.append(np.stack([at + top, after + top, np.full(around, last + 1)], 1))
    return np.concatenate([*points, ends]), np.concatenate(faces).astype(np.int32)


HIPS = [(0.2, 0.12, 0.12), (0.5, 0.15, 0.13), (0.85, 0.18, 0.15), (1.05, 0.12, 0.10), (1.3, 0.14, 0.11)]
PLAIN = RingsCut(1.05, 0.6, 0.03, 0.04, 1.0, 1.9)


def made(cut: RingsCut, spacing: float = 0.02):
    points, triangles = body(HIPS)
    sections = sections_of(points, triangles, np.zeros(2), cut.waist, 0.21)
    girth = float(sections.girths()[sections.heights >= cut.waist - cut.band - 1e-9].max())
    courses = cut.courses(girth)
    mesh = mesh_of(courses, spacing, cut.open_from(courses))
    return courses, mesh, pose_of(mesh, courses, sections, cut.waist, 0.003, 0.1), (points, triangles)


def test_a_girth_is_that_of_the_ellipse():
    """Ramanujan 1914, second approximation of an ellipse's perimeter, exact to 1e-9 here; a polygon of 64."""
    points, triangles = body(HIPS)
    sections = sections_of(points, triangles, np.zeros(2), 1.05, 0.5)
    a, b = 0.12, 0.10
    h = ((a - b) / (a + b)) ** 2
    exact = np.pi * (a + b) * (1 + 3 * h / (10 + np.sqrt(4 - 3 * h)))
    assert float(sections.girths()[0]) == pytest.approx(exact, rel=2e-3)
    assert girth_of(np.full((1, 360), 0.2))[0] == pytest.approx(2 * np.pi * 0.2)


def test_arms_beside_the_trunk_do_not_count():
    points, triangles = body(HIPS)
    arm, faces = body([(0.4, 0.03, 0.03), (1.2, 0.03, 0.03)])
    both = np.concatenate([points, arm + [0.4, 0, 0]])
    alone = sections_of(points, triangles, np.zeros(2), 1.05, 0.5).girths()
    beside = sections_of(both, np.concatenate([triangles, faces + len(points)]), np.zeros(2), 1.05, 0.5)
    assert beside.girths() == pytest.approx(alone)
    middle = trunk_at(both, np.concatenate([triangles, faces + len(points)]), 1.0)
    assert middle == pytest.approx([0, 0], abs=1e-9)


@pytest.mark.parametrize("opening", ["closed", "slit", "open"])
def test_a_skirt_is_one_sound_surface_with_the_borders_it_says(opening):
    cut = RingsCut(1.05, 0.7, 0.03, 0.04, 1.2, 1.7, opening, 0.2, (Tier(0.1, 1.5), Tier(0.1, 1.3)))
    courses, mesh, placed, (points, triangles) = made(cut)
    topology = build_topology(mesh.triangles, len(placed))
    assert len(border_loops(topology)) == (1 if opening == "open" else 2)
    assert len(self_crossing_pairs(placed, mesh.triangles)) == 0
    assert len(crossing_pairs(placed, mesh.triangles, points, triangles)) == 0
    surface = source_of_rings("skirt", mesh, courses, placed).surface
    assert list(surface.groups) == ["waistband", "skirt", "tier 1", "tier 2"]
    normal = np.cross(*(placed[mesh.triangles[:, k]] - placed[mesh.triangles[:, 0]] for k in (1, 2)))
    outwards = (normal * (placed[mesh.triangles].mean(axis=1) * [1, 0, 1])).sum(axis=1) > 0
    assert outwards.mean() > 0.95


def test_a_hem_is_as_long_as_it_is_cut_and_a_gathered_edge_as_long_as_what_it_is_sewn_to():
    cut = RingsCut(1.05, 0.7, 0.03, 0.04, 1.0, 1.7, tiers=(Tier(0.12, 2.0, 1.1),))
    courses, mesh, _, _ = made(cut, 0.015)
    topology = build_topology(mesh.triangles, len(mesh.course))
    metric = metric_of_pieces(mesh.corners, topology)
    on_hem = (mesh.course == 2) & (mesh.depth > 0.12 - 1e-9)
    seam = (mesh.course == 1) & (mesh.depth > courses[1].depth - 1e-9)
    along = lambda on: metric.edge_lengths[on[topology.edges].all(axis=1)].sum()  # noqa: E731
    assert along(on_hem) == pytest.approx(courses[2].hem, rel=1e-3)
    assert along(seam) == pytest.approx(courses[1].hem, rel=2e-3)
    assert courses[2].hem == pytest.approx(courses[1].hem * 2.0 * 1.1)


def test_it_hangs_at_its_heights_and_hardly_stretched():
    courses, mesh, placed, _ = made(PLAIN)
    assert placed[:, 1].max() == pytest.approx(1.05)
    topology = build_topology(mesh.triangles, len(placed))
    rest = metric_of_pieces(mesh.corners, topology).edge_lengths
    now = np.linalg.norm(placed[topology.edges[:, 0]] - placed[topology.edges[:, 1]], axis=1)
    assert np.abs(now / rest - 1).max() < 0.15
    assert np.median(np.abs(now / rest - 1)) < 0.03
    slant = np.hypot(0.42, (courses[1].hem - courses[1].top) / 2 / np.pi)
    assert courses[1].depth == pytest.approx(0.42)
    assert placed[:, 1].min() > 1.02 - slant


def test_the_same_recipe_gives_the_same_bits():
    one, other = made(PLAIN), made(PLAIN)
    assert one[2].tobytes() == other[2].tobytes()
    assert one[1].corners.tobytes() == other[1].corners.tobytes()


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"hem": 1.03}, "hem, at 1030 mm, is not below the band, which ends at 1020 mm"),
        ({"fullness": 0.8}, "fullness of 0.8 has less cloth than the band"),
        ({"tiers": (Tier(0.1, 0.9),)}, "tier 1 is gathered 0.9 times"),
        ({"flare": 1.0}, "skirt is .* mm too narrow at a height of .* mm: it has .* of cloth there"),
        ({"ease": -0.05}, "waistband is .* mm too narrow"),
        ({"waist": 1.4}, "no girth at a height of 1400 mm"),
    ],
)
def test_what_cannot_be_cut_is_said_by_how_much(change, says):
    with pytest.raises(ShotError, match=says):
        made(RingsCut(**{**PLAIN.__dict__, **change}))


@pytest.mark.parametrize(
    ("spacing", "says"),
    [
        (0.0005, r"about [\d,]+ vertices, more than 200,000. Give at least [\d.]+ mm"),
        (0.05, "larger than the waistband"),
    ],
)
def test_a_spacing_that_is_too_small_or_too_large_is_said_with_one_that_would_do(spacing, says):
    with pytest.raises(ShotError, match=says):
        made(PLAIN, spacing)


def test_cloth_over_the_limit_by_a_hair_is_let_be():
    """A ring that is short by less than 1 % of its length stretches: nobody is asked."""
    courses = (Course("band", 0.7, 0.7, 0.03, 0.7),)
    points, triangles = body([(0.0, 0.111, 0.111), (1.0, 0.111, 0.111)])
    sections = sections_of(points, triangles, np.zeros(2), 0.9, 0.1)
    short = (float(sections.girths()[0]) + 2 * np.pi * 1e-3 - 0.7) / 0.7
    assert 0 < short < 0.01
    pose_of(mesh_of(courses, 0.02), courses, sections, 0.9, 1e-3, 0.1)


@pytest.mark.parametrize("seed", range(24))
def test_any_skirt_on_any_body_hangs_clear_of_it_and_of_itself(seed):
    """Bodies and cuts that nobody chose: a skirt hangs without a crossing and within a sixth of its lengths, or
    is refused as too narrow.
    """
    rng = np.random.default_rng(seed)
    tall = rng.uniform(0.8, 2.0)
    waist = rng.uniform(0.09, 0.16) * tall / 1.4
    shares, widths = (0.05, 0.3, 0.5, 0.68, 0.85), rng.uniform(0.7, 1.5, 5) * [1, 1, 1.2, 0.8, 1]
    deep = widths * rng.uniform(0.7, 1.1, 5)
    rings = zip(shares, widths, deep, strict=True)
    points, triangles = body([(share * tall, a * waist, b * waist) for share, a, b in rings])
    top, hem = 0.68 * tall, rng.uniform(0.15, 0.5) * tall
    tiers = tuple(
        Tier(rng.uniform(0.04, 0.12) * tall, rng.uniform(1.0, 2.2), rng.uniform(1.0, 1.2))
        for _ in range(rng.integers(0, 3))
    )
    cut = RingsCut(
        top, hem, 0.02 * tall, 0.03 * tall, rng.uniform(1, 1.6), rng.uniform(1.3, 3.0),
        str(rng.choice(["closed", "slit", "open"])), 0.1 * tall, tiers,
    )  # fmt: skip
    sections = sections_of(points, triangles, np.zeros(2), top, 0.06 * tall)
    girth = float(sections.girths()[sections.heights >= top - cut.band - 1e-9].max())
    courses = cut.courses(girth)
    mesh = mesh_of(courses, 0.018, cut.open_from(courses))
    with contextlib.suppress(ShotError):  # too narrow for its body
        placed = pose_of(mesh, courses, sections, top, 0.003, 0.12)
        hangs_clear(mesh, placed, points, triangles)


def hangs_clear(mesh, placed, points, triangles):
    assert len(self_crossing_pairs(placed, mesh.triangles)) == 0
    assert len(crossing_pairs(placed, mesh.triangles, points, triangles)) == 0
    topology = build_topology(mesh.triangles, len(placed))
    rest = metric_of_pieces(mesh.corners, topology).edge_lengths
    now = np.linalg.norm(placed[topology.edges[:, 0]] - placed[topology.edges[:, 1]], axis=1)
    assert np.percentile(now / rest - 1, 99) < 1 / 6
