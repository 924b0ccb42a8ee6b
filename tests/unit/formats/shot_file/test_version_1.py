"""Version 1 of the shot file, read for ever: the demo as it was then, and every odd thing a file may hold."""

from __future__ import annotations

import copy
import json
from pathlib import Path

import pytest

from patient_needle.core.model.errors import FileError, ShotError
from patient_needle.core.model.references import references
from patient_needle.formats.shot_file.document import current, parse_shot
from patient_needle.formats.shot_file.version_1 import STEPS, upgraded

HERE = Path(__file__).parents[3] / "version_1"
DEMO = Path(__file__).parents[4] / "demo"
THEN = {
    "flag.json": "flag/shot.json",
    **{
        name: f"lamplighter/{name}".replace("/shot.json", "/from_file.json")
        for name in ("shot.json", "layers.json", "fastened.json", "gust.json", "smock.json")
    },
}
SMALL = {
    "format": "patient-needle-shot", "version": 1, "name": "old", "frames": [-12, 4], "fabrics": [],
    "garments": [{"name": "cape", "file": "cape.obj", "unit": "cm", "fabric": "wool"}],
}  # fmt: skip
EVERY_STEP = {
    "stroke": {"hits": [[0, 0, 0, 0, 0, 1, 1]]}, "fill": 0.5, "along": {"start": [0, 0, 0], "end": [0, 1, 0]},
    "from_choice": {"choose": {"whole": True}}, "from_weights": {"member": "man", "joints": ["thighL"]},
    "from_distance": {"member": "man"}, "from_garment": {"garment": "coat", "map": "hem"},
    "from_file": {"file": "hem.ply"}, "change": {"how": "invert"}, "with_map": {"map": "b"}, "mirror": -1,
    "values": [0.0, 1.0],
}  # fmt: skip


def old(**garment):
    made = copy.deepcopy(SMALL)
    made["garments"][0] |= garment
    return made


@pytest.mark.parametrize("name", THEN)
def test_the_demo_as_it_was_is_the_demo_as_it_is(name):
    before, after = json.loads((HERE / name).read_text()), json.loads((DEMO / THEN[name]).read_text())
    assert (before["version"], after["version"]) == (1, 2)
    assert parse_shot(before, name) == parse_shot(after, name)


@pytest.mark.parametrize("kind", STEPS)
def test_every_step_keeps_what_it_says(kind):
    nulls = dict.fromkeys(STEPS)  # as the page wrote them
    steps = [{**nulls, kind: EVERY_STEP[kind]}, {kind: EVERY_STEP[kind]}]
    shot = parse_shot(old(maps=[{"name": "m", "role": "bend", "steps": steps}]), "old")
    one, other = shot.garments[0].maps[0].steps
    assert one == other
    said = one.model_dump(mode="json")
    assert said.pop("kind") == kind
    given = EVERY_STEP[kind]
    if isinstance(given, dict):
        assert {key: json.loads(json.dumps(said[key])) for key in given if key != "choose"} == {
            key: value for key, value in given.items() if key != "choose"
        }
    else:
        assert list(said.values()) == [given]


def test_what_a_file_says_of_itself_goes_into_the_recipe():
    shot = parse_shot(
        old(placed={"move": [1, 0, 0]}, rest_angles="as made", warp=[1, 0, 0], starts_at=3), "old"
    )
    recipe = shot.garments[0].recipe
    assert (recipe.kind, recipe.file, recipe.unit, recipe.starts_at) == ("file", "cape.obj", "cm", 3)
    assert (shot.garments[0].rest_angles, recipe.warp, recipe.placed.move) == ("as made", (1, 0, 0), (1, 0, 0))
    assert shot.files() == ["cape.obj"]


HOLD = {"name": "h", "choose": {"whole": True}}
MAP = {"name": "m", "role": "bend"}


@pytest.mark.parametrize(
    ("garment", "says"),
    [
        ({"holds": [HOLD]}, r"garments.0.holds.0' is of no kind.*Give exactly one of follows"),
        ({"holds": [{**HOLD, "follows": "a", "elastic": {}}]}, "is of follows and elastic"),
        ({"holds": [{**HOLD, "sticks": "man"}]}, r"holds.0.sticks' is no object"),
        ({"maps": [{**MAP, "steps": [{}]}]}, r"maps.0.steps.0' is of no kind"),
        ({"maps": [{**MAP, "steps": [{"fill": 1, "mirror": 1}]}]}, "is of fill and mirror"),
        ({"maps": [{**MAP, "steps": [{"fill": 1, "new": 2}]}]}, "'.*new' is not a known key"),
        ({"maps": [{**MAP, "steps": [7]}]}, r"maps\.0\.steps\.0"),
        ({"maps": "none"}, r"garments\.0\.maps' cannot be"),
        ({"holds": {"a": 1}}, r"garments\.0\.holds' cannot be"),
        ({"holds": [None]}, r"garments\.0\.holds\.0"),
        ({"recipe": {"kind": "file", "file": "b.obj"}}, "garments.0.recipe' is not a known key"),
        ({"file": None}, r"recipe.*file' cannot be None"),
        ({"hue": "red"}, "hue' is not a known key"),
    ],
)  # fmt: skip
def test_what_is_odd_is_named_by_place(garment, says):
    with pytest.raises(ShotError, match=says):
        parse_shot(old(**garment), "old")


@pytest.mark.parametrize("garments", [None, {}, [None], ["cape"], 7, [[]]])
def test_garments_that_are_none_are_named(garments):
    with pytest.raises(ShotError, match="garments"):
        parse_shot({**SMALL, "garments": garments}, "old")


@pytest.mark.parametrize("version", [3, 0, "2", None, 2.5, [1], {"a": 1}, 10**30])
def test_a_version_that_is_not_known_is_refused_in_words(version):
    with pytest.raises(ShotError, match=r"version .* of the shot file is not known.*versions 1 and 2"):
        parse_shot({**SMALL, "version": version}, "new")
    with pytest.raises(FileError, match="not a shot file"):
        parse_shot({"version": 1}, "new")


@pytest.mark.parametrize(
    ("how", "says"),
    [
        ({}, "garments.0.holds.0.how' does not say its kind"),
        (
            {"kind": "glue", "to": "man"},
            "of the kind 'glue', which is not known.*Give it one of follows, sticks",
        ),
        ({"kind": "handle", "to": "man"}, "to' is not a known key"),
    ],
)
def test_a_hold_of_no_known_kind_is_named(how, says):
    document = upgraded(old(), "old")
    document["garments"][0]["holds"] = [{**HOLD, "how": how}]
    with pytest.raises(ShotError, match=says):
        parse_shot(document, "new")


def test_nothing_else_is_touched():
    before = old(calm=0.5)
    kept = copy.deepcopy(before)
    after = current(before, "old")
    assert before == kept
    assert current(after, "old") is after
    assert {key: value for key, value in after.items() if key not in ("version", "garments")} == {
        key: value for key, value in before.items() if key not in ("version", "garments")
    }
    whole = parse_shot(after, "old").model_dump(mode="json")
    assert [holder[key] for holder, key in references(whole)] == ["cape.obj"]
