"""The demo is right: nothing about it is told to look wrong."""

from __future__ import annotations

import pytest

from patient_needle.desk.judging import garment_offers, judged_member, wearer_of
from patient_needle.desk.open_shot import read_open_shot
from patient_needle.formats.shot_file.document import read_shot_file
from tests.houses import DEMO


@pytest.mark.parametrize("name", ["shot", "from_file", "layers", "fastened", "smock"])
def test_nothing_is_offered_for_the_demo(name):
    path = DEMO / "lamplighter" / f"{name}.json"
    opened = read_open_shot(read_shot_file(path), path.parent)
    assert opened.faults == {}
    wearer = wearer_of(opened)
    for garment in opened.garments:
        assert garment_offers(opened, garment, wearer) == (), garment
    for member in opened.sources:
        assert judged_member(opened, member, 5.0).offers == (), member
