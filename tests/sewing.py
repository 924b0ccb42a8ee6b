"""Patterns and figures for tests of sewing."""

from __future__ import annotations

import json
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

import numpy as np

from patient_needle.core.craft.drape.sewing import sewing_of, sewing_plan
from patient_needle.core.craft.sewing.blocks import Plain, drafted
from patient_needle.core.craft.sewing.cutting import sewn
from patient_needle.core.craft.sewing.figure import Figure, figure_of
from patient_needle.core.craft.sewing.laying import laid
from patient_needle.core.craft.sewing.measures import measured
from patient_needle.core.craft.sewing.pattern import Hang, Pattern, Piece, Run, Seam
from patient_needle.core.craft.sewing.source import source_of_pieces
from patient_needle.core.geometry.motion import Still
from patient_needle.core.geometry.skinning import joint_matrices
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import parse_shot

from .figures import lamplighter

DEMO = Path(__file__).parents[1] / "demo" / "lamplighter"


def rectangle(name: str, wide: float, high: float, **hang) -> Piece:
    """A piece whose edges are called low, right, top and left."""
    corners = [(0.0, 0.0), (wide, 0.0), (wide, high), (0.0, high)]
    names = ("low", "right", "top", "left")
    runs = tuple(Run(run, (corner,)) for run, corner in zip(names, corners, strict=True))
    return Piece(name, runs, Hang(**hang))


def gathered(ratio: float) -> Pattern:
    """A strip sewn along its top to the low edge of another that is `ratio` times shorter."""
    wide, short = rectangle("frill", 0.4, 0.2), rectangle("band", 0.4 / ratio, 0.1)
    seam = Seam((("frill", "top"),), (("band", "low"),), gathers=True)
    return Pattern((wide, short), (seam,))


@lru_cache
def figure(broad: float = 1.0, tall: float = 1.0, arms: float = 0.0) -> Figure:
    """The demo's figure, `broad` and `tall` times its size, its arms lowered by degrees."""
    motion = lamplighter().motion
    skeleton = motion.skeleton
    joints = joint_matrices(skeleton, skeleton.rest)[:, :3, 3] * tall
    plain = figure_of("it", motion.rest() * tall, lamplighter().cut.triangles, joints, skeleton, motion.skin)
    points = plain.shape(1.0, arms=-arms)
    axis = plain.shaped(plain.axis, plain.axis, plain.shares, 1.0, -arms, 0.0)
    points = axis + broad / tall * (points - axis)
    limbs = {}
    for name, limb in plain.limbs.items():
        turn = np.radians(-arms if name == "left arm" else arms if name == "right arm" else 0.0)
        about = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        ends = []
        for joint in (limb.middle, limb.end):
            moved = joint.copy()
            moved[:2] = limb.root[:2] + about @ (joint[:2] - limb.root[:2])
            ends.append(moved)
        limbs[name] = replace(limb, middle=ends[0], end=ends[1])
    return replace(plain, points=points, axis=axis, limbs=limbs)


def sewn_shot(*garments: dict) -> dict:
    """The demo's shot with garments of pieces round the lamplighter, given as records without the rest."""
    document = json.loads((DEMO / "shot.json").read_text())
    document["cast"][0]["collider"]["leave_out"] = ["head"]  # a collar hangs on the neck
    plain = {"kind": "sewn", "around": "lamplighter"}
    document["garments"] = [
        {"name": one["name"], "recipe": plain | one["recipe"], "fabric": "close twill"} for one in garments
    ]
    return document


def sewing(document: dict, name: str):
    """The fitting in which a garment of a shot is about to be sewn."""
    return sewing_of(sewing_plan(assemble(parse_shot(document, "the test"), DEMO), name), name)


def sewing_on(body: Figure, block: str, plain: Plain, spacing: float):
    """The fitting in which a block is about to be sewn round another figure, which stands still, alone."""
    coarse = {"draft_mm": 34, "fine_mm": 20}  # of the pattern that this one takes the place of
    record = {"name": block, "recipe": {"block": {"kind": block}, "spacing": coarse}}
    plan = assemble(parse_shot(sewn_shot(record), "the test"), DEMO)
    pattern = drafted(block, body, measured(body), plain)
    mesh = sewn(pattern, spacing)
    lay = laid(pattern, mesh, body)
    member = next(one for one in plan.cast if one.name == "lamplighter")
    source = source_of_pieces(
        block, pattern, mesh, body.to_world(lay.points), body, member.name, "", lay=lay
    )  # fmt: skip
    cast = (replace(member, motion=Still(body.to_world(body.points))),)
    garments = (replace(plan.garments[0], source=source),)
    return sewing_of(sewing_plan(replace(plan, cast=cast, garments=garments), block), block)
