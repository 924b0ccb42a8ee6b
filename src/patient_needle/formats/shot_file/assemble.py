"""From a shot file and the files it names to the plan the core runs."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ...core.craft.plan import (
    CastMember,
    Choice,
    ColliderSettings,
    FollowHold,
    Garment,
    RunIn,
    ShotPlan,
)  # fmt: skip
from ...core.geometry.motion import CachedMotion, Motion, SkinnedMotion, Still
from ...core.geometry.skinning import Skeleton, Skin
from ...core.geometry.triangulate import TriangleMap, triangulated
from ...core.model.curve import Curve
from ...core.model.errors import CastError, FileError, NeedleError, ShotError
from ...core.model.fabric import Fabric
from ...core.model.mesh import Mesh
from ...core.model.patience import ALL
from ...core.model.typed import Flags, Indices
from ...core.model.units import from_mm, metres_per
from ...core.model.wind import Filling, Wind
from .. import alembic_cache, glb, obj, pc2  # noqa: F401  (they register themselves)
from ..registry import read_cache, read_meshes
from .document import (
    CastRecord,
    ChoiceRecord,
    ColliderRecord,
    GarmentRecord,
    KeysRecord,
    ShotFile,
    WindRecord,
)
from .fabrics import fabrics_of

PROP_RANK = 50  # props let go of pinched cloth before any part of a body does
Z_UP_TO_Y_UP = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])


def assemble(shot: ShotFile, folder: Path) -> ShotPlan:
    """Read every file the shot names, in metres and Y up. Errors name the file."""
    fabrics = fabrics_of(shot)
    return ShotPlan(
        name=shot.name,
        frame_rate=shot.frame_rate,
        frames=shot.frames,
        run_in=RunIn(shot.run_in.settle, shot.run_in.move),
        cast=tuple(assemble_member(record, folder, shot.frame_rate) for record in shot.cast),
        garments=tuple(assemble_garment(record, folder, fabrics) for record in shot.garments),
        gravity=np.array(shot.forces.gravity),
        air_drag=shot.forces.air_drag,
        air_density=shot.forces.air_density,
        winds=tuple(_wind(record) for record in shot.forces.winds),
        time_stretch=_within(curve_of(shot.time_stretch), "time_stretch", 0.05, 50.0),
        together=shot.together,
        least_substeps=_within(curve_of(shot.least_substeps), "least_substeps", 1.0, 32.0),
        patience=ALL[shot.patience],
    )


def named_files(shot: ShotFile, folder: Path) -> list[Path]:
    """Every geometry file the shot refers to, in order, each once."""
    names = [*(c.file for c in shot.cast), *(g.file for g in shot.garments)]
    names += [c.cache for c in shot.cast if c.cache is not None]
    names += [g.finished.cache for g in shot.garments if g.finished is not None]
    return [folder / name for name in dict.fromkeys(names)]


def curve_of(keyed: float | KeysRecord, scale: float = 1.0) -> Curve:
    """A constant or keys, times `scale`."""
    if isinstance(keyed, KeysRecord):
        return Curve(np.array(keyed.frames, float), np.array(keyed.values, float) * scale)
    return Curve.constant(keyed * scale)


def _within(curve: Curve, name: str, low: float, high: float) -> Curve:
    if curve.values.min() < low or curve.values.max() > high:
        raise ShotError(
            f"{name} goes from {curve.values.min():g} to {curve.values.max():g}",
            remedy=f"Keep it between {low:g} and {high:g}",
        )
    return curve


def _wind(record: WindRecord) -> Wind:
    return Wind(
        record.name, curve_of(record.strength), curve_of(record.heading), curve_of(record.rise),
        record.turbulence, record.eddy_m, record.seed,
    )  # fmt: skip


def _filling(record: GarmentRecord) -> Filling | None:
    if record.filling is None:
        return None
    amount = curve_of(record.filling.amount)
    if record.filling.by == "volume":
        _within(amount, f"the volume of '{record.name}'", 0.01, 100.0)
    return Filling(record.filling.by, amount, record.filling.stiffness)


def _to_metres(unit: str, up: str, where: str) -> np.ndarray:
    scale = metres_per(unit, where=where)
    return scale * (Z_UP_TO_Y_UP if up == "z" else np.eye(3))


def _one_mesh(path: Path, name: str | None) -> Mesh:
    meshes = read_meshes(path)
    chosen = [m for m in meshes if name is None or m.name == name]
    if len(chosen) != 1:
        raise FileError(
            f"the file holds {len(meshes)} meshes" if name is None else f"no mesh is called '{name}'",
            where=str(path),
            remedy=f"Say which: {', '.join(m.name for m in meshes)}",
        )
    return chosen[0]


def assemble_member(record: CastRecord, folder: Path, rate: float) -> CastMember:
    """One cast member, read from its files."""
    path = folder / record.file
    placement = _to_metres(record.unit, record.up, f"'{record.name}'")
    skinned = record.kind == "character" or (path.suffix.lower() == ".glb" and record.kind == "prop")
    if skinned and record.cache is None:
        return _animated(record, path, placement, rate)
    mesh = _one_mesh(path, record.mesh)
    mesh = mesh.with_vertices(mesh.vertices @ placement.T)
    motion: Motion = Still(mesh.vertices)
    if record.cache is not None:
        motion = _cached(mesh, folder / record.cache, placement, record.starts_at)
    cut = triangulated(mesh)
    count = len(cut.triangles)
    return CastMember(
        record.name, record.kind, mesh, cut, motion, np.zeros(count, np.int32), ("whole",),
        np.array([PROP_RANK], np.int32), np.ones(count, bool), _collider(record.collider),
    )  # fmt: skip


def _cached(mesh: Mesh, path: Path, placement: np.ndarray, first_frame: int) -> CachedMotion:
    frames = read_cache(path).frames
    if len(frames) == 0:
        raise CastError("the cache holds no frames", where=str(path), remedy="Write it again")
    if frames.shape[1] != mesh.vertex_count:
        raise CastError(
            f"the cache has {frames.shape[1]} points, its mesh {mesh.vertex_count} vertices",
            where=f"{path}, mesh '{mesh.name}'",
            remedy="Use a cache and a rest mesh of the same topology",
        )
    moved = frames if np.array_equal(placement, np.eye(3)) else np.asarray(frames, float) @ placement.T
    return CachedMotion(mesh.vertices, moved, first_frame)


def _animated(record: CastRecord, path: Path, placement: np.ndarray, rate: float) -> CastMember:
    if path.suffix.lower() != ".glb":
        raise CastError(
            f"a {record.kind} needs a skinned, animated GLB, not '{path.suffix}'",
            where=str(path),
            remedy="Export it as GLB, give it a cache, or cast it as a set piece",
        )
    read = glb.read_character(path, rate, mesh=record.mesh, animation=record.animation)
    whole = np.eye(4)
    whole[:3, :3] = placement
    skeleton = Skeleton(
        read.skeleton.names, read.skeleton.parents, read.skeleton.inverse_bind, read.skeleton.rest, whole
    )
    motion: Motion = SkinnedMotion(read.mesh.vertices, read.skin, skeleton, read.poses, record.starts_at)
    mesh = read.mesh.with_vertices(motion.rest())
    cut = triangulated(mesh)
    part = leading_joints(read.skin, cut, len(skeleton.names))
    return CastMember(
        record.name, record.kind, mesh, cut, motion, part, skeleton.names,
        _depths(skeleton.parents) + (PROP_RANK if record.kind == "prop" else 0),
        _kept(record, skeleton, part), _collider(record.collider),
    )  # fmt: skip


def leading_joints(skin: Skin, cut: TriangleMap, joints: int) -> Indices:
    """The joint that moves each triangle most, (m,) int32."""
    weights = np.zeros((len(skin.joints), joints))
    for influence in range(skin.joints.shape[1]):
        np.add.at(weights, (np.arange(len(weights)), skin.joints[:, influence]), skin.weights[:, influence])
    return weights[cut.triangles].sum(axis=1).argmax(axis=1).astype(np.int32)


def _depths(parents: Indices) -> Indices:
    """How many joints stand above each, (j,) int32."""
    out = np.zeros(len(parents), np.int32)
    for joint, parent in enumerate(parents):
        out[joint] = 0 if parent < 0 else out[parent] + 1
    return out


def _kept(record: CastRecord, skeleton: Skeleton, part: Indices) -> Flags:
    if record.collider is None:
        return np.ones(len(part), bool)
    unknown = [name for name in record.collider.leave_out if name not in skeleton.names]
    if unknown:
        raise ShotError(
            f"leave_out names joint '{unknown[0]}', which the skeleton does not have",
            where=f"'{record.name}'",
            remedy=f"It has {', '.join(skeleton.names)}",
        )
    out = [skeleton.names.index(name) for name in record.collider.leave_out]
    return ~np.isin(part, out)


def _collider(record: ColliderRecord | None) -> ColliderSettings | None:
    if record is None:
        return None
    curve = curve_of(record.clearance_mm, from_mm(1.0))
    if curve.values.min() < 0:
        raise ShotError("a clearance is below zero", remedy="Give 0 mm or more")
    return ColliderSettings(curve, record.friction, from_mm(record.thickness_mm))


def assemble_garment(record: GarmentRecord, folder: Path, fabrics: dict[str, Fabric]) -> Garment:
    """One garment, read from its file; fabrics by name."""
    path = folder / record.file
    if record.fabric not in fabrics:
        raise ShotError(
            f"garment '{record.name}' is made of '{record.fabric}', which is not in the swatch book",
            remedy=f"It has {', '.join(fabrics) or 'nothing'}",
        )
    mesh = _one_mesh(path, None)
    mesh = mesh.with_vertices(mesh.vertices @ _to_metres(record.unit, record.up, record.name).T)
    try:
        holds = tuple(
            FollowHold(hold.name, choice_of(hold.name, hold.choose), hold.follows) for hold in record.holds
        )
    except NeedleError as error:
        raise error.at(f"garment '{record.name}'") from None
    return Garment(
        record.name, mesh, fabrics[record.fabric], holds, np.array(record.warp), record.rest_angles,
        calm=record.calm, shelter=record.shelter, filling=_filling(record),
        finished=_finished(record, mesh, folder),
    )  # fmt: skip


def _finished(record: GarmentRecord, mesh: Mesh, folder: Path) -> Motion | None:
    if record.finished is None:
        return None
    try:
        return _cached(mesh, folder / record.finished.cache, np.eye(3), record.finished.starts_at)
    except NeedleError as error:
        raise error.at(f"garment '{record.name}'") from None


def choice_of(name: str, choose: ChoiceRecord) -> Choice:
    """What the hold called `name` chooses; `ShotError` unless exactly one way is given."""
    given = [k for k in ("group", "border", "vertices") if getattr(choose, k) is not None]
    if len(given) != 1:
        raise ShotError(
            f"hold '{name}' chooses by {' and '.join(given) or 'nothing'}",
            remedy="Give exactly one of group, border or vertices",
        )
    return Choice(choose.group, choose.border, tuple(choose.vertices or ()), choose.rings)
