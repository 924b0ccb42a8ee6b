"""Every number of a shot has a range, and a document made to harm is refused at its first fault."""

from __future__ import annotations

import json
import math
import time
from typing import Any, get_args

import pytest
from pydantic import BaseModel

from patient_needle.core.model.errors import FileError, NeedleError, ShotError
from patient_needle.formats import files as bounded_json
from patient_needle.formats.files import finite, read_json
from patient_needle.formats.shot_file.document import ShotFile, parse_shot, shot_file_schema

PLAIN = {
    "format": "patient-needle-shot", "version": 1, "name": "x", "frames": [-12, 90], "fabrics": [],
    "garments": [], "cast": [],
}  # fmt: skip
GARMENT = {"name": "g", "file": "g.obj", "fabric": "f"}
MAP = {"name": "m", "role": "bend", "steps": [{"fill": 2}]}
BODY = {"name": "b", "kind": "prop", "file": "b.obj"}


def held(**choose: object) -> dict[str, object]:
    return {"garments": [GARMENT | {"holds": [{"name": "h", "choose": choose, "follows": "man"}]}]}


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (held(vertices=[2**70]), "vertices.0.*must lie from -2,147,483,647 to 2,147,483,647"),
        ({"cast": [BODY | {"placed": {"move": [1e300, 0, 0]}}]}, "must lie from -1,000,000 to 1,000,000 m"),
        ({"cast": [BODY | {"placed": {"scale": 1e-300}}]}, "scale.*must lie from 1e-09"),
        ({"frames": [0, 2**31]}, "must lie from .* frames"),
        ({"frames": [0, 19_999]}, "frames 0 to 19999 are 20,000, more than 5,000"),
        ({"frame_rate": 1e-300}, "frame_rate.*frames a second"),
        ({"cast": [BODY | {"collider": {"clearance_mm": {"frames": [1], "values": [1e9]}}}]}, "100,000 mm"),
        ({"cast": [BODY | {"starts_at": 10**7}]}, "starts_at.*frames"),
        ({"forces": {"gravity": [0, -1e30, 0]}}, "m/s2"),
        ({"garments": [GARMENT | {"maps": [MAP]}]}, "from 0 to 1"),
        ({"name": "a\nb"}, "needs a letter"),
        ({"name": "\u200d"}, "needs a letter"),
        ({"name": "a\u202eb"}, "needs a letter"),
        ({"cast": [BODY | {"name": ".."}]}, "needs a letter"),
        ({"cast": [BODY] * 501}, "at most 500 items"),
        ({"cast": [BODY | {"file": "x" * 2000}]}, "at most 1000 characters"),
    ],
)  # fmt: skip
def test_a_number_out_of_its_range_is_said_with_its_unit(change, said):
    with pytest.raises(ShotError, match=said):
        parse_shot(PLAIN | change, "here")


def numbers_without_a_range(model: type[BaseModel], seen: set[type], path: str) -> list[str]:
    """Fields of a record, and of those within, that are numbers or lists without bounds."""
    if model in seen:
        return []
    seen.add(model)
    out = []
    for name, field in model.model_fields.items():
        out += _bare(field.annotation, [type(one).__name__ for one in field.metadata], f"{path}.{name}", seen)
    return out


def _bare(kind: Any, marks: list[str], path: str, seen: set[type]) -> list[str]:
    if hasattr(kind, "__metadata__"):
        return _bare(get_args(kind)[0], marks + [type(one).__name__ for one in kind.__metadata__], path, seen)
    if kind in (int, float):
        return [] if "Within" in marks else [path]
    if isinstance(kind, type) and issubclass(kind, BaseModel):
        return numbers_without_a_range(kind, seen, path)
    inner = [one for one in get_args(kind) if not isinstance(one, (str, int))]
    bare = [one for part in inner for one in _bare(part, marks, path, seen)]
    unbounded = getattr(kind, "__origin__", None) is list and "Many" not in marks
    return [*bare, *([f"{path} (a list)"] if unbounded else [])]


def test_no_number_and_no_list_of_the_shot_file_is_without_bounds():
    assert numbers_without_a_range(ShotFile, set(), "shot") == []


def test_the_schema_says_the_ranges():
    schema = shot_file_schema()
    rate = schema["properties"]["frame_rate"]
    assert (rate["minimum"], rate["maximum"], rate["x-unit"]) == (0.1, 1000, "frames a second")
    assert schema["$defs"]["WindRecord"]["properties"]["strength"]["x-range"] == [-500, 500]
    assert schema["properties"]["cast"]["maxItems"] == 500


@pytest.mark.parametrize("count", [300, 270_000])
def test_a_document_of_nothing_but_faults_is_refused_at_the_first(count):
    start = time.process_time()
    with pytest.raises(ShotError, match=r"cast.0.name' is missing"):
        parse_shot(PLAIN | {"cast": [{}] * count}, "here")
    assert time.process_time() - start < 2


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"[" * 100_000, "nested too deeply"),
        (b'{"a":' * 100_000, "nested too deeply"),
        (b"{}," * 300_000, "too many"),
        (b"x" * (17 << 20), "17 MB"),
        (b"{", "not JSON"),
        (b"\xff\xfe", "not JSON"),
    ],
)
def test_json_that_is_deep_large_or_none_is_refused_in_words(data, said):
    with pytest.raises(FileError, match=said):
        read_json(data, "here")
    assert bounded_json.MOST_BYTES == 16 << 20


def test_numbers_without_a_word_in_json_become_null():
    value = {"a": [math.nan, 1.5, (math.inf, -math.inf)], "b": "NaN"}
    assert json.loads(json.dumps(finite(value), allow_nan=False)) == {
        "a": [None, 1.5, [None, None]],
        "b": "NaN",
    }


def test_a_deep_shot_file_ends_the_command_line_in_words(tmp_path):
    from patient_needle.formats.shot_file.document import read_shot_file

    path = tmp_path / "shot.json"
    path.write_bytes(b"[" * (50 << 20))
    with pytest.raises(NeedleError, match="more than 17 MB"):
        read_shot_file(path)
