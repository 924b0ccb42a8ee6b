"""Patterns as drawings: out and in, read by an independent parser, and what is refused."""

from __future__ import annotations

import re
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import pytest
import shapely
from svgpathtools import parse_path

from patient_needle.core.craft.sewing.blocks import Plain, drafted
from patient_needle.core.craft.sewing.measures import measured
from patient_needle.core.craft.sewing.pattern import Line, Notch, Pattern, Piece, Run
from patient_needle.core.model.errors import FileError, MeshError, ShotError
from patient_needle.formats.shot_file.sewing import record_of_piece, records_of_pieces
from patient_needle.formats.svg.reader import read_drawing
from patient_needle.formats.svg.units import mm_per_unit
from patient_needle.formats.svg.writer import drawing_of
from tests.sewing import figure, rectangle

TRUE = 1e-5  # m


def block(kind: str) -> Pattern:
    return drafted(kind, figure(), measured(figure()), Plain())


def written(folder: Path, text: str | bytes) -> Path:
    path = folder / "drawing.svg"
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    return path


def drawing(inner: str, size: str = 'width="600mm" height="600mm" viewBox="0 0 600 600"') -> str:
    return f'<svg xmlns="http://www.w3.org/2000/svg" {size}>{inner}</svg>'


SQUARE = '<path id="front" d="M 100 100 H 400 V 500 H 100 Z"/>'


@pytest.mark.parametrize("kind", ["smock", "trousers", "skirt", "cape"])
def test_a_pattern_comes_back_as_it_was_drawn(kind, tmp_path):
    pattern = block(kind)
    back = read_drawing(written(tmp_path, drawing_of(pattern)))
    assert [piece.name for piece in back.pieces] == [piece.name for piece in pattern.pieces]
    for piece, other in zip(pattern.pieces, back.pieces, strict=True):
        assert [run.name for run in other.runs] == [run.name for run in piece.runs]
        for run, again in zip(piece.runs, other.runs, strict=True):
            np.testing.assert_allclose(again.points, run.points, rtol=0, atol=TRUE)
            np.testing.assert_allclose(other.edges[run.name], piece.edges[run.name], rtol=0, atol=TRUE)
        assert (other.hang.part, other.hang.layer, other.hang.follows) == (
            piece.hang.part, piece.hang.layer, piece.hang.follows,
        )  # fmt: skip
        assert other.grain == pytest.approx(piece.grain)


def test_an_independent_parser_sees_every_edge_where_it_is(tmp_path):
    """svgpathtools reads the outlines: 1 unit is 1 mm, and no place of an edge is further off than 0.01 mm."""
    pattern = block("smock")
    root = ElementTree.fromstring(drawing_of(pattern))
    assert float(root.get("viewBox", "").split()[2]) == float(root.get("width", "").removesuffix("mm"))
    drawn = {path.get("data-name"): path for path in root.iter() if path.get("class") == "outline"}
    for piece in pattern.pieces:
        path = parse_path(drawn[piece.name].get("d"))
        x, y = map(float, drawn[piece.name].get("data-origin").split())
        places = np.array([segment.point(t) for segment in path for t in np.linspace(0, 1, 33)])
        points = np.column_stack([places.real - x, y - places.imag]) * 1e-3
        outline = shapely.LinearRing(np.concatenate([edge[:-1] for edge in piece.edges.values()]))
        assert shapely.distance(shapely.points(points), outline).max() < TRUE
        assert abs(path.area()) * 1e-6 == pytest.approx(piece.area, rel=1e-5)


def test_a_drawing_of_somebody_else_is_cut_at_its_corners(tmp_path):
    """A quarter disc of 200 mm: two straight edges and one bent, which stays on the circle."""
    quarter = '<path d="M 100 300 L 300 300 A 200 200 0 0 0 100 100 Z"/>'
    (piece,) = read_drawing(written(tmp_path, drawing(quarter))).pieces
    assert [run.smooth for run in piece.runs].count(True) == 1
    assert len(piece.runs) == 3
    assert piece.area == pytest.approx(np.pi * 0.2**2 / 4, rel=1e-4)
    bent = next(run for run in piece.runs if run.smooth)
    corner = np.array([-0.1, 0.0])  # the middle of its box is x = 0, its foot y = 0
    radius = np.linalg.norm(piece.edges[bent.name] - corner, axis=1)
    np.testing.assert_allclose(radius, 0.2, rtol=0, atol=1e-4)  # cubics are off a circle by 0.03 %
    assert len(bent.points) < 40


