"""Hits of strokes in files of their own."""

from __future__ import annotations

import hashlib
import io
import json

import numpy as np
import pytest

from patient_needle.core.model.errors import NeedleError
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.differences import differences
from patient_needle.formats.shot_file.document import parse_shot
from patient_needle.formats.shot_file.parcel import read_zip, write_zip
from patient_needle.formats.shot_file.strokes import hits_bytes, moved_out, read_hits

from .test_maps import FLAG, flag

HITS = [[0.3 + 0.01 * k, 1.3, 0.0, 0.0, 0.0, 1.0, 0.5] for k in range(12)]
DRAWN = {"name": "hem", "role": "bend", "steps": [{"kind": "stroke", "hits": HITS, "radius_mm": 60}]}


def kept(tmp_path):
    """The flag with a stroke, as the workroom keeps it: its document, and a folder with its files."""
    document = parse_shot(flag(maps=[DRAWN]), "flag").model_dump(mode="json")
    files = moved_out(document)
    for path in FLAG.iterdir():
        if path.is_file():
            (tmp_path / path.name).write_bytes(path.read_bytes())
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
    return document, files


def test_a_stroke_is_the_same_in_or_out_of_the_document(tmp_path):
    document, files = kept(tmp_path)
    (name,) = files
    inside = assemble(parse_shot(flag(maps=[DRAWN]), "flag"), FLAG).garments[0].maps[0].steps[0]
    outside = assemble(parse_shot(document, "flag"), tmp_path).garments[0].maps[0].steps[0]
    assert inside.hits.tobytes() == outside.hits.tobytes()
    assert len(json.dumps(document["garments"][0]["maps"])) < 400
    shas = {name: hashlib.sha256(files[name]).hexdigest()}
    assert differences(flag(maps=[DRAWN]), document, {}, shas) == []
    other = {name: hashlib.sha256(hits_bytes(HITS[:-1])).hexdigest()}
    assert "drawn otherwise" in differences(flag(maps=[DRAWN]), document, {}, other)[0]


def test_a_zip_takes_the_file_along(tmp_path):
    document, (name, *_) = kept(tmp_path)
    out = tmp_path / "shot.zip"
    named = {path.name: [path.read_bytes()] for path in tmp_path.glob("*.*") if path.name != "shot.json"}
    with out.open("wb") as stream:
        write_zip(stream, document, named)
    into = tmp_path / "into"
    into.mkdir()
    _, files = read_zip(out, "the zip", into)
    assert read_hits(files[name]).tolist() == HITS


def saved(array) -> bytes:
    stream = io.BytesIO()
    np.save(stream, array, allow_pickle=True)
    return stream.getvalue()


def claiming(hits: int) -> bytes:
    """A file whose header claims other hits than it holds: it must not be believed before it is checked."""
    stream = io.BytesIO()
    header = {"descr": "<f8", "fortran_order": False, "shape": (hits, 7)}
    np.lib.format.write_array_header_1_0(stream, header)
    return stream.getvalue() + bytes(7 * 8)


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "no NumPy array file"),
        (b"PK\3\4 a zip", "no NumPy array file"),
        (saved(np.zeros((3, 7), np.float32)), "no array of float64"),
        (saved(np.zeros((3, 6))), "no array of float64"),
        (saved(np.zeros((0, 7))), "at least 1"),
        (saved(np.full((2, 7), np.nan)), "must lie from"),
        (saved(np.full((2, 7), 3.0)), r"at \[0, 6\]"),
        (saved(np.array([{"a": 1}], dtype=object)), "no array of float64"),
        (saved(np.zeros((20_001, 7))), "too large"),
        (hits_bytes(HITS)[:-9], "more or fewer numbers"),
        (claiming(10**12), "more or fewer numbers"),
        (claiming(-1), "more or fewer numbers"),
        (saved(np.asfortranarray(np.zeros((3, 7)))), "no array of float64"),
    ],
)
def test_what_is_no_stroke_is_said(tmp_path, data, says):
    path = tmp_path / "stroke-x.npy"
    path.write_bytes(data)
    with pytest.raises(NeedleError, match=says) as raised:
        read_hits(path)
    assert "stroke-x.npy" in str(raised.value)
    assert "Draw the stroke again" in str(raised.value)


def test_a_stroke_with_both_or_neither_is_refused():
    for step in ({}, {"hits": HITS, "file": "a.npy"}):
        with pytest.raises(NeedleError, match="either hits or a file"):
            parse_shot(flag(maps=[{**DRAWN, "steps": [{"kind": "stroke", **step}]}]), "flag")
