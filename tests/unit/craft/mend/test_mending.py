"""Mending: what is found, what each remedy touches, and that a take is never worse for it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from patient_needle.core.craft.mend.footage import Footage, Patch, Span, region_around
from patient_needle.core.craft.mend.mending import mend_all
from patient_needle.core.craft.mend.proof import prove
from patient_needle.core.craft.mend.remedies import (
    EASE_OUT,
    RUN_AGAIN,
    SMOOTH_SPACE,
    SMOOTH_TIME,
    UNTANGLE,
    Settings,
    apply,
    around_snag,
)
from patient_needle.core.craft.mend.snags import find_marks, find_snags
from patient_needle.core.model.errors import ShotError, StartError
from tests.faulty import CLEAN, filmed, into_body, made, pop, swapped, tells


def snags_of(footage: Footage):
    marks = find_marks(footage, footage.judged)
    return marks, find_snags(footage, marks)


def crossings(marks) -> int:
    return sum(mark.pairs for frame in marks.values() for mark in frame)


@pytest.mark.parametrize("scene", ["arm", "layers"])  # all of them in benchmarks/mending.py
def test_a_clean_take_has_no_snag(scene):
    assert scene in CLEAN
    marks, snags = snags_of(filmed(scene))
    assert crossings(marks) == 0
    assert snags == []


# One of each fault; the twenty are measured in benchmarks/mending.py.
@pytest.mark.parametrize("seed", [0, 1, 4])
def test_a_known_fault_is_found_and_mended(seed):
    name, planted = made(seed)
    marks, snags = snags_of(planted.footage)
    told = [snag for snag in snags if tells(snag, planted)]
    assert told, f"{name}: {[(s.kind, s.frames) for s in snags]}"
    assert len(snags) - len(told) <= 1
    done = mend_all(planted.footage, marks)
    assert crossings(done.marks) == 0
    assert done.left == ()
    moved = np.linalg.norm(done.footage.points - planted.footage.points, axis=2).max()
    assert moved <= 1.5 * planted.moved + 0.0045
    assert all(step.proof.join <= step.proof.usual for step in done.steps)
    # A second look, from nothing, finds what the proofs say.
    again, left = snags_of(done.footage)
    assert crossings(again) == 0
    assert left == []


@pytest.fixture(scope="module")
def spoiled():
    planted = into_body(filmed("arm"), np.random.default_rng(0))
    marks, snags = snags_of(planted.footage)
    return planted.footage, marks, snags[0]


@pytest.mark.parametrize("verb", [EASE_OUT, RUN_AGAIN, SMOOTH_TIME, SMOOTH_SPACE, UNTANGLE])
def test_outside_its_region_and_span_a_take_keeps_every_bit(spoiled, verb):
    footage, _, snag = spoiled
    region, span = around_snag(footage, snag), Span(*snag.frames, 3)
    patch = apply(verb, footage, region, span, Settings())
    after = footage.with_patch(patch)
    assert after.points.dtype == np.float32
    same = (after.points == footage.points).all(axis=2)
    frames = np.arange(footage.first, footage.last + 1)
    beyond = (frames < snag.frames[0] - 3) | (frames > snag.frames[1] + 3)
    assert same[beyond].all()
    assert same[:, region.weights == 0].all()
    assert not same.all() or verb == UNTANGLE
    assert np.isfinite(after.points).all()


def test_a_remedy_that_crosses_is_a_proposal(spoiled):
    _, _, snag = spoiled
    clean = filmed("arm")
    marks = find_marks(clean, clean.judged)
    region = around_snag(clean, snag)
    frames = tuple(range(*snag.frames))
    rows = np.array(frames) - clean.first
    sunk = clean.points[np.ix_(rows, region.vertices)].copy()
    arm = np.stack([clean.bodies(frame).mean(axis=0) for frame in frames])[:, None]
    sunk += (0.9 * (arm - sunk)).astype(np.float32)
    proven = prove(clean, marks, Patch(region.vertices, frames, sunk))
    assert not proven.proof.accepted
    assert proven.proof.crossings[1] > proven.proof.crossings[0] == 0
    assert proven.proof.why


def test_a_remedy_that_changes_nothing_is_not_taken_for_a_cure(spoiled):
    footage, marks, snag = spoiled
    region = around_snag(footage, snag)
    frames = tuple(range(snag.frames[0], snag.frames[1] + 1))
    same = footage.points[np.ix_(np.array(frames) - footage.first, region.vertices)]
    proof = prove(footage, marks, Patch(region.vertices, frames, same), snag).proof
    assert not proof.accepted
    assert proof.furthest == 0.0


def test_a_jump_is_told_by_its_frame_and_not_by_the_next():
    planted = pop(filmed("arm"), np.random.default_rng(5))
    _, snags = snags_of(planted.footage)
    assert [snag.frames for snag in snags] == [planted.frames]


def test_marks_are_found_again_alike_in_some_frames_alone():
    planted = swapped(filmed("layers"), np.random.default_rng(1))
    whole = find_marks(planted.footage, planted.footage.judged)
    some = find_marks(planted.footage, range(planted.frames[0], planted.frames[0] + 4))
    for frame, marks in some.items():
        assert [(m.kind, m.pairs, m.vertices.tolist()) for m in marks] == [
            (m.kind, m.pairs, m.vertices.tolist()) for m in whole[frame]
        ]


def test_a_fault_at_the_takes_end_is_mended_to_its_end():
    clean = filmed("arm")
    planted = into_body(clean, np.random.default_rng(0))
    shift = clean.last - planted.frames[1]
    points = clean.points.copy()
    first, last = planted.frames
    moved = planted.footage.points - clean.points
    points[first + shift - clean.first :] += moved[first - clean.first : last + 1 - clean.first]
    footage = replace(clean, points=points)
    marks, snags = snags_of(footage)
    assert snags[0].frames[1] == clean.last
    done = mend_all(footage, marks)
    assert crossings(done.marks) == 0


def test_what_cannot_be_mended_is_said(spoiled):
    footage, _, _ = spoiled
    with pytest.raises(ShotError, match="held"):
        region_around(footage.worn, footage.worn.held, 0.001, 0.001)
    region = around_snag(footage, spoiled[2])
    for first, last in ((0, 5), (40, 60), (20, 10)):
        with pytest.raises(ShotError, match="cannot be mended"):
            apply(EASE_OUT, footage, region, Span(first, last), Settings())
    with pytest.raises(ShotError, match="grip"):
        apply(RUN_AGAIN, footage, region, Span(20, 25), Settings(grip=2.0))
    with pytest.raises(ShotError, match="no remedy"):
        apply("iron", footage, region, Span(20, 25), Settings())


def test_cloth_that_was_never_outside_has_no_outside(spoiled):
    clean = filmed("arm")
    region = around_snag(clean, spoiled[2])
    points = clean.points.copy()
    for row in range(len(points)):
        arm = clean.bodies(clean.first + row).mean(axis=0)
        own = points[row, region.vertices]
        points[row, region.vertices] = own + 0.97 * (arm - own)
    buried = replace(clean, points=points)
    with pytest.raises(StartError, match="nothing tells the way out"):
        apply(EASE_OUT, buried, region, Span(20, 25), Settings())


def test_footage_of_another_mesh_is_refused():
    clean = filmed("arm")
    with pytest.raises(ShotError, match="vertices"):
        replace(clean, points=clean.points[:, :-1])
