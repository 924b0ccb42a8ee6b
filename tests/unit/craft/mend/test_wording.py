"""Places in words."""

import pytest

from patient_needle.core.craft.mend.wording import place_words


@pytest.mark.parametrize(
    ("parts", "said"),
    [
        (["lamplighter: uparmL", "lamplighter: forearmL"], "left elbow"),
        (["she: LeftUpLeg", "she: LeftLeg"], "left thigh"),
        (["she: upper_arm.R", "she: chest"], "right armpit"),
        (["she: thighL", "she: thighR"], "crotch"),
        (["lamplighter: spine2"], "waist"),
        (["quay floor: whole"], "quay floor"),
        (["彼女: 左腕"], "左腕"),
        (["creature: tentacle_07"], "tentacle_07"),
        ([], ""),
    ],
)
def test_a_place_is_said_as_an_artist_says_it(parts, said):
    assert place_words(parts) == said
