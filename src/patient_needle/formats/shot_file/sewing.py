"""Sewn garments: their records as patterns and back, the figure they are cut for, and the cloth they make."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from pathlib import Path
from weakref import WeakKeyDictionary

import numpy as np
from pydantic import ValidationError

from ...core.craft.sewing.blocks import Plain, drafted
from ...core.craft.sewing.cutting import sewn
from ...core.craft.sewing.figure import Figure, figure_of
from ...core.craft.sewing.laying import laid
from ...core.craft.sewing.measures import Measures, measured
from ...core.craft.sewing.pattern import Hang, Line, Notch, Pattern, Piece, Run, Seam
from ...core.craft.sewing.source import FromPieces, source_of_pieces
from ...core.geometry.motion import SkinnedMotion
from ...core.geometry.placing import moved
from ...core.geometry.skinning import joint_matrices
from ...core.model.errors import CastError, ShotError
from ...core.model.units import from_mm, to_mm
from ..frames import lasting
from ..registry import read_cache
from .document import (
    BlockRecord,
    HangRecord,
    LineRecord,
    NotchRecord,
    PieceRecord,
    RunRecord,
    SeamRecord,
    SewnRecipe,
    explained,
)
from .members import AssembledMember

_figures: WeakKeyDictionary[AssembledMember, Figure] = WeakKeyDictionary()


def figure_for(member: AssembledMember) -> Figure:
    """The figure that a garment is sewn round, one for each member. `CastError` without a skeleton."""
    if (known := _figures.get(member)) is not None:
        return known
    bare, own = member.bare, member.member
    if not isinstance(bare, SkinnedMotion):
        raise CastError(
            f"'{own.name}' has no skeleton, which sewing needs to make the figure thin",
            remedy="Sew round a character with a skeleton, or make the garment in rings or from a file",
        )
    joints = moved(joint_matrices(bare.skeleton, bare.skeleton.rest)[:, :3, 3], member.placement)
    made = figure_of(own.name, own.motion.rest(), own.cut.triangles, joints, bare.skeleton, bare.skin)
    _figures[member] = made
    return made


def measures_of(recipe: SewnRecipe, figure: Figure) -> Measures:
    """The figure's measures, with the recipe's corrections."""
    return measured(figure).corrected({name: from_mm(mm) for name, mm in recipe.measures_mm.items()})


def pattern_for(recipe: SewnRecipe, figure: Figure) -> Pattern:
    """The recipe's own pieces, or those of its block. Errors name the piece or the seam."""
    if recipe.pieces or recipe.block is None:
        pattern = Pattern(tuple(map(piece_of, recipe.pieces)), tuple(map(seam_of, recipe.seams)))
        pattern.check()
        return pattern
    return drafted(recipe.block.kind, figure, measures_of(recipe, figure), plain_of(recipe.block))


def plain_of(block: BlockRecord) -> Plain:
    """A block's choices in metres."""
    mm = {key: None if value is None else from_mm(value) for key, value in (
        ("ease", block.ease_mm), ("length", block.length_mm), ("sleeve", block.sleeve_mm),
    )}  # fmt: skip
    return Plain(mm["ease"], mm["length"], block.flare, mm["sleeve"], block.gather)


def piece_of(record: PieceRecord) -> Piece:
    """A piece in metres."""
    return Piece(
        record.name,
        tuple(Run(run.name, tuple(map(_m, run.points_mm)), run.smooth) for run in record.runs),
        hang_of(record.hang),
        record.grain,
        tuple(Line(line.name, tuple(map(_m, line.points_mm))) for line in record.lines),
        tuple(Notch(notch.run, from_mm(notch.along_mm)) for notch in record.notches),
    )  # fmt: skip


def records_of_pieces(pieces: tuple[Piece, ...], where: str) -> list[PieceRecord]:
    """Pieces as the shot file has them; `ShotError` names one that has more to it than a shot keeps."""
    out = []
    for piece in pieces:
        try:
            out.append(record_of_piece(piece))
        except ValidationError as error:
            raise explained(f"{where}, piece '{piece.name}'", error) from None
    return out


def hang_of(record: HangRecord) -> Hang:
    """Where a piece hangs, in metres."""
    return Hang(
        record.part, record.layer, tuple(from_mm(x) for x in record.folds_mm), _m(record.at_mm), record.turn,
        tuple(record.follows),
    )  # fmt: skip


