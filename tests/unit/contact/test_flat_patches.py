"""Flat patches: what is culled by them cannot touch, what can touch is found in spite of them."""

from __future__ import annotations

import numpy as np
import pytest

from patient_needle.core.contact.flat_patches import FlatPatches
from patient_needle.core.contact.pairs import PairFinder
from patient_needle.core.geometry.tree import build_tree
from tests.sheets import NO_FACES, halved_squares, sheet

APART = 0.004


def ribbon(turns: float, pitch: float):
    """A flat ring of 100 to 160 mm, cut and wound on by `turns`, rising by `pitch` m each."""
    around, across = round(60 * turns), 4
    points, triangles = sheet(around, across, 1.0)
    angle, out = 2 * np.pi * turns * points[:, 0] / around, 0.10 + 0.06 * points[:, 1] / across
    return np.column_stack([out * np.cos(angle), pitch * angle / (2 * np.pi), -out * np.sin(angle)]), triangles


def tails(over: float):
    """A plane sheet with a slit up its middle, one side turned `over` m across the other, 2 mm above it."""
    points, triangles = halved_squares(0.2, 0.3, 0.01)
    left, below = points[triangles].mean(axis=1)[:, 0] < 0.1, points[triangles].mean(axis=1)[:, 1] < 0.2
    on_slit = np.flatnonzero((np.abs(points[:, 0] - 0.1) < 1e-9) & (points[:, 1] < 0.2 - 1e-9))
    twin = np.arange(len(points))
    twin[on_slit] = len(points) + np.arange(len(on_slit))
    triangles = np.where((left & below)[:, None], twin[triangles], triangles).astype(np.int32)
    points = np.concatenate([points, points[on_slit] - [0.001, 0, 0]])
    side = np.zeros(len(points), bool)
    side[triangles[left & below]] = True
    share = np.clip((0.2 - points[:, 1]) / 0.2, 0, 1) * side
    return points + np.outer(share, [over, 0, 0.002 * (over > 0)]), triangles


def spans(points, triangles, end=None):
    tree = build_tree(points, triangles)
    return tree, FlatPatches(tree).spans(points, points if end is None else end, APART)


def found(points, triangles):
    """Pairs of triangles (k, 2), given by the cloth triangles of which pairs were found."""
    finder = PairFinder(points, triangles, NO_FACES, len(points), APART, against_itself=True)
    finder.begin(points, points)
    pairs = finder.along(points, APART)
    return np.stack([pairs.owner, pairs.carrier], axis=1)


def test_a_flat_sheet_is_one_patch_and_has_nothing_to_look_for():
    points, triangles = sheet(0.3, 0.2, 0.01, seed=1)
    _, span = spans(points, triangles)
    assert (span == [0, len(triangles)]).all()
    assert len(found(points, triangles)) == 0


def test_a_patch_is_flat_at_both_ends_of_a_substep():
    points, triangles = sheet(0.3, 0.2, 0.01, seed=1)
    rolled = np.column_stack(
        [0.03 * np.sin(points[:, 0] / 0.03), points[:, 1], 0.03 * np.cos(points[:, 0] / 0.03)]
    )
    for start, end in ((points, rolled), (rolled, points)):
        tree, span = spans(start, triangles, end)
        normals = np.cross(*(rolled[triangles[:, k]] - rolled[triangles[:, 0]] for k in (1, 2)))
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        sizes = span[:, 1] - span[:, 0]
        assert 8 <= sizes.max() < len(triangles) / 2
        for low, high in np.unique(span[sizes > 0], axis=0):
            facing = normals[tree.order[low:high]]
            assert (facing @ facing.mean(axis=0)).min() > 0.5 * np.linalg.norm(facing.mean(axis=0)) - 1e-9


def test_a_turn_of_the_whole_in_one_substep_is_not_flat():
    points, triangles = sheet(0.3, 0.2, 0.01, seed=1)
    _, span = spans(points, triangles, points * [-1, 1, -1])
    assert not span.any()


@pytest.mark.parametrize("made", [lambda: ribbon(1.3, 0.003), lambda: tails(0.03)], ids=["ribbon", "tails"])
def test_what_faces_one_way_and_lies_over_itself_is_found(made):
    points, triangles = made()
    tree, span = spans(points, triangles)
    assert (span[:, 1] > span[:, 0]).mean() > 0.2
    assert (span[:, 1] - span[:, 0]).max() < len(triangles)
    one, other = found(points, triangles).T
    place = np.argsort(tree.order)
    centres = points[triangles].mean(axis=1)
    over = np.abs(centres[one] - centres[other]).max(axis=1) < 0.02
    assert over.sum() > 30
    together = (span[place[one], 0] <= place[other]) & (place[other] < span[place[one], 1])
    assert not together.any()


def test_sides_of_a_slit_that_are_seen_near_are_not_in_one_patch():
    points, triangles = tails(-0.002)
    tree, span = spans(points, triangles)
    place = np.argsort(tree.order)
    centres = points[triangles].mean(axis=1)
    low = centres[:, 1] < 0.1
    near = low & (np.abs(centres[:, 0] - 0.1) < 0.01)
    right, left = (place[near & side] for side in (centres[:, 0] > 0.1, centres[:, 0] < 0.098))
    assert len(right) > 5
    assert len(left) > 5
    assert not ((span[right, None, 0] <= left) & (left < span[right, None, 1])).any()


def test_outlines_go_round_discs_only():
    """Every directed border edge of a node once, in turn; two garments in one node are no disc."""
    points, triangles = sheet(0.3, 0.2, 0.02, seed=3)
    two = np.concatenate([triangles, triangles + len(points)]).astype(np.int32)
    tree = build_tree(np.concatenate([points, points + [0.5, 0, 0]]), two)
    patches = FlatPatches(tree)
    first, outline = patches._first, patches._outline
    assert first[1] == 0  # the root
    rings = 0
    for node in np.flatnonzero(np.diff(first)):
        inside = two[tree.order[tree.start[node] : tree.end[node]]]
        edges = {(int(t[k]), int(t[k - 2])) for t in inside for k in range(3)}
        ring = outline[first[node] : first[node + 1]]
        assert set(zip(ring.tolist(), np.roll(ring, -1).tolist(), strict=True)) == {
            (a, b) for a, b in edges if (b, a) not in edges
        }
        rings += 1
    assert rings > 10
