"""From a shot file and the files it names to the plan the core runs."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, MutableMapping
from dataclasses import dataclass, field
from hashlib import sha256
from pathlib import Path

import numpy as np

from ...core.craft.garments.carrying import Carrying
from ...core.craft.garments.health import mended
from ...core.craft.garments.respacing import respaced
from ...core.craft.garments.sources import FromMesh
from ...core.craft.maps.finer import sizes_on
from ...core.craft.maps.inputs import MapInputs
from ...core.craft.sewing.source import FromPieces
from ...core.geometry.letting_out import girth_of, let_out
from ...core.geometry.motion import CachedMotion
from ...core.geometry.placing import in_metres, moved
from ...core.geometry.topology import build_topology, triangulated
from ...core.geometry.two_faced import one_sheet
from ...core.model.curve import Curve
from ...core.model.errors import NeedleError, ShotError
from ...core.model.fabric import Fabric
from ...core.model.garment import FREE, Prescription, Source
from ...core.model.mesh import Mesh
from ...core.model.motion import Motion, Window
from ...core.model.shot import CastMember, Filling, Garment, Patch, RunIn, ShotPlan, Wind
from ...core.model.tolerances import ALL
from ...core.model.typed import Points, Scalars
from ...core.model.units import from_mm, metres_per
from .. import alembic_cache, glb, mdd, obj, pc2, ply, usd  # noqa: F401  (they register themselves)
from ..contents import FigureAsk
from ..frames import CacheFrames, lasting
from ..registry import read_cache, read_figure
from .carrying import Carried, carried, steps_carried
from .document import (
    CastRecord,
    FileRecipe,
    FlounceRecipe,
    FollowRecord,
    GarmentRecord,
    LetOutRecord,
    Recipe,
    RingsRecipe,
    SewnRecipe,
    ShotFile,
    SpacingRecord,
    WindRecord,
)
from .fabrics import fabrics_of
from .holds import hold_of, kept_of
from .making import Members, flounce_source, rings_source
from .maps import finer_of, maps_of
from .members import AssembledMember, assemble_cast, assemble_member, placement_of
from .ranges import curve_of
from .sewing import sewn_source


def assemble(shot: ShotFile, folder: Path) -> ShotPlan:
    """Read every file the shot names, in metres and Y up. Errors name the file."""
    members = list(_cast(shot, folder))
    making = Making(shot, folder, {one.member.name: one for one in members})
    return plan_of(
        shot,
        [each for member in members for each in member.cast],
        [assemble_garment(record, making) for record in shot.garments],
        [wind_of(record) for record in shot.forces.winds],
    )


@dataclass(frozen=True, eq=False)
class Making:
    """The garments of a shot on their way from records to cloth, in dressing order.

    cast  what garments are made round; made: what has been made so far; kept: what was made before, by all that
          it is made of, so that it is not made again
    """

    shot: ShotFile
    folder: Path
    cast: Members
    made: dict[str, Source] = field(default_factory=dict)
    kept: MutableMapping[str, Source] = field(default_factory=dict)

    def source(self, record: GarmentRecord) -> Source:
        """What a garment is made from; `ShotError` and others name it."""
        try:
            source = self._source(record)
        except NeedleError as error:
            raise error.at(f"garment '{record.name}'") from None
        self.made[record.name] = source
        return source

    def _source(self, record: GarmentRecord) -> Source:
        return self.made_by(record.recipe, record)

    def made_by(self, recipe: Recipe, record: GarmentRecord) -> Source:
        """What a recipe makes for a garment of the shot."""
        if isinstance(recipe, FileRecipe):
            return file_source(recipe, self.folder, record.name, self.cast)
        fabric = fabric_of(record, self.shot)
        key = self._key(recipe, fabric.thickness)
        if key not in self.kept:
            made: Source
            if isinstance(recipe, RingsRecipe):
                made = rings_source(record.name, recipe, self.cast, fabric.thickness, self.folder)
            elif isinstance(recipe, SewnRecipe):
                made = sewn_source(record.name, recipe, self.cast, self.folder)
            else:
                made = flounce_source(
                    record.name, recipe, self.shot, self.cast, self.made, fabric.thickness, self.folder
                )
            self.kept[key] = made
        return self.kept[key]

    def _key(self, recipe: RingsRecipe | FlounceRecipe | SewnRecipe, thickness: float) -> str:
        """A digest of all that a garment is made of."""
        digest = sha256(f"{recipe.model_dump_json()} {thickness}".encode())
        if isinstance(recipe, FlounceRecipe):
            if recipe.on in self.made:
                digest.update(self.made[recipe.on].surface.fingerprint)
        elif recipe.around in self.cast:
            member = self.cast[recipe.around]
            digest.update(member.member.motion.rest().tobytes() + member.member.cut.triangles.tobytes())
            digest.update(member.placement.tobytes() + str(member.member.collider).encode())
        if recipe.spacing.finer is not None:  # whose map may ask anybody
            for member in self.cast.values():
                digest.update(member.member.motion.rest().tobytes())
        return digest.hexdigest()


def remade(
    shot: ShotFile, folder: Path, cast: Members, name: str, recipe: Recipe,
    kept: MutableMapping[str, Source] | None = None,
) -> Carried:  # fmt: skip
    """The garments of a shot once one of them is made by another recipe. `ShotError` when that makes nothing.

    cast: what garments are made round; kept: as `Making.kept` has it
    """
    if name not in [one.name for one in shot.garments]:
        raise ShotError(f"the shot has no garment '{name}'", remedy="Open the shot again")
    kept = {} if kept is None else kept
    recipe = _finer_carried(shot, folder, cast, name, recipe)
    garments = [one.model_copy(update={"recipe": recipe}) if one.name == name else one for one in shot.garments]
    before = Making(shot, folder, cast, kept=kept)
    after = Making(shot.model_copy(update={"garments": garments}), folder, cast, kept=kept)
    for old, new in zip(shot.garments, garments, strict=True):
        for making, record in ((before, old), (after, new)):
            try:
                making.source(record)
            except NeedleError:
                if making is after and record.name == name:
                    raise
    return carried(shot, name, recipe, before.made, after.made, folder)


def making_alone(shot: ShotFile, folder: Path, name: str) -> Source:
    """What one garment of a shot is made from. `ShotError` when there is none of that name."""
    names = [one.name for one in shot.garments]
    if name not in names:
        raise ShotError(f"the shot has no garment '{name}'", remedy=f"It has {', '.join(names) or 'none'}")
    record = shot.garments[names.index(name)]
    wanted = [name]
    while isinstance(record.recipe, FlounceRecipe) and record.recipe.on in names:
        if record.recipe.on in wanted:
            break
        wanted.append(record.recipe.on)
        record = shot.garments[names.index(record.recipe.on)]
    rounds = record.recipe.around if isinstance(record.recipe, RingsRecipe | SewnRecipe) else None
    cast = [one for one in shot.cast if one.name == rounds]
    carriers = [one.parent.member for one in cast if one.parent is not None]
    cast += [one for one in shot.cast if one.name in carriers]
    members = {}
    for each, member in assemble_cast(cast, folder, shot.frame_rate, shot.frames):
        if isinstance(member, NeedleError):
            raise member
        members[each.name] = member
    making = Making(shot, folder, members)
    for one in shot.garments:
        if one.name in wanted:
            making.source(one)
    return making.made[name]


def _finer_carried(shot: ShotFile, folder: Path, cast: Members, name: str, recipe: Recipe) -> Recipe:
    """A recipe whose map of spacing, if it has the one it had, is drawn where the cloth lies now."""
    before = next(one for one in shot.garments if one.name == name).recipe
    if isinstance(recipe, FileRecipe) or isinstance(before, FileRecipe):
        return recipe
    finer = recipe.spacing.finer
    if finer is None or finer != before.spacing.finer:
        return recipe

    def even(one: RingsRecipe | FlounceRecipe | SewnRecipe) -> Source | None:
        plain = one.model_copy(update={"spacing": one.spacing.model_copy(update={"finer": None})})
        making = Making(shot, folder, cast)
        try:
            for record in shot.garments:
                making.source(record.model_copy(update={"recipe": plain}) if record.name == name else record)
                if record.name == name:
                    return making.made[name]
        except NeedleError:
            return None
        return None

    old, new = even(before), even(recipe)
    if old is None or new is None:
        return recipe
    steps = steps_carried(finer.steps, old, new, folder)
    spacing = recipe.spacing.model_copy(update={"finer": finer.model_copy(update={"steps": steps})})
    return recipe.model_copy(update={"spacing": spacing})


def plan_of(
    shot: ShotFile, cast: Iterable[CastMember], garments: Iterable[Garment], winds: Iterable[Wind]
) -> ShotPlan:
    """A shot's plan over what was read of its files. `ShotError` for keys that no run can follow."""
    return ShotPlan(
        name=shot.name,
        frame_rate=shot.frame_rate,
        frames=shot.frames,
        run_in=RunIn(shot.run_in.settle, shot.run_in.move),
        cast=tuple(cast),
        garments=tuple(garments),
        gravity=np.array(shot.forces.gravity),
        air_drag=shot.forces.air_drag,
        air_density=shot.forces.air_density,
        winds=tuple(winds),
        time_stretch=_within(curve_of(shot.time_stretch), "time_stretch", 0.05, 50.0),
        together=shot.together,
        least_substeps=_within(curve_of(shot.least_substeps), "least_substeps", 1.0, 32.0),
        patience=ALL[shot.patience],
    )