def test_groups_move_and_turn_what_is_in_them(tmp_path):
    turned = f'<g transform="translate(50 20)"><g transform="rotate(90) scale(0.5)">{SQUARE}</g></g>'
    (piece,) = read_drawing(written(tmp_path, drawing(turned))).pieces
    low, foot, high, top = piece.outline.bounds
    assert (high - low, top - foot) == pytest.approx((0.2, 0.15))


@pytest.mark.parametrize(
    ("size", "mm"),
    [
        ('width="600mm" height="600mm" viewBox="0 0 600 600"', 1.0),
        ('width="60cm" height="60cm" viewBox="0 0 1200 1200"', 0.5),
        ('width="10in" height="10in"', 25.4 / 96),  # no viewBox: user units are pixels of 96 to the inch
        ('width="600" height="600" viewBox="0 0 600 600"', None),
        ('width="100%" height="100%"', None),
        ("", None),
    ],
)
def test_a_unit_is_read_or_asked(size, mm, tmp_path):
    path = written(tmp_path, drawing(SQUARE, size))
    found = read_drawing(path)
    assert found.asks_unit == (mm is None)
    if mm is None:
        assert found.pieces == ()
        assert found.size == pytest.approx((300, 400))
        assert read_drawing(path, "cm").pieces[0].area == pytest.approx(3.0 * 4.0)
    else:
        assert found.pieces[0].area == pytest.approx(0.3 * 0.4 * mm**2)


def test_a_drawing_that_is_scaled_unevenly_is_refused():
    with pytest.raises(FileError, match="differently across and up"):
        mm_per_unit({"width": "100mm", "height": "50mm", "viewBox": "0 0 100 100"}, "it")


def test_marks_and_what_lies_on_a_piece_come_back(tmp_path):
    whole = rectangle("front", 0.3, 0.4)
    piece = Piece(
        "front", whole.runs, grain=30.0, lines=(Line("dart", ((0.05, 0.05), (0.1, 0.2))),),
        notches=(Notch("right", 0.1),),
    )  # fmt: skip
    (back,) = read_drawing(written(tmp_path, drawing_of(Pattern((piece,), ())))).pieces
    assert back.grain == 30.0
    assert [line.name for line in back.lines] == ["dart"]
    np.testing.assert_allclose(back.lines[0].points, piece.lines[0].points, atol=TRUE)
    assert [(notch.run, pytest.approx(notch.along)) for notch in back.notches] == [("right", 0.1)]


def test_an_outline_that_was_changed_elsewhere_is_read_as_it_is_now(tmp_path):
    text = drawing_of(Pattern((rectangle("front", 0.3, 0.4),), ())).decode()
    outline = re.search(r'class="outline" d="([^"]*)"', text)
    assert outline is not None
    more = re.sub(r"( L [^ ]+ Z)$", r" L 50,250\1", outline[1])
    (back,) = read_drawing(written(tmp_path, text.replace(outline[1], more))).pieces
    assert sum(len(run.points) for run in back.runs) == 5


def test_small_shapes_are_left_out_and_said_and_shapes_within_are_lines(tmp_path):
    inner = '<circle cx="250" cy="300" r="40"/><circle cx="250" cy="300" r="3"/>'
    stray = '<path d="M 10 10 L 30 30"/>'
    found = read_drawing(written(tmp_path, drawing(SQUARE + inner + stray)))
    assert len(found.pieces) == 1
    assert len(found.pieces[0].lines) == 1
    assert any("smaller than 1 cm2" in note for note in found.notes)
    assert any("on no piece" in note for note in found.notes)


def test_a_class_of_somebody_else_makes_no_mark(tmp_path):
    piece = SQUARE.replace("<path", '<path class="line"')
    assert len(read_drawing(written(tmp_path, drawing(piece))).pieces) == 1


@pytest.mark.parametrize(
    ("given", "name"),
    [("a/b\\c", "a b c"), ("&#9; sleeve &#10; left", "sleeve left"), ("前身頃", "前身頃"), ("//", "shape 1")],
)
def test_names_become_such_as_a_shot_keeps(given, name, tmp_path):
    (piece,) = read_drawing(written(tmp_path, drawing(SQUARE.replace('"front"', f'"{given}"')))).pieces
    assert piece.name == name
    assert record_of_piece(piece).name == name


