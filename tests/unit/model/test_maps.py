"""What 0 and 1 of a map mean when it does not say: a change here changes every shot that left it out."""

from __future__ import annotations

import numpy as np
import pytest

from patient_needle.core.model.maps import MAP_ROLES, SPANS, ChalkMap

MEANT = {
    "hold": (0.0, 1.0), "bend": (1.0, 30.0), "stretch": (1.0, 10.0), "shear": (1.0, 10.0), "weight": (1.0, 4.0),
    "memory": (1.0, 10.0), "friction": (1.0, 3.0), "clearance": (1.0, 3.0), "thickness": (1.0, 3.0),
    "damping": (1.0, 5.0), "spacing": (1.0, 0.5),
}  # fmt: skip


def test_spans_are_those_that_kept_shots_were_made_with():
    assert SPANS == MEANT
    assert {one.role: one.span for one in MAP_ROLES} == MEANT


@pytest.mark.parametrize("role", MEANT)
def test_a_map_without_a_span_means_its_roles(role):
    """Half way is the even ratio of two ends above 0, and the mean where one end is 0."""
    low, high = MEANT[role]
    middle = np.sqrt(low * high) if low > 0 else (low + high) / 2
    assert ChalkMap("a map", role, ()).means(np.array([0.0, 0.5, 1.0])) == pytest.approx([low, middle, high])
    own = ChalkMap("a map", role, (), (2.0, 8.0))
    assert own.means(np.array([0.0, 0.5, 1.0])) == pytest.approx([2.0, 4.0, 8.0])