def _cast(shot: ShotFile, folder: Path) -> Iterator[AssembledMember]:
    for _, member in assemble_cast(shot.cast, folder, shot.frame_rate, shot.frames):
        if isinstance(member, NeedleError):
            raise member
        yield member


def named_files(shot: ShotFile, folder: Path) -> list[Path]:
    """Every geometry file the shot refers to, each once; numbered ones with those that belong to them."""
    paths = [folder / name for name in shot.files()]
    numbered = {folder / c.cache for c in shot.cast if c.cache is not None and c.cache.endswith(".obj")}
    every = [each for path in paths for each in (obj.siblings(path) if path in numbered else [path])]
    return list(dict.fromkeys(every))


def _within(curve: Curve, name: str, low: float, high: float) -> Curve:
    if curve.values.min() < low or curve.values.max() > high:
        raise ShotError(
            f"{name} goes from {curve.values.min():g} to {curve.values.max():g}",
            remedy=f"Keep it between {low:g} and {high:g}",
        )
    return curve


def wind_of(record: WindRecord) -> Wind:
    """A wind; `ShotError` when it cannot blow so."""
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


def fabric_of(record: GarmentRecord, shot: ShotFile) -> Fabric:
    """What a garment is made of; `ShotError` when the swatch book has no such fabric."""
    fabrics = fabrics_of(shot)
    if record.fabric not in fabrics:
        raise ShotError(
            f"garment '{record.name}' is made of '{record.fabric}', which is not in the swatch book",
            remedy=f"It has {', '.join(fabrics) or 'nothing'}",
        )
    return fabrics[record.fabric]


