"""Blocks: patterns drafted by formula from a figure's measures, to start from.

The formulas are common practice of flat pattern cutting (no source): a body is a quarter of its girth and ease
a piece, a fork a sixteenth and an eighth of the hip, a sleeve's cap as long as its armhole and a little ease.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq

from ...model.errors import MeshError, ShotError
from .figure import Figure
from .measures import Measures
from .pattern import Hang, Layer, Pattern, Piece, Place, Run, RunKey, Seam, length_of

KINDS = ("smock", "trousers", "skirt", "cape")
TRUNK = 0.6647  # m from crotch to neck of the figure that plain lengths below are for
CAP_EASE = 1.01  # a sleeve's cap over its armhole
COLLAR_EASE = 1.01  # of a collar over the neckline that it is sewn to


@dataclass(frozen=True)
class Plain:
    """The few things that are chosen of a block, None for the block's own.

    ease    m of girth beyond the figure's
    length  m from its upper edge to its hem
    flare   its hem over its width above
    sleeve  m, the arm's without one
    gather  its cloth over the band it is sewn to
    """

    ease: float | None = None
    length: float | None = None
    flare: float | None = None
    sleeve: float | None = None
    gather: float = 1.0


def drafted(kind: str, figure: Figure, measures: Measures, plain: Plain = Plain()) -> Pattern:
    """A block by name. `ShotError` for a name or a figure that none is cut for."""
    blocks: dict[str, Callable[[Figure, Measures, Plain], Pattern]] = {
        "smock": smock, "trousers": trousers, "skirt": skirt, "cape": cape,
    }  # fmt: skip
    if kind not in blocks:
        raise ShotError(f"there is no block '{kind}'", remedy=f"Choose one of {', '.join(KINDS)}")
    try:
        pattern = blocks[kind](figure, measures, plain)
        pattern.check()
    except MeshError as error:
        raise ShotError(
            f"the {kind} cannot be drafted like this: {error.line()}",
            remedy="Give it more ease or length",
        ) from None
    return pattern


def _curve(*ends: Place, count: int = 7) -> list[Place]:
    """Points of a cubic between the first and the last of four, which the two others draw towards them."""
    t = np.linspace(0, 1, count)[:, None]
    a, b, c, d = (np.array(one) for one in ends)
    line = (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t**2 * c + t**3 * d
    return [(float(x), float(y)) for x, y in line]


def _mirrored(line: list[Place]) -> list[Place]:
    """The line on the other side of x = 0, walked the other way."""
    return [(-x, y) for x, y in line[::-1]]


def _run(name: str, line: list[Place], *, smooth: bool = False) -> Run:
    """A run along a line; the next one begins at its last point."""
    return Run(name, tuple(line[:-1]), smooth)


def smock(figure: Figure, measures: Measures, plain: Plain) -> Pattern:
    """A loose shirt: front, back, two set-in sleeves and a standing collar, open at the nape."""
    scale = (figure.neck[1] - measures.heights["crotch"]) / TRUNK
    ease = 0.20 if plain.ease is None else plain.ease
    chest = max(measures.of("chest"), measures.of("waist"))
    around = max(chest + ease, measures.of("hip") + 0.7 * ease)
    half = around / 4
    shoulder = float(figure.limbs["left arm"].root[0])
    top = float(figure.neck[1]) + 0.023 * scale
    neck = 0.2 * measures.of("neck")
    tip: Place = (1.16 * shoulder, top - 0.052 * scale)
    under: Place = (half, float(figure.limbs["left arm"].root[1]) - 0.193 * scale - 0.1 * max(0.0, ease - 0.2))
    length = top - 0.82 * figure.pelvis[1] / 0.93 if plain.length is None else plain.length
    hem = top - length
    wide = half * (1.14 if plain.flare is None else plain.flare)
    if tip[0] >= half - 0.01:
        raise ShotError(
            f"with {ease * 1e3:.0f} mm of ease the body is narrower than the shoulders",
            where="smock", remedy=f"Give at least {(4 * (tip[0] + 0.02) - chest) * 1e3:.0f} mm of ease",
        )  # fmt: skip
    arm = _curve(under, (half - 0.055, under[1] + 0.015), (tip[0] - 0.018, under[1] + 0.09), tip)

    def body(name: str, deep: float, layer: Layer) -> Piece:
        left = _curve(
            (-neck, top), (-0.95 * neck, top - 0.75 * deep), (-0.55 * neck, top - deep), (0, top - deep)
        )
        right = _mirrored(left)
        runs = [
            _run("hem", [(-wide, hem), (wide, hem)]), _run("side right", [(wide, hem), under]),
            _run("armhole right", arm, smooth=True), _run("shoulder right", [tip, (neck, top)]),
            _run("neck right", right[::-1], smooth=True), _run("neck left", left[::-1], smooth=True),
            _run("shoulder left", [(-neck, top), (-tip[0], tip[1])]),
            _run("armhole left", _mirrored(arm), smooth=True),
            _run("side left", [(-half, under[1]), (-wide, hem)]),
        ]  # fmt: skip
        return Piece(name, tuple(runs), Hang("torso", layer))

    front, back = body("front", 0.105 * scale, "front"), body("back", 0.030 * scale, "back")
    # Seen from outside, the right edge of the front is the wearer's left, that of the back the wearer's right.
    seams = [
        Seam((("front", f"{edge} right"),), (("back", f"{edge} left"),)) for edge in ("shoulder", "side")
    ] + [Seam((("front", f"{edge} left"),), (("back", f"{edge} right"),)) for edge in ("shoulder", "side")]
    pieces = [front, back]
    for side, own, other in (("left", "right", "left"), ("right", "left", "right")):
        sleeve = _sleeve(side, figure, measures, plain, front.length("armhole right"), tip)
        pieces.append(sleeve)
        before, behind = ("cap right", "cap left") if side == "right" else ("cap left", "cap right")
        seams += [
            Seam(((sleeve.name, "under right"),), ((sleeve.name, "under left"),)),
            Seam(((sleeve.name, before),), (("front", f"armhole {own}"),)),
            Seam(((sleeve.name, behind),), (("back", f"armhole {other}"),)),
        ]
    collar, collar_seams = _collar(front, back, 0.035 * scale)
    return Pattern((*pieces, collar), (*seams, *collar_seams))


def _sleeve(side: str, figure: Figure, measures: Measures, plain: Plain, hole: float, tip: Place) -> Piece:
    """A sleeve, folded along its top; its cap fits an armhole of `hole` m in front and behind."""
    ease = 0.11 if plain.ease is None else max(0.03, 0.55 * plain.ease)
    wide, cuff = (measures.of("upper arm") + ease) / 2, (measures.of("wrist") + 0.8 * ease) / 2
    length = measures.of("arm length") - 0.01 if plain.sleeve is None else plain.sleeve
    cuff = max(cuff, cuff + (wide - cuff) * (1 - length / measures.of("arm length")))

    def cap(high: float) -> list[Place]:
        return _curve((wide, 0.0), (0.55 * wide, 0.0), (0.50 * wide, high), (0.0, high))

    def over(high: float) -> float:
        return (
            Piece("", (_run("cap", cap(high), smooth=True), Run("back", ((0.0, high), (0.0, 0.0))))).length(
                "cap"
            )
            - hole * CAP_EASE
        )

    if over(0.01) > 0:
        raise ShotError(
            f"the sleeve is {over(0.01) * 1e3:.0f} mm too wide for its armhole", where="smock",
            remedy="Give less ease",
        )  # fmt: skip
    if over(0.5) < 0:
        raise ShotError(
            f"an armhole of {hole * 1e3:.0f} mm is too long for any sleeve",
            where="smock",
            remedy="Give less ease",
        )
    high = float(brentq(over, 0.01, 0.5))
    right = cap(high)
    bottom = high - length
    if bottom > -0.03:
        raise ShotError(
            f"a sleeve of {length * 1e3:.0f} mm ends within its cap", where="smock",
            remedy=f"Give at least {(high + 0.04) * 1e3:.0f} mm",
        )  # fmt: skip
    runs = [
        _run("cuff", [(-cuff, bottom), (cuff, bottom)]), _run("under right", [(cuff, bottom), (wide, 0.0)]),
        _run("cap right", right, smooth=True), _run("cap left", _mirrored(right), smooth=True),
        _run("under left", [(-wide, 0.0), (-cuff, bottom)]),
    ]  # fmt: skip
    shoulder = figure.limbs["left arm"].root[:2]
    sign = 1 if side == "left" else -1
    at = (sign * (tip[0] - shoulder[0]), tip[1] - shoulder[1])
    # Its origin lies below its top: it hangs so that the top is at the shoulder's tip.
    hang = Hang(
        "left arm" if side == "left" else "right arm", "front" if side == "left" else "back", (0.0,),
        (at[0] + sign * high, at[1]), 90.0 * sign,
    )  # fmt: skip
    return Piece(f"sleeve {side}", tuple(runs), hang)


def _collar(front: Piece, back: Piece, tall: float) -> tuple[Piece, list[Seam]]:
    """A strip as long as the neckline, folded at the shoulders, its ends sewn at the nape."""
    before, behind = (piece.length("neck right") + piece.length("neck left") for piece in (front, back))
    half, fold = (before + behind) / 2, before / 2
    edges = [-half, -fold, 0.0, fold, half]
    names = ("seam 1", "seam 2", "seam 3", "seam 4")
    runs = [
        _run(name, [(a, 0.0), (b, 0.0)]) for name, a, b in zip(names, edges, edges[1:], strict=False)
    ] + [
        _run("end right", [(half, 0.0), (half, tall)]), _run("top", [(half, tall), (-half, tall)]),
        _run("end left", [(-half, tall), (-half, 0.0)]),
    ]  # fmt: skip
    hang = Hang("neck", "back", (-fold, fold), follows=names)
    collar = Piece("collar", tuple(runs), hang)
    # From the collar's left end, at the nape, along the wearer's right side to the front and round again.
    necks: list[RunKey] = [
        ("back", "neck right"), ("front", "neck left"), ("front", "neck right"), ("back", "neck left"),
    ]  # fmt: skip
    seams = [Seam((("collar", name),), (neck,)) for name, neck in zip(names, necks, strict=True)]
    return collar, [*seams, Seam((("collar", "end right"),), (("collar", "end left"),))]


def trousers(_figure: Figure, measures: Measures, plain: Plain) -> Pattern:
    """Two fronts, two backs, and a waistband of two."""
    ease = 0.10 if plain.ease is None else plain.ease
    waist, hip = measures.of("waist") + 0.2 * ease, measures.of("hip") + ease
    scale = measures.of("inseam") / 0.787
    top, hip_at = measures.heights["waist"], measures.heights["hip"]
    quarter, wide = max(waist, 0.55 * hip) / 4, hip / 4
    front_fork, back_fork = 0.080 * hip, 0.150 * hip
    band = 0.035
    hem = (measures.heights["crotch"] - 0.687 * scale) if plain.length is None else top - plain.length
    cuff = max(0.235 * scale, (measures.of("ankle") + 0.06) / 2) * (1.0 if plain.flare is None else plain.flare)
    # The crotch seams of front and back are as long as the figure's loop and some ease.
    want = measures.of("crotch loop") + 0.03 + 0.1 * ease
    crotch = _crotch_level(top, front_fork, back_fork, want)

    def leg(side: str, fork: float, layer: Layer) -> Piece:
        middle = (wide - fork) / 2 + 0.004
        out = [(middle + cuff / 2, hem), (wide + 0.004, crotch)]
        hips = _curve(
            (wide + 0.004, crotch),
            (wide + 0.004, crotch + 0.16),
            (quarter + 0.045, hip_at + 0.11),
            (quarter, top),
        )
        rise = _rise(top, crotch, fork)
        lines = {
            "hem": [(middle - cuff / 2, hem), (middle + cuff / 2, hem)],
            "out": out,
            "hip": hips,
            "waist": [(quarter, top), (0.0, top)],
            "crotch": rise,
            "in": [(-fork, crotch), (middle - cuff / 2, hem)],
        }
        order = ["hem", "out", "hip", "waist", "crotch", "in"]
        if (side == "left") != (layer == "front"):
            order = ["hem", "in", "crotch", "waist", "hip", "out"]
            lines = {name: _mirrored(line) for name, line in lines.items()}
        runs = [_run(name, lines[name], smooth=name in ("hip", "crotch")) for name in order]
        part = "left leg" if side == "left" else "right leg"
        return Piece(f"{layer} {side}", tuple(runs), Hang(part, layer))  # type: ignore[arg-type]

    pieces, seams = [], []
    for side in ("left", "right"):
        pieces += [leg(side, front_fork, "front"), leg(side, back_fork, "back")]
        seams += [Seam(((f"front {side}", edge),), ((f"back {side}", edge),)) for edge in ("out", "hip", "in")]
    seams += [
        Seam(((f"{layer} left", "crotch"),), ((f"{layer} right", "crotch"),)) for layer in ("front", "back")
    ]

    def half_band(layer: Layer) -> Piece:
        runs = [
            _run("seam 1", [(-quarter, top), (0.0, top)]), _run("seam 2", [(0.0, top), (quarter, top)]),
            _run("end right", [(quarter, top), (quarter, top + band)]),
            _run("top", [(quarter, top + band), (-quarter, top + band)]),
            _run("end left", [(-quarter, top + band), (-quarter, top)]),
        ]  # fmt: skip
        return Piece(f"waistband {layer}", tuple(runs), Hang("torso", layer))

    pieces += [half_band("front"), half_band("back")]
    seams += [
        Seam((("waistband front", "end right"),), (("waistband back", "end left"),)),
        Seam((("waistband front", "end left"),), (("waistband back", "end right"),)),
        Seam((("waistband front", "seam 1"),), (("front right", "waist"),)),
        Seam((("waistband front", "seam 2"),), (("front left", "waist"),)),
        Seam((("waistband back", "seam 1"),), (("back left", "waist"),)),
        Seam((("waistband back", "seam 2"),), (("back right", "waist"),)),
    ]
    return Pattern(tuple(pieces), tuple(seams))


def _rise(top: float, crotch: float, fork: float) -> list[Place]:
    """The crotch seam of one piece, from the waist down and round to its fork."""
    bend = crotch + 1.15 * fork
    curve = _curve((0.0, bend), (0.0, crotch + 0.4 * fork), (-0.4 * fork, crotch), (-fork, crotch))
    straight = [(0.0, float(y)) for y in np.linspace(top, bend, 4)[:-1]]
    return [*straight, *curve]


def _crotch_level(top: float, front: float, back: float, want: float) -> float:
    """The height at which both crotch seams together are as long as wanted."""

    def short(level: float) -> float:
        return sum(length_of(np.array(_rise(top, level, fork))) for fork in (front, back)) - want

    low, high = top - 0.6, top - 1.2 * back
    if short(high) > 0:
        return high
    return float(brentq(short, low, high)) if short(low) > 0 else low


def skirt(_figure: Figure, measures: Measures, plain: Plain) -> Pattern:
    """Front, back and a waistband of two; gathered to the band where `plain.gather` is above 1."""
    ease = 0.06 if plain.ease is None else plain.ease
    waist, hip = measures.of("waist") + 0.02, measures.of("hip") + ease
    top, hip_at = measures.heights["waist"], measures.heights["hip"]
    quarter = waist / 4
    length = 0.60 * top if plain.length is None else plain.length
    hem = top - length
    band = 0.035
    upper = max(quarter, quarter * plain.gather)
    wide = max(hip / 4, upper)
    low = wide * (1.08 if plain.flare is None else plain.flare)
    gathers = upper > 1.03 * quarter

    def body(layer: Layer) -> Piece:
        if gathers:
            side = [(low, hem), (upper, top)]
            rights = [_run("side right", side)]
        else:
            mid = (wide, min(hip_at, top - 0.05))
            rights = [
                _run("side right", [(low, hem), mid]),
                _run(
                    "hip right",
                    _curve(mid, (wide, mid[1] + 0.09), (quarter + 0.03, top - 0.06), (quarter, top)),
                    smooth=True,
                ),
            ]
        lefts = [
            Run(run.name.replace("right", "left"), tuple(_mirrored([*run.points, after])[:-1]), run.smooth)
            for run, after in zip(rights, [*(one.points[0] for one in rights[1:]), (upper, top)], strict=True)
        ][::-1]
        runs = [
            _run("hem", [(-low, hem), (low, hem)]),
            *rights,
            _run("waist", [(upper, top), (-upper, top)]),
            *lefts,
        ]
        hang = Hang("torso", layer, follows=("waist",) if gathers else ())
        return Piece(layer, tuple(runs), hang)

    def half_band(layer: Layer) -> Piece:
        runs = [
            _run("seam", [(-quarter, top), (quarter, top)]),
            _run("end right", [(quarter, top), (quarter, top + band)]),
            _run("top", [(quarter, top + band), (-quarter, top + band)]),
            _run("end left", [(-quarter, top + band), (-quarter, top)]),
        ]
        return Piece(f"waistband {layer}", tuple(runs), Hang("torso", layer))

    pieces = [body("front"), body("back"), half_band("front"), half_band("back")]
    names = ["side"] if gathers else ["side", "hip"]
    seams = []
    for name in names:
        seams += [
            Seam((("front", f"{name} right"),), (("back", f"{name} left"),)),
            Seam((("front", f"{name} left"),), (("back", f"{name} right"),)),
        ]
    seams += [
        Seam((("waistband front", "end right"),), (("waistband back", "end left"),)),
        Seam((("waistband front", "end left"),), (("waistband back", "end right"),)),
        Seam((("waistband front", "seam"),), (("front", "waist"),), gathers=gathers),
        Seam((("waistband back", "seam"),), (("back", "waist"),), gathers=gathers),
    ]
    return Pattern(tuple(pieces), tuple(seams))


def cape(figure: Figure, measures: Measures, plain: Plain) -> Pattern:
    """A front and a back that flare from the neck over the shoulders, sewn along the shoulder line."""
    scale = (figure.neck[1] - measures.heights["crotch"]) / TRUNK
    top = float(figure.neck[1]) + 0.023 * scale
    neck = 0.2 * measures.of("neck")
    shoulder = float(figure.limbs["left arm"].root[0])
    length = 0.62 * scale if plain.length is None else plain.length
    flare = 1.0 if plain.flare is None else plain.flare
    ease = 0.08 if plain.ease is None else plain.ease
    tip = (1.25 * shoulder + ease / 4, top - 0.085 * scale)
    low = (tip[0] + 0.45 * flare * length, top - length)
    if low[1] > tip[1] - 0.05:
        raise ShotError(
            f"a cape of {length * 1e3:.0f} mm ends above the shoulders", where="cape",
            remedy=f"Give at least {(top - tip[1] + 0.06) * 1e3:.0f} mm",
        )  # fmt: skip
    side = _curve(low, (low[0] - 0.02, low[1] + 0.4 * length), (tip[0] + 0.10, tip[1] - 0.10), tip)

    def half(layer: Layer, deep: float) -> Piece:
        left = _curve(
            (-neck, top), (-0.95 * neck, top - 0.75 * deep), (-0.55 * neck, top - deep), (0, top - deep)
        )
        runs = [
            _run("hem", [(-low[0], low[1]), low]), _run("side right", side, smooth=True),
            _run("shoulder right", [tip, (neck, top)]),
            _run("neck right", _mirrored(left)[::-1], smooth=True), _run("neck left", left[::-1], smooth=True),
            _run("shoulder left", [(-neck, top), (-tip[0], tip[1])]),
            _run("side left", _mirrored(side), smooth=True),
        ]  # fmt: skip
        return Piece(layer, tuple(runs), Hang("torso", layer))

    pieces = (half("front", 0.095 * scale), half("back", 0.030 * scale))
    seams = [
        Seam((("front", f"{edge} {one}"),), (("back", f"{edge} {other}"),))
        for edge in ("shoulder", "side") for one, other in (("right", "left"), ("left", "right"))
    ]  # fmt: skip
    return Pattern(pieces, tuple(seams))
