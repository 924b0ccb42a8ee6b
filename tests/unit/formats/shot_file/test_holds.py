"""Holds between the shot file and the core."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from patient_needle.core.craft.holds.acting import Moment
from patient_needle.core.craft.holds.dressing import dress
from patient_needle.core.model.errors import ShotError
from patient_needle.core.model.holds import Choice, Elastic, Follow, Handle, Stick, Stitch, Tether
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.differences import differences
from patient_needle.formats.shot_file.document import GarmentRecord, parse_shot
from patient_needle.formats.shot_file.holds import hold_of, kept_of
from tests.houses import DEMO

ROW = {"vertices": [1, 2, 3]}


def garment(*holds: dict, **changes) -> GarmentRecord:
    return GarmentRecord.model_validate(
        {
            "name": "cape",
            "recipe": {"kind": "file", "file": "cape.obj"},
            "fabric": "wool",
            "holds": list(holds),
            **changes,
        }
    )


def made(record: GarmentRecord, **keeps):
    return [hold_of(hold, record, keeps) for hold in record.holds]


def test_each_kind_in_si():
    holds = made(
        garment(
            {"name": "a", "choose": ROW, "how": {"kind": "follows", "to": "body"}},
            {
                "name": "b",
                "choose": ROW,
                "how": {"kind": "sticks", "to": "body", "reach_mm": 25, "slides": 0.4},
                "grip": 0.5,
            },
            {
                "name": "c",
                "choose": ROW,
                "how": {"kind": "stitched", "to": "coat", "gap_mm": 2, "reach_mm": 30},
            },
            {
                "name": "d",
                "choose": ROW,
                "how": {"kind": "handle", "place": [0, {"frames": [1, 9], "values": [0, 1]}, 0]},
            },
            {"name": "e", "choose": ROW, "how": {"kind": "tether", "length_mm": 40}},
            {
                "name": "f",
                "choose": ROW,
                "how": {"kind": "elastic", "factor": 0.7},
                "on": {"frames": [5, 6], "values": [1, 0]},
            },
            {"name": "g", "choose": ROW, "how": {"kind": "follows", "to": "cape"}},
        )
    )
    assert holds[0].how == Follow("body")
    assert holds[1].how == Stick("body", 0.025, 0.4)
    assert holds[1].grip.values.tolist() == [0.5]
    assert holds[2].how == Stitch("coat", None, 0.002, 0.03)
    assert isinstance(holds[3].how, Handle)
    assert holds[3].how.place[1].values.tolist() == [0, 1]
    assert holds[4].how == Tether(None, 0.04)
    assert isinstance(holds[5].how, Elastic)
    assert holds[5].on is not None
    assert holds[0].on is None
    assert holds[6].how == Follow(None)


@pytest.mark.parametrize(
    ("hold", "says"),
    [
        ({"name": "a", "choose": {}, "how": {"kind": "follows", "to": "x"}}, "chooses by nothing"),
        (
            {"name": "a", "choose": {"named": "band"}, "how": {"kind": "follows", "to": "x"}},
            "keeps no choice 'band'",
        ),
        (
            {"name": "a", "choose": {**ROW, "grips": [1, 1]}, "how": {"kind": "follows", "to": "x"}},
            "2 grips for 3 vertices",
        ),
    ],
)
def test_what_says_too_little_or_too_much_is_refused(hold, says):
    with pytest.raises(ShotError, match=says):
        made(garment(hold))


def test_a_kept_choice_is_grown_by_what_names_it():
    record = garment(
        {
            "name": "a",
            "choose": {"named": "band", "rings": 2, "fade": 1},
            "how": {"kind": "follows", "to": "x"},
        },
        choices=[{"name": "band", "choose": {"border": "highest", "rings": 1}}],
    )
    (hold,) = made(record)
    assert (hold.choice.border, hold.choice.rings, hold.choice.fade) == ("highest", 3, 1)
    assert set(kept_of(record)) == {"band"}


def flag(**changes) -> dict:
    shot = json.loads((DEMO / "flag" / "shot.json").read_text())
    shot["garments"][0]["holds"][0] |= changes
    return shot


def test_a_change_of_a_hold_is_said_in_words():
    said = differences(flag(), flag(grip=0.5), {}, {})
    assert said == ["signal flag, hold head rope: grip 1, now 0.5"]


def test_a_garment_follows_the_motion_of_its_own_file(tmp_path: Path):
    """The yard as a garment: where the yard itself goes, its points go."""
    shot = flag()
    for path in (DEMO / "flag").iterdir():
        (tmp_path / path.name).write_bytes(path.read_bytes())
    yard = {
        "name": "sleeve", "fabric": "bunting",
        "recipe": {"kind": "file", "file": "yard.glb", "starts_at": 1001},
        "holds": [{"name": "as filed", "choose": ROW, "how": {"kind": "follows", "to": "sleeve"}}],
    }  # fmt: skip
    shot["garments"] = [yard]
    plan = assemble(parse_shot(shot, "here"), tmp_path)
    dressed = dress(plan, plan.garments[0])
    there = dressed.grasp(dressed.taken(995), Moment(1012, 1012, 1012, 995, 24.0)).held_to
    assert there == pytest.approx(plan.member("yard").motion.at(1012)[1:4], abs=1e-12)
    assert np.abs(there - plan.garments[0].mesh.vertices[1:4]).max() > 0.05
    shot["garments"] = flag(how={"kind": "follows", "to": "signal flag"})["garments"]
    still = assemble(parse_shot(shot, "here"), tmp_path)
    with pytest.raises(ShotError, match="its own file has no motion"):
        dress(still, still.garments[0])


def test_a_stitch_ends_where_the_other_garment_says():
    coat = garment(choices=[{"name": "collar", "choose": {"border": "highest", "row": 1}}], name="coat")
    there = {"to": "coat", "choose": {"named": "collar", "rings": 2}}
    (hold,) = made(
        garment({"name": "c", "choose": ROW, "how": {"kind": "stitched", **there}}), coat=kept_of(coat)
    )
    assert isinstance(hold.how, Stitch)
    assert hold.how.to == Choice(border="highest", row=1, rings=2)
    with pytest.raises(ShotError, match="keeps no choice 'collar'"):
        made(garment({"name": "c", "choose": ROW, "how": {"kind": "stitched", **there}}))
