import numpy as np
import pytest
from numpy.testing import assert_allclose

from patient_needle.core.craft.sewing.figure import figure_of
from patient_needle.core.craft.sewing.measures import measured
from patient_needle.core.geometry.placing import moved, placement
from patient_needle.core.geometry.skinning import joint_matrices
from patient_needle.core.model.errors import CastError
from tests.figures import lamplighter
from tests.sewing import figure


def placed(matrix: np.ndarray):
    """The demo's figure put elsewhere by a (4, 4) matrix."""
    motion = lamplighter().motion
    joints = joint_matrices(motion.skeleton, motion.skeleton.rest)[:, :3, 3]
    return figure_of(
        "it", moved(motion.rest(), matrix), lamplighter().cut.triangles, moved(joints, matrix), motion.skeleton,
        motion.skin,
    )  # fmt: skip


class TestFigure:
    def test_left_is_where_the_left_hand_is_whichever_way_it_stands(self):
        for degrees in (0, 90, 200):
            body = placed(placement(1, "y", 1, degrees, (3.0, 0.5, -2.0)))
            assert body.limbs["left arm"].root[0] > 0.1
            assert body.limbs["right leg"].root[0] < -0.05
            assert_allclose(body.to_world(body.from_world(body.points)), body.points, atol=1e-12)
            assert_allclose(body.points[:, 1].min(), 0.0, atol=1e-9)

    def test_it_is_itself_when_full_grown_and_thin_before(self):
        body = figure()
        assert_allclose(body.shape(1.0), body.points, atol=1e-12)
        thin = body.shape(0.0)
        assert np.ptp(thin[:, 2]) < 0.3 * np.ptp(body.points[:, 2])

    def test_raised_arms_are_higher_and_as_long(self):
        body = figure()
        hand = body.limbs["left arm"].share > 0.99
        far = body.points[hand][:, 0].argmax()
        raised = body.shape(1.0, arms=30.0)[hand][far]
        root = body.limbs["left arm"].root
        assert raised[1] > body.points[hand][far][1] + 0.2
        assert_allclose(
            np.linalg.norm((raised - root)[:2]), np.linalg.norm((body.points[hand][far] - root)[:2]), rtol=0.02
        )

    def test_a_skeleton_without_arms_is_refused_in_words(self):
        motion = lamplighter().motion
        skeleton = motion.skeleton
        joints = joint_matrices(skeleton, skeleton.rest)[:, :3, 3].copy()
        joints[
            [name.startswith(("uparm", "forearm", "hand", "fingers", "clav")) for name in skeleton.names]
        ] = joints[0]
        with pytest.raises(CastError, match="cannot be dressed by sewing"):
            figure_of("it", motion.rest(), lamplighter().cut.triangles, joints, skeleton, motion.skin)


class TestMeasures:
    def test_girths_grow_with_the_figure(self):
        plain, tall = measured(figure()), measured(figure(1.1, 1.1))
        for name in ("chest", "waist", "hip", "neck", "wrist", "ankle"):
            assert_allclose(tall.of(name), 1.1 * plain.of(name), rtol=0.02)

    def test_they_are_those_of_a_human(self):
        # Common practice, no source: proportions to the height that a tailor would not question.
        taken = measured(figure())
        height = np.ptp(figure().points[:, 1])
        for name, low, high in (
            ("chest", 0.45, 0.65), ("waist", 0.33, 0.55), ("hip", 0.48, 0.65), ("neck", 0.17, 0.27),
            ("wrist", 0.07, 0.12), ("inseam", 0.40, 0.50), ("crotch loop", 0.35, 0.52),
        ):  # fmt: skip
            assert low < taken.of(name) / height < high, name

    def test_a_girth_is_the_length_of_its_tape(self):
        for one in measured(figure()).every.values():
            line = np.concatenate([one.tape, one.tape[:1]]) if one.closed else one.tape
            assert_allclose(np.linalg.norm(np.diff(line, axis=0), axis=1).sum(), one.value, rtol=1e-6)
