from dataclasses import replace

import numpy as np
import pytest
from numpy.testing import assert_allclose

from patient_needle.core.contact.intersections import crossing_pairs
from patient_needle.core.craft.cast.colliders import merged_colliders
from patient_needle.core.craft.drape.sewing import judged, sewing_of, sewing_plan, unsewn
from patient_needle.core.craft.inspect.checks import check_plan
from patient_needle.core.craft.sewing.blocks import Plain
from patient_needle.core.model.errors import CastError, ShotError, StartError
from patient_needle.core.model.tolerances import STRAINED_SUBSTEPS
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import parse_shot, read_shot_file
from tests.sewing import DEMO, figure, sewing, sewing_on, sewn_shot
from tests.unit.craft.sewing.test_laying import FIGURES

SKIRT = {
    "name": "skirt",
    "recipe": {"block": {"kind": "skirt"}, "spacing": {"draft_mm": 34, "fine_mm": 20}},
}


def plan_of(document: dict):
    return assemble(parse_shot(document, "the test"), DEMO)


def test_a_skirt_is_sewn_clean_and_hangs_as_wide_as_it_was_cut():
    fitting = sewing(sewn_shot(SKIRT), "skirt")
    own = fitting.colliders.spans[[one.name for one in fitting.colliders.members].index("lamplighter")]
    thin = np.ptp(fitting.bodies()[own, 2])
    while fitting.growth is not None:
        fitting.step()
    assert np.ptp(fitting.bodies()[own, 2]) > 2 * thin
    found = fitting.crossings()
    assert (len(found.colliders), len(found.itself), len(found.garments)) == (0, 0, 0)
    for _ in range(24):
        fitting.step()
    found = fitting.crossings()
    assert (len(found.colliders), len(found.itself)) == (0, 0)
    sewn = judged(fitting, fitting.sources[0], "skirt")
    assert sewn.p99 < 0.06
    assert max(one.strain for one in sewn.seams) < 0.05
    assert_allclose(fitting.bodies(), fitting.colliders.rest_points(), atol=1e-9)


def test_a_smock_is_sewn_clean_on_another_figure():
    fitting = sewing_on(figure(*FIGURES["slim"]), "smock", Plain(), 0.034)
    while fitting.growth is not None:
        fitting.step()
    found = fitting.crossings()
    assert (len(found.colliders), len(found.itself)) == (0, 0)
    assert judged(fitting, fitting.sources[0], "smock").p99 < 0.03


class TestAfterAChange:
    """A skirt that is worn gets a hem 40 mm longer."""

    @pytest.fixture(scope="class")
    @staticmethod
    def worn():
        fitting = sewing(sewn_shot(SKIRT), "skirt")
        while fitting.growth is not None:
            fitting.step()
        return fitting.sources[0], fitting.state.positions

    @staticmethod
    def changed(worn, by: float = 0.0):
        """The plan of the longer skirt, which begins as the former one was worn, `by` m aside."""
        source, pose = worn
        _, low, _, high = source.pattern.by_name["front"].outline.bounds
        block = {"kind": "skirt", "length_mm": 1e3 * (high - low) + 80}
        plan = plan_of(sewn_shot(SKIRT | {"recipe": SKIRT["recipe"] | {"block": block}}))
        (garment,) = plan.garments
        begins = garment.source.pose_from(source, pose) + [by, 0.0, 0.0]
        return replace(plan, garments=(replace(garment, begins=begins),))

    def test_it_goes_on_from_how_it_was_worn(self, worn):
        plan = sewing_plan(self.changed(worn), "skirt")
        fitting = sewing_of(plan, "skirt")
        assert fitting.growth is None
        before = fitting.state.positions.copy()
        substeps = [fitting.step().substeps for _ in range(8)]
        count = len(STRAINED_SUBSTEPS)
        assert (np.array(substeps[:count]) >= STRAINED_SUBSTEPS).all()
        assert max(substeps[count:]) < STRAINED_SUBSTEPS[0]
        found = fitting.crossings()
        assert (len(found.colliders), len(found.itself)) == (0, 0)
        assert np.linalg.norm(fitting.state.positions - before, axis=1).max() > 0.005
        assert judged(fitting, plan.garments[0].source, "skirt").p99 < 0.3

    def test_a_finer_mesh_goes_on_too_though_it_cuts_into_the_figure(self, worn):
        recipe = SKIRT["recipe"] | {"spacing": {"draft_mm": 20, "fine_mm": 20}}
        plan = plan_of(sewn_shot(SKIRT | {"recipe": recipe}))
        (garment,) = plan.garments
        begins = garment.source.pose_from(*worn)
        colliders = merged_colliders(plan)
        # As deep as the chords of the coarse mesh could cut.
        begins -= 0.003 * (begins - begins.mean(axis=0)) * [1, 0, 1] / 0.15
        assert len(
            crossing_pairs(begins, garment.source.mesh.triangles, colliders.rest_points(), colliders.triangles)
        )
        plan = sewing_plan(replace(plan, garments=(replace(garment, begins=begins),)), "skirt")
        fitting = sewing_of(plan, "skirt")
        assert fitting.growth is None
        for _ in range(4):
            fitting.step()
        found = fitting.crossings()
        assert (len(found.colliders), len(found.itself)) == (0, 0)

    def test_it_is_laid_anew_where_that_crosses_the_figure(self, worn):
        plan = sewing_plan(self.changed(worn, by=0.15), "skirt")
        assert sewing_of(plan, "skirt").growth is not None


def test_takes_and_fittings_refuse_what_is_not_sewn():
    plan = plan_of(sewn_shot(SKIRT))
    assert unsewn(plan) == ("skirt",)
    with pytest.raises(StartError, match="it is not sewn yet"):
        check_plan(plan)


def test_only_what_is_made_of_pieces_is_sewn():
    document = sewn_shot(SKIRT)
    with pytest.raises(ShotError, match="no garment 'hat'"):
        sewing_plan(plan_of(document), "hat")


def test_a_figure_without_a_skeleton_is_refused_in_words():
    document = sewn_shot(SKIRT)
    document["garments"][0]["recipe"]["around"] = "bollard"
    with pytest.raises(CastError, match="'bollard' has no skeleton"):
        plan_of(document)


def test_a_recipe_without_pieces_or_a_block_is_refused():
    document = sewn_shot({"name": "nothing", "recipe": {}})
    with pytest.raises(ShotError, match="neither pieces nor a block"):
        plan_of(document)


def test_the_demos_costume_is_sewn_as_it_is_cut():
    plan = assemble(read_shot_file(DEMO / "sewn.json"), DEMO)
    assert unsewn(plan) == ()
    check_plan(plan)


def test_what_goes_through_a_part_that_is_left_out_is_told():
    document = sewn_shot(SKIRT)
    document["cast"][0]["collider"]["leave_out"] = ["head"]
    fitting = sewing(document, "skirt")
    fitting.growth = None
    assert judged(fitting, fitting.sources[0], "skirt").through == ()
    height = figure().points[:, 1].max() - fitting.state.positions[:, 1].max()
    raised = fitting.state.positions + [0.0, height, 0.0]
    fitting.state = fitting.state.replace(positions=raised * [0.1, 1.0, 0.1])
    ((part, places),) = judged(fitting, fitting.sources[0], "skirt").through
    assert (part, places > 0) == ("head of lamplighter", True)