def seam_of(record: SeamRecord) -> Seam:
    """A seam."""
    return Seam(
        tuple(record.one), tuple(record.other), turned=record.turned, gathers=record.gathers,
        elastic=record.elastic, bend=record.bend, basted=record.basted,
        every=None if record.every_mm is None else from_mm(record.every_mm), undone=record.undone,
    )  # fmt: skip


def record_of_piece(piece: Piece) -> PieceRecord:
    """A piece as the shot file has it, to a hundredth of a mm."""
    hang = piece.hang
    return PieceRecord(
        name=piece.name,
        runs=[
            RunRecord(name=run.name, points_mm=[_mm(point) for point in run.points], smooth=run.smooth)
            for run in piece.runs
        ],
        hang=HangRecord(
            part=hang.part, layer=hang.layer, folds_mm=[_said(x) for x in hang.folds],
            at_mm=_mm(hang.at), turn=round(hang.turn, 3) + 0.0, follows=list(hang.follows),
        ),
        grain=piece.grain + 0.0,
        lines=[
            LineRecord(name=line.name, points_mm=[_mm(point) for point in line.points]) for line in piece.lines
        ],
        notches=[
            NotchRecord(run=notch.run, along_mm=_said(notch.along)) for notch in piece.notches
        ],
    )  # fmt: skip


def record_of_seam(seam: Seam) -> SeamRecord:
    """A seam as the shot file has it."""
    return SeamRecord(
        one=list(seam.one), other=list(seam.other), turned=seam.turned, gathers=seam.gathers,
        elastic=seam.elastic, bend=seam.bend, basted=seam.basted,
        every_mm=None if seam.every is None else _said(seam.every), undone=seam.undone,
    )  # fmt: skip


def _m(point: tuple[float, float]) -> tuple[float, float]:
    return from_mm(point[0]), from_mm(point[1])


def _mm(point: tuple[float, float]) -> tuple[float, float]:
    return _said(point[0]), _said(point[1])


def _said(metres: float) -> float:
    """Mm as the shot file has them; no negative zero, which a page would not give back."""
    return round(to_mm(metres), 2) + 0.0


def pattern_mark(pattern: Pattern, spacing_mm: float) -> str:
    """Tells what is cut from anything else that could be, to a hundredth of a mm. Marks on a piece change
    nothing about its cloth, and neither does where it hangs, nor what of a basted seam is held.
    """
    digest = hashlib.sha256(f"{spacing_mm:.3f}".encode())
    for piece in pattern.pieces:
        plain = record_of_piece(piece).model_copy(
            update={
                "hang": HangRecord(folds_mm=[_said(x) for x in piece.hang.folds]),
                "lines": [],
                "notches": [],
            }
        )
        digest.update(plain.model_dump_json(exclude_defaults=True).encode())
    for seam in pattern.seams:
        held = record_of_seam(seam).model_copy(update={"every_mm": None, "undone": False})
        digest.update(held.model_dump_json(exclude_defaults=True).encode())
    return digest.hexdigest()[:16]


def sewn_source(name: str, recipe: SewnRecipe, cast: Mapping[str, AssembledMember], folder: Path) -> FromPieces:
    """The garment that a recipe of pieces makes: as it was worn last, or as it lies before it is sewn."""
    if recipe.around not in cast:
        raise ShotError(
            f"it is sewn round '{recipe.around}', which is not in this shot or cannot be read",
            remedy="Bring it in again, or sew the garment round another member of the cast",
        )
    figure = figure_for(cast[recipe.around])
    pattern = pattern_for(recipe, figure)
    mesh = sewn(pattern, from_mm(recipe.spacing.mm))
    mark = pattern_mark(pattern, recipe.spacing.mm)
    if recipe.file is not None and recipe.file_of == mark:
        frames = lasting(read_cache(folder / recipe.file).frames)
        if frames.shape[1:] == (mesh.count, 3) and len(frames) and np.isfinite(frames[0]).all():
            worn = np.asarray(frames[0], np.float64)
            return source_of_pieces(name, pattern, mesh, worn, figure, recipe.around, mark, lay=None)
    lay = laid(pattern, mesh, figure)
    return source_of_pieces(
        name, pattern, mesh, figure.to_world(lay.points), figure, recipe.around, mark, lay=lay
    )
