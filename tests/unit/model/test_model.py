"""Errors, units, curves, meshes and fabrics."""

from __future__ import annotations

import inspect

import numpy as np
import pytest

from patient_needle.core.model import errors
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.errors import MaterialError, MeshError, NeedleError, ShotError
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.units import from_mm, metres_per, to_mm
from tests.sheets import polygons

TRIANGLE = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]


def test_error_tree_in_the_docstring_is_complete():
    for name, item in inspect.getmembers(errors, inspect.isclass):
        assert issubclass(item, NeedleError)
        assert name in errors.__doc__


def test_error_line_names_place_what_and_remedy():
    error = MeshError("a face is open", where="face 3", remedy="Close it").at("coat.obj")
    assert isinstance(error, MeshError)
    assert str(error) == "coat.obj, face 3: a face is open. Close it"


def test_units():
    assert metres_per("cm") == 0.01
    assert metres_per("in") == 0.0254  # international inch, 1959
    assert to_mm(from_mm(12.5)) == pytest.approx(12.5)
    with pytest.raises(ShotError, match="furlong"):
        metres_per("furlong")


@pytest.mark.parametrize(
    ("frames", "values", "says"),
    [
        ([], [], "same number"),
        ([1, 2], [0], "same number"),
        ([2, 1], [0, 0], "rising"),
        ([1], [np.nan], "finite"),
    ],
)
def test_bad_curves_are_refused(frames, values, says):
    with pytest.raises(ShotError, match=says):
        Curve(np.array(frames, float), np.array(values, float))


def test_mesh_keeps_faces_and_finds_them():
    mesh = polygons("m", TRIANGLE + [(1, 1, 0)], [(0, 1, 3, 2), (0, 2, 1)])
    assert mesh.face_count == 2
    assert mesh.face(0).tolist() == [0, 1, 3, 2]
    assert mesh.face(1).tolist() == [0, 2, 1]


def test_mesh_names_the_face_past_the_vertex_list():
    with pytest.raises(MeshError, match=r"m, face 1: a face names vertex 7 of 3"):
        polygons("m", TRIANGLE, [(0, 1, 2), (0, 1, 7)])


def test_mesh_names_the_vertex_that_is_not_a_number():
    with pytest.raises(MeshError, match="vertex 1"):
        polygons("m", [(0, 0, 0), (np.nan, 0, 0), (0, 1, 0)], [(0, 1, 2)])


def test_positions_of_another_count_are_refused():
    with pytest.raises(MeshError, match="4 positions were given for 3"):
        polygons("m", TRIANGLE, [(0, 1, 2)]).with_vertices(np.zeros((4, 3)))


@pytest.mark.parametrize("change", [{"stretch_warp": 0}, {"bend_weft": -1}, {"areal_density": float("nan")}])
def test_unphysical_fabric_is_refused(change):
    with pytest.raises(MaterialError, match=next(iter(change))):
        Fabric("wrong", **change)
