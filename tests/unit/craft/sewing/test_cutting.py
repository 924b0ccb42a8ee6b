import numpy as np
import pytest
from numpy.testing import assert_allclose

from patient_needle.core.craft.sewing.cutting import held_pairs, metric_of, sewn, shut, topology_of
from patient_needle.core.craft.sewing.pattern import Pattern, Seam
from patient_needle.core.model.errors import MeshError
from tests.sewing import gathered, rectangle


def tube(**seam) -> Pattern:
    """A rectangle whose left and right edges are sewn together."""
    return Pattern((rectangle("p", 0.6, 0.4),), (Seam((("p", "right"),), (("p", "left"),), **seam),))


class TestSewn:
    def test_the_area_is_that_of_the_pieces(self):
        mesh = sewn(gathered(1.7), 0.02)
        assert_allclose(mesh.cut_areas.sum(), 0.4 * 0.2 + 0.4 / 1.7 * 0.1, rtol=1e-3)

    def test_a_tube_has_two_borders_and_is_one_piece(self):
        mesh = sewn(tube(), 0.02)
        edges = np.sort(
            np.stack([mesh.triangles, np.roll(mesh.triangles, -1, axis=1)], axis=2).reshape(-1, 2), axis=1
        )
        _, count = np.unique(edges, axis=0, return_counts=True)
        # Euler's characteristic of a tube is 0: V - E + F.
        assert mesh.count - len(count) + len(mesh.triangles) == 0
        assert (count == 1).sum() == 2 * 30

    def test_a_gather_has_twice_the_cloth_along_its_seam(self):
        mesh = sewn(gathered(2.0), 0.02)
        metric = metric_of(mesh, topology := topology_of(mesh, "g"), gathered(2.0))
        seam = mesh.seams[0]
        ends = np.sort(np.stack([seam[:-1], seam[1:]], axis=1), axis=1)
        code = topology.edges.astype(np.int64) @ [mesh.count, 1]
        at = np.searchsorted(code, ends.astype(np.int64) @ [mesh.count, 1])
        assert_allclose(metric.edge_lengths[at].sum(), 0.2, rtol=1e-9)
        top = mesh.cut.runs["frill", "top"]
        cut = np.linalg.norm(np.diff(mesh.cut.points[top], axis=0), axis=1).sum()
        assert_allclose(cut / metric.edge_lengths[at].sum(), 2.0, rtol=0.01)

    def test_elastic_shortens_a_seam(self):
        mesh = sewn(tube(elastic=0.8), 0.02)
        metric = metric_of(mesh, topology := topology_of(mesh, "g"), tube(elastic=0.8))
        seam = mesh.seams[0]
        ends = np.sort(np.stack([seam[:-1], seam[1:]], axis=1), axis=1)
        at = np.searchsorted(
            topology.edges.astype(np.int64) @ [mesh.count, 1], ends.astype(np.int64) @ [mesh.count, 1]
        )
        assert_allclose(metric.edge_lengths[at].sum(), 0.8 * 0.4, rtol=1e-9)

    def test_a_bend_factor_stiffens_the_hinges_of_its_seam_alone(self):
        plain, stiff = (tube(bend=bend) for bend in (1.0, 3.0))
        mesh = sewn(plain, 0.02)
        topology = topology_of(mesh, "g")
        one, other = (metric_of(mesh, topology, pattern).hinge_areas.sum(axis=1) for pattern in (plain, stiff))
        on = np.isin(topology.hinges[:, :2], mesh.seams[0]).all(axis=1)
        assert on.sum() >= len(mesh.seams[0]) - 1
        assert_allclose((one / other)[on], 3.0)
        assert_allclose((one / other)[~on], 1.0)

    def test_one_edge_sewn_to_two(self):
        pieces = (rectangle("wide", 0.5, 0.1), rectangle("a", 0.2, 0.1), rectangle("b", 0.3, 0.1))
        seams = (
            Seam((("wide", "top"),), (("b", "low"), ("a", "low"))), Seam((("a", "right"),), (("b", "left"),)),
        )  # fmt: skip
        mesh = sewn(Pattern(pieces, tuple(seams)), 0.02)
        ends = mesh.welded[mesh.cut.runs["a", "low"]], mesh.welded[mesh.cut.runs["b", "low"]]
        top = mesh.welded[mesh.cut.runs["wide", "top"]]
        assert set(np.concatenate(ends)) == set(top)

    def test_a_spacing_larger_than_a_piece_is_refused(self):
        with pytest.raises(MeshError, match="larger than it allows"):
            sewn(Pattern((rectangle("strip", 0.4, 0.02),), ()), 0.06)

    def test_the_same_pattern_gives_the_same_bits(self):
        one, other = sewn(gathered(1.5), 0.02), sewn(gathered(1.5), 0.02)
        assert np.array_equal(one.corners, other.corners)
        assert np.array_equal(one.triangles, other.triangles)


class TestBasting:
    def test_the_sides_of_a_basting_are_cut_alike_and_not_welded(self):
        mesh, plain = sewn(tube(basted=True), 0.02), sewn(tube(), 0.02)
        assert mesh.count == plain.count + len(mesh.basted)
        rest = mesh.cut.points[np.unique(mesh.cut.runs["p", "right"])]
        assert len(mesh.basted) == len(rest) == 21

    def test_shut_it_is_the_mesh_that_would_be_sewn(self):
        mesh, plain = sewn(tube(basted=True), 0.02), sewn(tube(), 0.02)
        closed, place = shut(mesh)
        assert (closed.triangles == plain.triangles).all()
        assert (place[mesh.basted[:, 0]] == place[mesh.basted[:, 1]]).all()

    def test_buttons_hold_so_far_apart_and_at_both_ends(self):
        pattern = tube(basted=True, every=0.1)
        mesh = sewn(pattern, 0.02)
        held = held_pairs(mesh, pattern)
        assert len(held) == 5  # 0.4 m of edge
        assert (held[[0, -1]] == mesh.basted[[0, -1]]).all()

    def test_what_is_undone_changes_no_vertex_and_holds_nothing(self):
        done, undone = tube(basted=True), tube(basted=True, undone=True)
        a, b = sewn(done, 0.02), sewn(undone, 0.02)
        assert (a.triangles == b.triangles).all()
        assert len(held_pairs(a, done)) == 21
        assert len(held_pairs(b, undone)) == 0

    def test_links_a_step_apart_are_no_buttons(self):
        with pytest.raises(MeshError, match=r"0\.5 mm between its links"):
            sewn(tube(basted=True, every=0.0005), 0.02)
