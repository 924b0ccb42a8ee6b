from dataclasses import replace

import numpy as np
import pytest
from numpy.testing import assert_allclose

from patient_needle.core.contact.intersections import crossing_pairs, self_crossing_pairs
from patient_needle.core.craft.sewing.blocks import Plain, drafted
from patient_needle.core.craft.sewing.cutting import sewn
from patient_needle.core.craft.sewing.laying import laid, sleeve_angle
from patient_needle.core.craft.sewing.measures import measured
from patient_needle.core.craft.sewing.pattern import Pattern
from patient_needle.core.model.errors import ShotError, StartError
from tests.sewing import figure

# The demo's figure, one 1.52 m tall and broad, one 1.95 m tall and slim, one with its arms lower.
FIGURES = {"plain": (), "broad": (1.06, 0.861), "slim": (0.98, 1.105, 8.0), "arms lower": (1.0, 1.0, 15.0)}
BLOCKS = {
    "smock": Plain(),
    "trousers": Plain(),
    "skirt": Plain(),
    "gathered skirt": Plain(gather=2.0),
    "cape": Plain(),
}
SPACING = 0.024


def pattern_of(block: str, name: str) -> Pattern:
    body = figure(*FIGURES[name])
    return drafted(block.split()[-1], body, measured(body), BLOCKS[block])


def displaced(pattern: Pattern, seed: int) -> Pattern:
    """Each piece hung up to 40 mm beside and up to 10 degrees askew."""
    random, pieces = np.random.default_rng(seed), []
    for piece in pattern.pieces:
        turn, away = random.uniform(0, 2 * np.pi), 0.04 * np.sqrt(random.uniform())
        at = piece.hang.at[0] + away * np.cos(turn), piece.hang.at[1] + away * np.sin(turn)
        hang = replace(piece.hang, at=at, turn=piece.hang.turn + random.uniform(-10, 10))
        pieces.append(replace(piece, hang=hang))
    return replace(pattern, pieces=tuple(pieces))


@pytest.mark.parametrize("name", FIGURES)
@pytest.mark.parametrize("block", BLOCKS)
def test_every_block_is_laid_clear_on_every_figure(block, name):
    body, pattern = figure(*FIGURES[name]), pattern_of(block, name)
    mesh = sewn(pattern, SPACING)
    lay = laid(pattern, mesh, body)
    assert len(self_crossing_pairs(lay.points, mesh.triangles)) == 0
    thin = body.shape(0.0, lay.arms, lay.legs)
    assert len(crossing_pairs(lay.points, mesh.triangles, thin, body.triangles)) == 0


@pytest.mark.parametrize("block", ["smock", "skirt"])
def test_pieces_hung_askew_are_laid_clear_or_refused(block):
    pattern = pattern_of(block, "plain")
    mesh, clear, refused = sewn(pattern, SPACING), 0, []
    for seed in range(6):
        try:
            lay = laid(displaced(pattern, seed), mesh, figure())
        except StartError as error:
            refused.append(error.what)
            continue
        clear += 1
        assert len(self_crossing_pairs(lay.points, mesh.triangles)) == 0
    assert all("places cross" in what for what in refused)
    assert clear >= (3 if block == "smock" else 6)


def test_sleeves_are_laid_at_the_angle_of_their_armholes():
    pattern = pattern_of("smock", "plain")
    front = pattern.by_name["front"].edges["armhole right"]
    sleeve = pattern.by_name["sleeve left"].edges["cap right"]
    # The chord of the armhole against upright, less that of the cap against square to the sleeve.
    hole, cap = front[-1] - front[0], sleeve[-1] - sleeve[0]
    wanted = np.degrees(np.arctan2(-hole[0], hole[1])) - np.degrees(np.arctan2(cap[1], -cap[0]))
    assert_allclose(sleeve_angle(pattern), -wanted, atol=0.5)


class TestBlocks:
    def test_a_crotch_seam_is_longer_than_the_figure_needs(self):
        body = figure()
        pattern = pattern_of("trousers", "plain")
        seam = sum(pattern.by_name[piece].length("crotch") for piece in ("front left", "back left"))
        assert 0.02 < seam - measured(body).of("crotch loop") < 0.06

    def test_a_cap_is_eased_into_its_armhole(self):
        pattern = pattern_of("smock", "plain")
        fits = [pattern.fit(seam) for seam in pattern.seams if any("cap" in run for _, run in seam.runs)]
        assert len(fits) == 4
        assert all(1.0 < fit.ratio < 1.03 for fit in fits)

    def test_the_neckline_and_the_collar_are_equally_long(self):
        pattern = pattern_of("smock", "slim")
        fits = [pattern.fit(seam).ratio for seam in pattern.seams if ("collar", "seam 1") in seam.runs]
        assert_allclose(fits, 1.0, atol=1e-3)

    def test_too_little_ease_or_length_is_told(self):
        body = figure()
        with pytest.raises(ShotError, match="narrower than the shoulders"):
            drafted("smock", body, measured(body), Plain(ease=-0.5))
        with pytest.raises(ShotError, match="ends within its cap"):
            drafted("smock", body, measured(body), Plain(sleeve=0.1))
        with pytest.raises(ShotError, match=r"too long for any sleeve|cannot be drafted"):
            drafted("smock", body, measured(body), Plain(ease=8.0))
        with pytest.raises(ShotError, match="no block 'sock'"):
            drafted("sock", body, measured(body))

    def test_a_corrected_measure_counts(self):
        body = figure()
        taken = measured(body)
        plain, wide = (drafted("skirt", body, one) for one in (taken, taken.corrected({"waist": 0.9})))
        assert_allclose(wide.by_name["waistband front"].length("seam"), (0.9 + 0.02) / 2, rtol=1e-9)
        assert plain.by_name["waistband front"].length("seam") < 0.36
