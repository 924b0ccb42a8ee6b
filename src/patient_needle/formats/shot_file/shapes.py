"""Second shapes of a member from their records."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ...core.geometry.motion import SkinnedMotion
from ...core.geometry.placing import Blend, drawn_in
from ...core.geometry.topology import triangulated
from ...core.model.curve import Curve
from ...core.model.errors import CastError, ShotError
from ...core.model.motion import Motion
from ...core.model.typed import Scalars
from ...core.model.units import from_mm, metres_per
from ..contents import Figure, FigureAsk
from ..registry import read_figure
from .document import CastRecord, ShapeRecord
from .ranges import curve_of

LEAD = 30  # frames, as a run-in moves by default


def blend_of(record: CastRecord, shape: ShapeRecord, figure: Figure, motion: Motion, folder: Path) -> Blend:
    """A second shape as offsets from the points as made, in file units."""
    where = f"'{record.name}', shape '{shape.name}'"
    if sum(one is not None for one in (shape.shape, shape.file, shape.drawn_in_mm)) != 1:
        raise ShotError(
            "a shape is exactly one of: one of its file, another file, drawn in", where=where,
            remedy="Give one of shape, file and drawn_in_mm",
        )  # fmt: skip
    amount = curve_of(shape.amount)
    if amount.values.min() < 0 or amount.values.max() > 1:
        raise ShotError("its amount leaves 0 to 1", where=where, remedy="Keep it between 0 and 1")
    if shape.shape is not None:
        if shape.shape not in figure.shapes:
            held = ", ".join(figure.shapes) or "none"
            raise ShotError(f"its file has no shape '{shape.shape}'", where=where, remedy=f"It holds: {held}")
        return Blend(figure.shapes[shape.shape], amount)
    if shape.file is not None:
        other = read_figure(folder / shape.file, FigureAsk(shape.mesh)).mesh
        if other.vertex_count != figure.mesh.vertex_count:
            raise CastError(
                f"the shape has {other.vertex_count} vertices, the member {figure.mesh.vertex_count}",
                where=where,
                remedy="A shape is the same mesh with its points elsewhere",
            )
        return Blend(other.vertices - figure.mesh.vertices, amount)
    per_unit = metres_per(record.unit, where=where) * record.placed.scale
    triangles = triangulated(figure.mesh).triangles
    share = _led(shape, figure, where)
    depth = from_mm(shape.drawn_in_mm or 0.0) / per_unit
    rest = figure.mesh.vertices if isinstance(motion, SkinnedMotion) else motion.rest()
    return Blend(drawn_in(rest, triangles, share, depth), amount)


def own_blends(record: CastRecord, figure: Figure) -> tuple[Blend, ...]:
    """The shapes that the file's own animation takes on, but for those that the member keys itself.

    They come in over the LEAD frames before the file's first, so that the rest pose is as it was made.
    """
    keyed = {shape.shape for shape in record.shapes}
    out = []
    for name, values in figure.amounts.items():
        if name in keyed or not values.any():
            continue
        frames = record.starts_at + np.arange(len(values), dtype=float)
        amount = Curve(np.concatenate([[frames[0] - LEAD], frames]), np.concatenate([[0.0], values]))
        out.append(Blend(figure.shapes[name], amount))
    return tuple(out)


def _led(shape: ShapeRecord, figure: Figure, where: str) -> Scalars:
    """How much of each vertex the named joints lead, (n,); all of it when none is named."""
    if not shape.parts:
        return np.ones(figure.mesh.vertex_count)
    names = figure.joints.skeleton.names if figure.joints is not None else ()
    unknown = [part for part in shape.parts if part not in names]
    if unknown or figure.joints is None:
        raise ShotError(
            f"it names part '{(unknown or shape.parts)[0]}', which the member does not have",
            where=where,
            remedy=f"It has {', '.join(names) or 'no joints'}",
        )
    chosen = [names.index(part) for part in shape.parts]
    return np.where(np.isin(figure.joints.skin.joints, chosen), figure.joints.skin.weights, 0.0).sum(axis=1)
