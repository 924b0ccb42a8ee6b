import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose

from patient_needle.core.craft.sewing.pattern import Hang, Line, Notch, Pattern, Piece, Run, Seam, curve_through
from patient_needle.core.model.errors import MeshError
from tests.sewing import rectangle


def broken(piece: Piece) -> str:
    with pytest.raises(MeshError) as caught:
        piece.check()
    return caught.value.line()


class TestPiece:
    def test_a_smooth_run_through_points_of_a_circle_is_as_long_as_its_arc(self):
        # A quarter of a circle of radius 0.3 m is 0.3 pi / 2 long.
        turn = np.linspace(0, np.pi / 2, 9)
        line = curve_through(0.3 * np.stack([np.cos(turn), np.sin(turn)], axis=1))
        assert_allclose(np.linalg.norm(np.diff(line, axis=0), axis=1).sum(), 0.15 * np.pi, rtol=1e-3)

    @given(st.floats(0.05, 2.0), st.floats(0.05, 2.0))
    def test_area_and_lengths_of_a_rectangle(self, wide, high):
        piece = rectangle("r", wide, high)
        assert_allclose(piece.area, wide * high, rtol=1e-12)
        assert_allclose([piece.length("low"), piece.length("left")], [wide, high], rtol=1e-12)

    def test_an_outline_that_crosses_itself_is_told_with_its_place(self):
        runs = [Run("a", ((0, 0),)), Run("b", ((1, 1),)), Run("c", ((1, 0),)), Run("d", ((0, 1),))]
        assert "(500, 500) mm" in broken(Piece("bow", tuple(runs)))

    def test_an_outline_without_area(self):
        runs = [Run("a", ((0, 0),)), Run("b", ((1, 0),)), Run("c", ((2, 1e-7),))]
        assert "no area" in broken(Piece("thread", tuple(runs)))

    def test_a_clockwise_outline(self):
        runs = [Run("a", ((0, 0),)), Run("b", ((0, 1),)), Run("c", ((1, 0),))]
        assert "clockwise" in broken(Piece("p", tuple(runs)))

    def test_points_that_lie_on_each_other_or_nowhere(self):
        assert "lie on each other" in broken(Piece("p", (Run("a", ((0, 0), (0, 0), (1, 0), (0, 1))),)))
        assert "not finite" in broken(Piece("p", (Run("a", ((0, 0), (float("nan"), 0), (0, 1))),)))

    def test_an_edge_without_a_point_or_one_that_it_cannot_be_laid_along(self):
        runs = (Run("a", ((0, 0), (1, 0), (0, 1))), Run("b", ()))
        assert "edge 'b' has no point" in broken(Piece("p", runs))
        assert "laid along 'hem'" in broken(rectangle("p", 0.2, 0.3, follows=("hem",)))

    def test_marks_that_are_not_on_the_piece(self):
        piece = rectangle("p", 0.2, 0.3)
        off = Piece("p", piece.runs, notches=(Notch("low", 0.25),))
        assert "250 mm along 'low'" in broken(off)
        out = Piece("p", piece.runs, lines=(Line("dart", ((0.1, 0.1), (0.4, 0.1))),))
        assert "leaves the piece" in broken(out)
        fold = Piece("p", piece.runs, Hang(folds=(0.5,)))
        assert "between 0 and 200 mm" in broken(fold)


class TestSeams:
    def pattern(self, *seams: Seam) -> Pattern:
        return Pattern((rectangle("a", 0.2, 0.3), rectangle("b", 0.2, 0.3)), seams)

    def wrong(self, *seams: Seam) -> str:
        with pytest.raises(MeshError) as caught:
            self.pattern(*seams).check()
        return caught.value.line()

    def test_an_edge_in_two_seams(self):
        one = Seam((("a", "low"),), (("b", "low"),))
        assert "seam 2: the edge 'low' of 'a' is in seam 1 as well" in self.wrong(
            one, Seam((("a", "low"),), (("b", "top"),))
        )

    def test_an_edge_sewn_to_itself(self):
        assert "sewn to itself" in self.wrong(Seam((("a", "low"),), (("a", "low"),)))

    def test_an_edge_that_is_not_there(self):
        assert "no edge 'hem' of a piece 'a'" in self.wrong(Seam((("a", "hem"),), (("b", "low"),)))

    def test_sides_of_unlike_length_are_warned_of_marked_or_refused(self):
        # Common practice, no source: up to 3 % is eased in without a word, more than 3 times is not gathered.
        def fit(length: float, *, gathers: bool = False):
            pieces = rectangle("a", 0.2, 0.3), rectangle("b", length, 0.3)
            return Pattern(pieces, ()).fit(Seam((("a", "low"),), (("b", "low"),), gathers=gathers))

        assert fit(0.2 * 1.029).warning == ""
        assert "207 mm are sewn to 200 mm" in fit(0.207).warning
        assert fit(0.4, gathers=True).warning == ""
        long = Pattern(
            (rectangle("a", 0.2, 0.3), rectangle("b", 0.61, 0.3)), (Seam((("a", "low"),), (("b", "low"),)),)
        )
        with pytest.raises(MeshError, match="at most 3 times"):
            long.check()
