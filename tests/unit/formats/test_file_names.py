"""File names made of names in any script, and the names that formats allow."""

from __future__ import annotations

import os
import unicodedata

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pxr import Sdf, Usd

from patient_needle.core.model.errors import FileError
from patient_needle.core.model.mesh import Mesh
from patient_needle.formats.alembic_cache import read_alembic
from patient_needle.formats.names import apart, file_name, identifier, identifiers, plain_name
from patient_needle.formats.registry import CacheTiming, list_contents, read_cache, write_cache

FAMILY = "👩‍👩‍👧‍👦"
NAMES = [
    "袖 0010",
    "Łódź",
    "e\u0301te\u0301",
    "قميص",
    "🧵 " + 20 * FAMILY,
    "..hem..",
    "con",
    "a" * 80,
    "0010",
    "ゝゞ",
]
SQUARE = np.array([[0.0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])


@pytest.mark.parametrize("name", NAMES)
def test_a_name_in_any_script_becomes_a_file_of_that_name(name, tmp_path):
    made = file_name(name, ".pc2")
    (tmp_path / made).write_bytes(b"")
    assert os.listdir(tmp_path) == [made]
    assert len(made.encode()) <= 200
    assert plain_name(made) == made


@given(st.text(max_size=300), st.sampled_from(["", ".pc2", ".zip"]))
def test_no_name_is_a_path_a_device_or_longer_than_disks_keep(name, ending):
    made = file_name(name, ending)
    assert made.endswith(ending)
    assert 0 < len(made.encode()) <= 204
    assert made not in (".", "..")
    assert not set(made) & set('/\\\x00:*?"<>|\n\u202e')
    assert made.split(".")[0].lower() not in ("con", "nul", "com1")


@given(st.text(min_size=1, max_size=200))
def test_a_plain_name_never_leaves_its_folder(name):
    try:
        plain = plain_name(name)
    except FileError:
        return
    assert 0 < len(plain) <= 121
    assert plain not in (".", "..")
    assert not set(plain) & set('/\\\x00:*?"<>|')
    assert plain_name(plain) == plain


def test_a_long_name_keeps_its_ending_and_whole_letters():
    family = plain_name(40 * FAMILY + ".abc")
    assert family.endswith(f"{FAMILY}.abc")
    accents = plain_name(199 * "e\u0301" + ".obj")
    assert unicodedata.combining(accents[-5])
    with pytest.raises(FileError, match="not a file name"):
        plain_name("../..")


def test_names_that_one_disk_would_take_for_the_same_stand_apart():
    assert apart("Hem.pc2", ["hem.pc2"]) == "_Hem.pc2"
    assert apart("\u00e9.pc2", ["e\u0301.pc2", "_\u00e9.pc2"]) == "__\u00e9.pc2"
    assert apart("hem.pc2", ["sleeve.pc2"]) == "hem.pc2"


@pytest.mark.parametrize("name", NAMES)
@pytest.mark.parametrize("ending", [".usd", ".abc"])
def test_a_mesh_keeps_its_name_through_a_cache(name, ending, tmp_path):
    mesh = Mesh(
        name, SQUARE, np.array([4], np.int32), np.arange(4, dtype=np.int32), groups={name: np.array([0])}
    )
    path = tmp_path / f"cache{ending}"
    write_cache(path, mesh, [SQUARE, SQUARE + 1], CacheTiming(-12, 30.0))
    assert read_cache(path).first_frame == pytest.approx(-12)
    (piece,) = list_contents(path).pieces
    if ending == ".abc":
        assert read_alembic(path).mesh.name == name == piece.name
        return
    assert piece.name == identifier(name)
    stage = Usd.Stage.Open(str(path))
    assert stage.GetDefaultPrim().GetDisplayName() == name
    assert stage.GetPrimAtPath(f"/{identifier(name)}/{identifier(name)}")


@given(st.text(max_size=60))
def test_an_identifier_is_one_that_the_stage_allows(name):
    """Held against the library's own rule (Sdf.Path.IsValidIdentifier)."""
    assert Sdf.Path.IsValidIdentifier(identifier(name))


def test_letters_stay_and_groups_never_fall_together():
    assert identifier("袖 0010") == "袖_0010"
    assert identifiers(["a b", "a_b", "a-b"]) == ["a_b", "a_b_2", "a_b_3"]