def assemble_garment(record: GarmentRecord, making: Making, source: Source | None = None) -> Garment:
    """One garment of a shot, made by its recipe, or of `source`. Garments are assembled in dressing order."""
    shot, folder = making.shot, making.folder
    fabric = fabric_of(record, shot)
    source = source or making.source(record)
    mesh = source.surface
    try:
        keeps = {one.name: kept_of(one) for one in shot.garments}
        holds = tuple(hold_of(hold, record, keeps) for hold in record.holds)
        maps = maps_of(record, folder)
    except NeedleError as error:
        raise error.at(f"garment '{record.name}'") from None
    return Garment(
        record.name, source, fabric, holds, record.rest_angles, maps,
        calm=record.calm, shelter=record.shelter, filling=_filling(record),
        prescription=_prescription(record, mesh, folder, shot.frame_rate),
        motion=_own_motion(record, folder, shot.frame_rate), begins=_begins(record, making, source),
        patches=_patches(record, shot),
    )  # fmt: skip


def _patches(record: GarmentRecord, shot: ShotFile) -> tuple[Patch, ...]:
    """Tiers of a skirt that are of other fabrics."""
    if not isinstance(record.recipe, RingsRecipe):
        return ()
    fabrics, out = fabrics_of(shot), []
    for number, tier in enumerate(record.recipe.tiers, 1):
        if tier.fabric is None or tier.fabric == record.fabric:
            continue
        if tier.fabric not in fabrics:
            raise ShotError(
                f"tier {number} is made of '{tier.fabric}', which is not in the swatch book",
                where=f"garment '{record.name}'", remedy=f"It has {', '.join(fabrics)}",
            )  # fmt: skip
        out.append(Patch(f"tier {number}", fabrics[tier.fabric]))
    return tuple(out)


def file_mesh(recipe: FileRecipe, folder: Path, name: str) -> Mesh:
    """One mesh of a file, placed, with those of its faults put right that the recipe names."""
    figure = read_figure(folder / recipe.file, FigureAsk(recipe.mesh))
    points, unit = figure.mesh.vertices, recipe.unit
    if figure.decimal:
        points, unit = in_metres(points, metres_per(unit, where=f"'{name}'")), "m"
    whole = placement_of(unit, recipe.up, recipe.placed, f"'{name}'")
    return mended(figure.mesh.with_vertices(moved(points, whole)), recipe.mended)


