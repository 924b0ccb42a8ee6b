from dataclasses import replace

import numpy as np
import pytest
from numpy.testing import assert_allclose

from patient_needle.core.craft.garments.carrying import Carrying
from patient_needle.core.craft.sewing.cutting import sewn
from patient_needle.core.craft.sewing.pattern import Line, Notch, Pattern, Piece, Run, Seam
from patient_needle.core.craft.sewing.source import FromPieces, source_of_pieces
from patient_needle.core.model.errors import MeshError
from patient_needle.formats.shot_file.sewing import pattern_mark, piece_of, record_of_piece
from tests.sewing import figure, rectangle


def source(spacing: float, wide: float, names: tuple[str, str] = ("front", "back")) -> FromPieces:
    """Two pieces sewn along both sides, laid wherever."""
    one, other = (rectangle(name, wide, 0.5) for name in names)
    seams = tuple(
        Seam(((names[0], edge),), ((names[1], far),)) for edge, far in (("right", "left"), ("left", "right"))
    )
    pattern = Pattern((one, other), seams)
    mesh = sewn(pattern, spacing)
    places = np.random.default_rng(1).uniform(-1, 1, (mesh.count, 3))  # where it hangs must not matter
    return source_of_pieces("it", pattern, mesh, places, figure(), "it", "", lay=None)


def on(made: FromPieces, piece: str) -> np.ndarray:
    """Which vertices (n,) belong to a piece alone."""
    names = [one.name for one in made.pattern.pieces]
    touched = [np.unique(made.mesh.triangles[made.mesh.cut.piece == k]) for k in range(2)]
    own = np.zeros(made.mesh.count, bool)
    own[touched[names.index(piece)]] = True
    own[touched[1 - names.index(piece)]] = False
    return own


def test_what_is_drawn_on_a_piece_stays_on_it_when_it_is_wider_and_finer():
    old, new = source(0.04, 0.4), source(0.025, 0.46)
    over = Carrying.between(old, new)
    drawn = on(old, "front").astype(float)
    carried = over.values(drawn)
    assert over.there.all()
    # Beside a seam a value runs out over an old triangle, whose sides are 40 to 60 mm, to the shared edge.
    middle = np.abs(new.unrolled(new)[:, 0] - 0.25) < 0.25 - 0.5 * 0.06 / 0.4
    assert_allclose(carried[on(new, "front") & middle], 1.0, atol=1e-12)
    assert_allclose(carried[on(new, "back") & middle], 0.0, atol=1e-12)
    assert (on(new, "front") & middle).sum() > 100


def test_what_is_drawn_on_a_piece_that_is_gone_is_told():
    over = Carrying.between(source(0.04, 0.4), source(0.04, 0.4, ("front", "yoke")))
    lost = ~over.kept
    assert lost[on(source(0.04, 0.4), "back")].all()
    assert not lost[on(source(0.04, 0.4), "front")].any()


def test_marks_on_a_piece_are_given_back_and_change_nothing_that_is_cut():
    plain = rectangle("p", 0.3, 0.4)
    marked = replace(plain, lines=(Line("pocket", ((0.1, 0.1), (0.2, 0.1))),), notches=(Notch("low", 0.15),))
    again = piece_of(record_of_piece(marked))
    assert (again.lines, again.notches) == (marked.lines, marked.notches)
    one, other = (pattern_mark(Pattern((piece,), ()), 16.0) for piece in (plain, marked))
    assert one == other
    assert pattern_mark(Pattern((rectangle("p", 0.31, 0.4),), ()), 16.0) != one


def test_a_pattern_of_too_many_points_and_a_long_border_are_refused():
    turn = np.linspace(0, 2 * np.pi, 100_002)[:-1]
    ring = tuple(zip(np.cos(turn) * 10, np.sin(turn) * 10, strict=True))
    with pytest.raises(MeshError, match="100,001 points, more than 100,000"):
        Pattern((Piece("p", (Run("a", ring),)),), ()).check()
    with pytest.raises(MeshError, match="more than 100,000"):
        sewn(Pattern((rectangle("thread", 90.0, 0.002),), ()), 0.0005)
