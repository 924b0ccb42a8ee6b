"""Rings against girths, closed sheets with two faces, and what is offered for both."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from patient_needle.core.craft.inspect.fitting import narrow_offers, narrow_said, two_faced_offers
from patient_needle.core.craft.inspect.girths import Girthed, rings, too_narrow
from patient_needle.core.geometry.letting_out import girth_of, let_out
from patient_needle.core.geometry.topology import border_loops, build_topology, is_closed, triangulated
from patient_needle.core.geometry.two_faced import one_sheet, sides_of
from patient_needle.core.model.errors import MeshError
from patient_needle.core.model.mesh import Mesh
from tests.figures import COSTUME, garment, lamplighter

AROUND, UP = 48, 16


def tube(radius: float, length: float = 0.3):
    """An open tube about the upward axis whose rings are `radius` wide all the way."""
    angle = 2 * np.pi * np.arange(AROUND) / AROUND
    height = np.linspace(0, length, UP)
    points = np.stack([
        np.tile(radius * np.cos(angle), UP), np.repeat(height, AROUND), np.tile(radius * np.sin(angle), UP)
    ], axis=1)  # fmt: skip
    faces = []
    for i in range(UP - 1):
        for j in range(AROUND):
            a, b = i * AROUND + j, i * AROUND + (j + 1) % AROUND
            faces += [(a, a + AROUND, b), (b, a + AROUND, b + AROUND)]
    triangles = np.array(faces, np.int32)
    topology = build_topology(triangles, len(points))
    return points, topology, border_loops(topology)


def post(*radii_and_places, clearance=0.002):
    """Standing posts as bodies: pairs of a radius and where it stands along x."""
    points, triangles, part = [], [], []
    for number, (radius, x) in enumerate(radii_and_places):
        solid = trimesh.creation.cylinder(radius, 1.0, sections=180)
        triangles.append(np.asarray(solid.faces) + sum(len(p) for p in points))
        points.append(np.asarray(solid.vertices)[:, [0, 2, 1]] * [1, 1, -1] + [x, 0.2, 0])
        part.append(np.full(len(solid.faces), number, np.int32))
    all_triangles = np.concatenate(triangles).astype(np.int32)
    names = tuple(f"man: shank {number}" for number in range(len(points)))
    clearances = np.full(len(all_triangles), clearance)
    own = np.zeros(len(all_triangles), np.int32)
    return Girthed(np.concatenate(points), all_triangles, clearances, np.concatenate(part), names, own)


def found(radius, bodies, held=False, length=0.3):
    points, topology, loops = tube(radius, length)
    return too_narrow(points, topology, loops, points, bodies, 0.001, np.full(len(points), held))


class TestGirths:
    def test_a_cuff_that_is_too_narrow_is_told_by_how_much(self):
        """Analytic: around a post of radius r with clearance c and half a cloth t/2, 2 pi (r + c + t/2)."""
        (narrow,) = found(0.0436, post((0.0445, 0.0)))
        assert narrow.needed == pytest.approx(2 * np.pi * (0.0445 + 0.002 + 0.0005), rel=1e-3)
        assert narrow.girth == pytest.approx(2 * np.pi * 0.0445, rel=1e-3)
        assert narrow.length == pytest.approx(2 * np.pi * 0.0436, rel=2e-3)
        assert narrow.inside == "man: shank 0"
        assert "274 mm round, is 22 mm too narrow: man: shank 0 inside it needs 295 mm" in narrow_said(narrow)

    def test_one_that_is_wide_enough_is_not_told(self):
        assert found(0.0475, post((0.0445, 0.0))) == ()
        assert found(0.03, post((0.0445, 1.0))) == ()  # what stands beside it is not inside
        assert found(0.0436, post((0.0445, 0.0)), held=True) == ()

    def test_a_hem_around_two_legs_needs_what_a_string_around_both_needs(self):
        """Analytic: around two circles of radius r whose middles are d apart, 2 pi r + 2 d."""
        (narrow,) = found(0.11, post((0.06, -0.1), (0.06, 0.1), clearance=0.0))
        assert narrow.girth == pytest.approx(2 * np.pi * 0.06 + 2 * 0.2, rel=1e-3)

    def test_rings_lie_along_the_tube_and_a_slit_ends_them(self):
        points, topology, loops = tube(0.1)
        every = list(rings(points, topology, loops, points))
        assert sum(ring.is_border for ring in every) == 2
        assert len(every) > 12
        for ring in every:
            assert ring.length == pytest.approx(2 * np.pi * 0.1, rel=3e-3)
        slit = build_topology(
            topology.triangles[np.arange(len(topology.triangles)) % (2 * AROUND) > 1], len(points)
        )
        free = np.zeros(len(points), bool)
        assert too_narrow(points, slit, border_loops(slit), points, post((0.12, 0.0)), 0.001, free) == ()

    @pytest.mark.parametrize("name", COSTUME)
    def test_the_demos_costume_is_wide_enough(self, name):
        points, triangles = garment(name)
        body = lamplighter()
        topology = build_topology(triangles, len(points))
        bodies = Girthed(
            body.motion.rest(), body.cut.triangles, np.full(len(body.cut.triangles), 0.002), body.part,
            body.part_names, np.zeros(len(body.cut.triangles), np.int32),
        )  # fmt: skip
        free = np.zeros(len(points), bool)
        assert too_narrow(points, topology, border_loops(topology), points, bodies, 0.001, free) == ()


class TestOffers:
    def offers(self, radius, clearance=4.0, length=0.3):
        bodies = post((0.0445, 0.0), clearance=clearance / 1000)
        (narrow,) = found(radius, bodies, length=length)
        return narrow, narrow_offers(
            narrow, [], "man", {"clearance_mm": clearance, "friction": 0.3}, [], (961, 1001)
        )

    def test_a_ring_is_let_out_by_what_it_needs_and_its_neighbours_follow(self):
        narrow, (out, *_) = self.offers(0.0436, length=0.1)
        (ring,) = out.member["let_out"]
        points, topology, loops = tube(0.0436, 0.1)
        chosen = np.array(ring["vertices"])
        after = let_out(points, topology, chosen, ring["by_mm"] / 1000 / girth_of(points, chosen), 0.15)
        bodies = post((0.0445, 0.0), clearance=0.004)
        left = too_narrow(after, topology, loops, after, bodies, 0.001, np.zeros(len(after), bool))
        assert all(one.short < narrow.short and tuple(chosen) != one.vertices for one in left)
        assert girth_of(after, chosen) == pytest.approx(
            girth_of(points, chosen) + ring["by_mm"] / 1000, rel=2e-3
        )

    def test_less_clearance_is_offered_where_it_is_enough(self):
        _, offers = self.offers(0.0470)
        (less,) = [offer for offer in offers if "clearance" in offer.said]
        kept = less.cast["man"]["collider"]["clearance_mm"]
        assert less.cast["man"]["collider"]["friction"] == 0.3
        assert found(0.0470, post((0.0445, 0.0), clearance=kept / 1000)) == ()
        _, offers = self.offers(0.0436)  # narrower than the post itself
        assert not [offer for offer in offers if "clearance" in offer.said]

    def test_a_thinner_start_is_keyed_and_offered_once(self):
        narrow, offers = self.offers(0.0436)
        shape = offers[-1].cast["man"]["shapes"][-1]
        assert shape["parts"] == ["shank 0"]
        assert shape["amount"] == {"frames": [961, 981], "values": [1, 0]}
        assert shape["drawn_in_mm"] == pytest.approx(narrow.short * 1000 / (2 * np.pi) + 0.5, abs=0.06)
        again = narrow_offers(narrow, [], "man", {"clearance_mm": 4.0}, [shape], (961, 1001))
        assert not [offer for offer in again if offer.cast.get("man", {}).get("shapes")]


def bag(thickness: float, n: int = 24) -> Mesh:
    """A bent panel of half a metre with an inner face, an outer face and a rim."""
    u, v = np.meshgrid(np.linspace(-0.25, 0.25, n), np.linspace(-0.2, 0.2, n), indexing="ij")
    up = np.stack([-0.8 * u, 0 * u, 1 + 0 * u], -1)
    up /= np.linalg.norm(up, axis=-1, keepdims=True)
    middle = np.stack([u, v, 0.4 * u**2], -1)
    points = np.concatenate([(middle + s * thickness / 2 * up).reshape(-1, 3) for s in (1, -1)])
    faces = []
    for i in range(n - 1):
        for j in range(n - 1):
            quad = [i * n + j, (i + 1) * n + j, (i + 1) * n + j + 1, i * n + j + 1]
            faces += [quad, [corner + n * n for corner in reversed(quad)]]
    rim = [i * n for i in range(n)] + [(n - 1) * n + j for j in range(1, n)]
    rim += [i * n + n - 1 for i in range(n - 2, -1, -1)] + list(range(n - 2, 0, -1))
    faces += [[b, a, a + n * n, b + n * n] for a, b in zip(rim, rim[1:] + rim[:1], strict=True)]
    groups = {"outer": np.arange(0, 2 * (n - 1) ** 2, 2, dtype=np.int32)}
    corners = np.array(faces, np.int32).ravel()
    return Mesh("bag", points, np.full(len(faces), 4, np.int32), corners, groups=groups)


class TestTwoFaced:
    @pytest.mark.parametrize("thickness", [0.002, 0.007, 0.015])
    def test_a_closed_sheet_becomes_one_in_its_middle(self, thickness):
        mesh = bag(thickness)
        sheet, thick = one_sheet(mesh)
        assert thick == pytest.approx(thickness, rel=0.1)
        assert sheet.vertex_count == mesh.vertex_count / 2
        assert not is_closed(triangulated(sheet).triangles)
        assert np.abs(sheet.vertices[:, 2] - 0.4 * sheet.vertices[:, 0] ** 2).max() < 0.1 * thickness + 2e-4
        assert len(sheet.groups.get("outer", [])) in (0, sheet.face_count)  # one side's groups stay

    def test_what_is_thick_or_open_is_no_sheet(self):
        for solid in (
            trimesh.creation.icosphere(3, 0.3), trimesh.creation.box((0.5, 0.4, 0.12)).subdivide().subdivide()
        ):  # fmt: skip
            assert sides_of(np.asarray(solid.vertices), np.asarray(solid.faces, np.int32)) is None
        points, triangles = garment("apron_skirt")
        assert sides_of(points, triangles) is None
        flat = Mesh("flat", points, np.full(len(triangles), 3, np.int32), triangles.ravel())
        with pytest.raises(MeshError, match="no closed thin shape"):
            one_sheet(flat)

    def test_both_ways_are_offered(self):
        mesh = bag(0.007)
        fabrics = [{"name": "felt", "thickness_mm": 1.0}, {"name": "silk", "thickness_mm": 0.2}]
        made, sheet = two_faced_offers(mesh.vertices, triangulated(mesh).triangles, fabrics, "felt")
        assert made.because == sheet.because
        assert made.garment == {"rest_angles": "as made"}
        assert sheet.member == {"sheet": True}
        assert sheet.garment == {"fabric": sheet.shot["fabrics"][-1]["name"]}
        assert sheet.shot["fabrics"][-1]["thickness_mm"] == pytest.approx(7.0, abs=0.4)
        assert sheet.shot["fabrics"][:2] == fabrics