def test_an_outline_of_more_edges_than_a_shot_keeps_is_refused_in_words(tmp_path):
    turn = np.linspace(0, 2 * np.pi, 600, endpoint=False)
    radius = np.where(np.arange(600) % 2, 200.0, 180.0)
    teeth = " L ".join(
        f"{300 + r * np.cos(t):.2f},{300 + r * np.sin(t):.2f}" for r, t in zip(radius, turn, strict=True)
    )
    found = read_drawing(written(tmp_path, drawing(f'<path id="cog" d="M {teeth} Z"/>')))
    with pytest.raises(ShotError, match=r"it.svg, piece 'cog': 'runs' cannot be"):
        records_of_pieces(found.pieces, "it.svg")


def test_a_circle_stays_one(tmp_path):
    (piece,) = read_drawing(written(tmp_path, drawing('<circle cx="300" cy="300" r="200"/>'))).pieces
    (edge,) = piece.edges.values()
    np.testing.assert_allclose(np.linalg.norm(edge - [0, 0.2], axis=1), 0.2, rtol=0, atol=2 * TRUE)


def test_pieces_of_one_name_get_names_of_their_own(tmp_path):
    two = SQUARE + '<g transform="translate(0 900)">' + SQUARE + "</g>"
    assert [piece.name for piece in read_drawing(written(tmp_path, drawing(two))).pieces] == [
        "front",
        "front 2",
    ]


ENTITY = '<!DOCTYPE svg [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]>'
HARMFUL = {
    "defines entities": ENTITY + drawing(f"<text>&b;</text>{SQUARE}"),
    "outside the file": drawing('<image href="file:///etc/passwd"/>' + SQUARE),
    "copies of a shape": drawing(SQUARE.replace("<path", '<path id="a"', 1) + '<use href="#a"/>').replace(
        'id="a" id="front"', 'id="a"'
    ),
    "nested deeper": drawing("<g>" * 60 + SQUARE + "</g>" * 60),
    "more than 100,000 points": drawing('<path d="M 0 0 ' + "L 1 1 " * 100_001 + '"/>'),
    "not XML": "<svg",
    "no SVG drawing": "<html/>",
    "no closed shape": drawing('<path d="M 0 0 L 100 100"/>'),
}


@pytest.mark.parametrize("why", HARMFUL)
def test_what_could_do_harm_or_is_no_pattern_is_refused(why, tmp_path):
    with pytest.raises(FileError, match=why):
        read_drawing(written(tmp_path, HARMFUL[why]))


def test_a_drawing_that_is_too_large_is_refused_before_it_is_read(tmp_path):
    with pytest.raises(FileError, match="larger than 10 MB"):
        read_drawing(written(tmp_path, b"<svg>" + b" " * 10_000_001))


def test_an_outline_that_crosses_itself_is_named(tmp_path):
    bow = '<path id="bow" d="M 0 0 L 100 100 L 100 0 L 0 110 Z"/>'
    with pytest.raises(MeshError, match=r"bow.*crosses itself"):
        read_drawing(written(tmp_path, drawing(bow)))


@pytest.mark.parametrize("kind", ["smock", "trousers", "skirt", "cape"])
def test_records_have_no_negative_zero(kind):
    """A page reads -0.0 and gives 0 back: the garment would count as cut anew."""
    pattern = block(kind)
    said = [record_of_piece(piece).model_dump_json() for piece in pattern.pieces]
    assert not any(re.search(r"-0\.0\b(?!\d)", one) for one in said)


def test_a_straight_run_of_one_point_stays_one(tmp_path):
    piece = Piece(
        "it",
        (Run("a", ((0.0, 0.0),)), Run("b", ((0.3, 0.0), (0.35, 0.2)), smooth=True), Run("c", ((0.3, 0.4),))),
    )
    (back,) = read_drawing(written(tmp_path, drawing_of(Pattern((piece,), ())))).pieces
    assert [len(run.points) for run in back.runs] == [1, 2, 1]
    assert [run.smooth for run in back.runs] == [False, True, False]
