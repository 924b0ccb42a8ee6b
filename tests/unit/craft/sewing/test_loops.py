from dataclasses import replace

import pytest

from patient_needle.core.craft.sewing.blocks import Plain, drafted
from patient_needle.core.craft.sewing.loops import tight_loops
from patient_needle.core.craft.sewing.measures import measured
from patient_needle.core.craft.sewing.pattern import Pattern, Piece
from tests.sewing import figure


def block(kind: str) -> Pattern:
    return drafted(kind, figure(), measured(figure()), Plain())


def shrunk(pattern: Pattern, share: float) -> Pattern:
    """Every piece smaller, about its own origin."""

    def smaller(piece: Piece) -> Piece:
        runs = tuple(
            replace(run, points=tuple((share * x, share * y) for x, y in run.points)) for run in piece.runs
        )
        folds = tuple(share * x for x in piece.hang.folds)
        return replace(piece, runs=runs, hang=replace(piece.hang, folds=folds))

    return Pattern(tuple(map(smaller, pattern.pieces)), pattern.seams)


def without_collar(pattern: Pattern) -> Pattern:
    pieces = tuple(piece for piece in pattern.pieces if piece.name != "collar")
    kept = {piece.name for piece in pieces}
    return Pattern(pieces, tuple(s for s in pattern.seams if all(piece in kept for piece, _ in s.runs)))


@pytest.mark.parametrize("kind", ["smock", "trousers", "skirt", "cape"])
def test_blocks_leave_room(kind):
    assert tight_loops(block(kind), measured(figure())) == ()


def test_a_crotch_that_is_too_short_is_told_by_how_much():
    trousers, measures = block("trousers"), measured(figure())
    whole = sum(
        trousers.side_length(seam.one)
        for seam in trousers.seams
        if {"left leg", "right leg"}
        == {trousers.by_name[side[0][0]].hang.part for side in (seam.one, seam.other)}
    )
    (found,) = tight_loops(shrunk(trousers, 0.8), measures)
    assert found.name == "crotch"
    assert found.short == pytest.approx(measures.of("crotch loop") - 0.8 * whole, abs=1e-4)


@pytest.mark.parametrize("collar", [True, False])
def test_a_neck_that_is_too_tight_is_told_with_a_collar_and_without(collar):
    smock, measures = block("smock"), measured(figure())
    smock = smock if collar else without_collar(smock)
    assert tight_loops(smock, measures) == ()
    (found,) = tight_loops(shrunk(smock, 0.7), measures)
    assert (found.name, found.needed) == ("neck", measures.of("neck"))
    neck = [piece.length(run) for piece in smock.pieces for run in piece.edges if run.startswith("neck")]
    assert found.length == pytest.approx(0.7 * sum(neck), rel=1e-3)


def test_a_skirt_has_neither():
    assert tight_loops(shrunk(block("skirt"), 0.5), measured(figure())) == ()