def file_source(recipe: FileRecipe, folder: Path, name: str, cast: Members) -> Source:
    """One mesh of a file, for the garment called `name`; cast: what the map of its spacing may ask."""
    mesh = file_mesh(recipe, folder, name)
    if recipe.sheet:
        mesh, _ = one_sheet(mesh)
    if recipe.spacing is not None:
        mesh = respaced(mesh, _sizes(recipe.spacing, mesh, folder, cast))
    mesh = _let_out(mesh, recipe.let_out, name)
    return FromMesh(mesh, np.array(recipe.warp), laid_flat=recipe.rest == "uvs")


def _sizes(spacing: SpacingRecord, mesh: Mesh, folder: Path, cast: Members) -> Scalars:
    """The edge length (n,) m wanted at each vertex."""
    if spacing.finer is None:
        return np.full(mesh.vertex_count, from_mm(spacing.mm))
    near = MapInputs({name: one.member for name, one in cast.items()}, {})
    return sizes_on(mesh, finer_of(spacing.finer, folder), from_mm(spacing.mm), near)


def _let_out(mesh: Mesh, rings: list[LetOutRecord], name: str) -> Mesh:
    """The mesh with its rings made longer, one after the other."""
    if not rings:
        return mesh
    points = mesh.vertices
    topology = build_topology(triangulated(mesh).triangles, mesh.vertex_count, name=name)
    for ring in rings:
        chosen = np.unique(np.array(ring.vertices, np.int32))
        if chosen[-1] >= mesh.vertex_count or chosen[0] < 0:
            raise ShotError(
                f"a ring that is let out names vertex {chosen[-1]} of {mesh.vertex_count}",
                where=f"garment '{name}'", remedy="Take that ring out, or choose it again",
            )  # fmt: skip
        length = girth_of(points, chosen)
        points = let_out(points, topology, chosen, from_mm(ring.by_mm) / length, from_mm(ring.reach_mm))
    return mesh.with_vertices(points)


def _own_motion(record: GarmentRecord, folder: Path, rate: float) -> Motion | None:
    """The motion of the garment's own file, read as a cast member's is, when a hold follows it."""
    hows = [hold.how for hold in record.holds]
    followed = any(isinstance(how, FollowRecord) and how.to == record.name for how in hows)
    of = record.recipe
    if not followed or not isinstance(of, FileRecipe):
        return None
    as_member = CastRecord(
        name=record.name, kind="prop", file=of.file, unit=of.unit, up=of.up, mesh=of.mesh, placed=of.placed,
        starts_at=of.starts_at, collider=None,
    )  # fmt: skip
    motion = assemble_member(as_member, folder, rate, (0, 0)).member.motion
    return motion if np.isfinite(motion.span()[0]) else None


def _begins(record: GarmentRecord, making: Making, source: Source) -> Points | None:
    """Where a garment starts (n, 3) m: as a cache has it, carried over where that is of another mesh."""
    if record.begins is None:
        return None
    try:
        former = making.made_by(record.begins.recipe, record)
        frames = lasting(read_cache(making.folder / record.begins.cache).frames)
        if len(frames) == 0 or frames.shape[1:] != former.surface.vertices.shape:
            raise ShotError(
                f"its start pose has {frames.shape[1]} points, the mesh it is of {former.surface.vertex_count}",
                remedy="Let it start as made, or take the pose from another take",
            )
        pose = np.asarray(frames[0], np.float64)
        if not np.isfinite(pose).all():
            raise ShotError(
                "its start pose has positions that are not numbers", remedy="Take the pose from another take"
            )
        if former.surface.fingerprint == source.surface.fingerprint:
            return pose
        if isinstance(former, FromPieces) and isinstance(source, FromPieces):
            return source.pose_from(former, pose)
        return Carrying.between(former, source).points(pose)
    except NeedleError as error:
        raise error.at(f"garment '{record.name}', start pose") from None


def _prescription(record: GarmentRecord, mesh: Mesh, folder: Path, rate: float) -> Prescription:
    if record.finished is None:
        return FREE
    try:
        frames = lasting(read_cache(folder / record.finished.cache).frames)
        if frames.shape[1:] != mesh.vertices.shape or len(frames) == 0:
            raise ShotError(
                f"its finished cache has {len(frames)} frames of {frames.shape[1]} points, "
                f"its mesh {mesh.vertex_count} vertices",
                remedy="Simulate it again",
            )
        source = CacheFrames(mesh, rate, record.finished.starts_at, frames, record.finished.cache)
        return Prescription(CachedMotion(mesh.vertices, Window(source), source.first))
    except NeedleError as error:
        raise error.at(f"garment '{record.name}'") from None
