"""Maps between the shot file, the engine's cloth and the words for what changed."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from patient_needle.core.craft.holds.dressing import dress
from patient_needle.core.model.errors import NeedleError, ShotError
from patient_needle.core.model.holds import WELD
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.differences import differences
from patient_needle.formats.shot_file.document import parse_shot

FLAG = Path(__file__).parents[4] / "demo" / "flag"
HEAVY = {
    "name": "hem",
    "role": "weight",
    "steps": [{"kind": "along", "start": [0.1, 0, 0], "end": [0.5, 0, 0]}],
}


def flag(**garment):
    document = json.loads((FLAG / "shot.json").read_text())
    document["garments"][0] |= garment
    return document


def dressed(document):
    plan = assemble(parse_shot(document, "flag"), FLAG)
    return dress(plan, plan.garments[0])


class TestOfTheFabric:
    def test_weight_is_four_times_at_the_end_of_the_gradient(self):
        plain, heavy = dressed(flag()).cloth, dressed(flag(maps=[HEAVY])).cloth
        x = plain.placed[:, 0]
        share = np.clip((x - 0.1) / 0.4, 0, 1)
        assert heavy.mass / plain.mass == pytest.approx(4.0**share)

    @pytest.mark.parametrize("role", ["stretch", "shear", "bend", "memory", "friction", "damping"])
    def test_each_role_reaches_the_engine(self, role):
        of = {
            "stretch": lambda c: c.stretched, "shear": lambda c: c.sheared, "bend": lambda c: c.bend,
            "memory": lambda c: c.bend, "friction": lambda c: c.friction,
            "damping": lambda c: c.bend_retardation,
        }[role]  # fmt: skip
        document = flag(
            maps=[{"name": "m", "role": role, "span": [1, 9], "steps": [{"kind": "fill", "value": 0.5}]}]
        )
        if role == "memory":
            document["fabrics"][0] |= {"memory": 1e-3, "bend_warp": 1e-12, "bend_weft": 1e-12}
        plain = {**document, "garments": [{**document["garments"][0], "maps": []}]}
        # Half way between 1 and 9 in even ratios is 3; friction is kept as a root.
        times = np.sqrt(3.0) if role == "friction" else 3.0
        assert of(dressed(document).cloth) == pytest.approx(times * of(dressed(plain).cloth), rel=1e-6)

    def test_what_is_put_away_does_nothing(self):
        away = {**HEAVY, "in_use": False}
        assert np.array_equal(dressed(flag(maps=[away])).cloth.mass, dressed(flag()).cloth.mass)


class TestOfTheGrip:
    def test_a_map_of_the_grip_is_that_of_the_hold(self):
        steps = [{"kind": "along", "start": [0, 1.576, 0], "end": [0, 1.536, 0], "values": [1, 0]}]
        whole = {"name": "all", "choose": {"whole": True}, "how": {"kind": "follows", "to": "yard"}}
        made = dressed(flag(holds=[whole], maps=[{"name": "grip", "role": "hold", "steps": steps}]))
        (held,) = made.holds
        down = 1.576 - made.cloth.placed[held.vertices, 1]
        assert held.grips == pytest.approx(1 - down / 0.04)
        assert 0.02 < down.max() < 0.04
        assert np.array_equal(made.cloth.held[held.vertices], held.grips >= WELD)

    def test_it_wants_a_hold_that_follows(self):
        with pytest.raises(NeedleError, match="nothing follows"):
            dressed(flag(holds=[], maps=[{"name": "grip", "role": "hold", "steps": []}]))
        with pytest.raises(NeedleError, match="is 0 everywhere"):
            dressed(flag(maps=[{"name": "grip", "role": "hold", "steps": []}]))


class TestBadInput:
    @pytest.mark.parametrize(
        ("maps", "says"),
        [
            ([HEAVY, HEAVY], "two maps are called 'hem'"),
            ([HEAVY, {**HEAVY, "name": "b"}], "both in use for weight"),
            ([{**HEAVY, "span": [-1, 2]}], "not below 0"),
            ([{**HEAVY, "steps": [{"kind": "values", "values": [0.5, 0.5]}]}], "2 values, the garment has 677"),
            ([{**HEAVY, "steps": [{"kind": "with_map", "map": "ghost"}]}], "no map 'ghost'"),
        ],
    )
    def test_is_said(self, maps, says):
        with pytest.raises(ShotError, match=says) as raised:
            dressed(flag(maps=maps))
        assert "signal flag" in str(raised.value)

    def test_pressure_is_from_0_to_1(self):
        hit = [0, 0, 0, 0, 0, 1, 1.5]
        with pytest.raises(NeedleError, match="hits"):
            dressed(flag(maps=[{**HEAVY, "steps": [{"kind": "stroke", "hits": [hit]}]}]))


def test_only_what_a_run_goes_by_counts_as_a_change():
    def said(before, after):
        return differences(flag(maps=before), flag(maps=after), {}, {})

    away = {**HEAVY, "in_use": False}
    more = {**HEAVY, "steps": [*HEAVY["steps"], {"kind": "mirror", "side": 1}]}
    assert said([HEAVY], [more]) == ["signal flag, map hem: drawn otherwise, 1 steps, now 2"]
    assert said([], [HEAVY]) == ["signal flag, map hem was put to use"]
    assert said([HEAVY], [away]) == ["signal flag, map hem was put away"]
    assert said([away], [{**more, "in_use": False}]) == []
    made_from = {"name": "b", "role": "bend", "steps": [{"kind": "with_map", "map": "hem"}]}
    assert said([away, made_from], [{**more, "in_use": False}, made_from]) == [
        "signal flag, map hem: drawn otherwise, 1 steps, now 2"
    ]
