"""The desk's answers: each verb of `asked` is one method, taking the request's fields as its arguments."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING, Any, TypeAlias, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..core.craft.garments.choosing import Outline, chosen_vertices, within_outline
from ..core.craft.garments.health import Finding, findings, inside_finding
from ..core.craft.garments.surface import GarmentSurface
from ..core.craft.holds.dressing import Dressed
from ..core.craft.inspect.checks import check_member, check_sewn, start_notes
from ..core.craft.inspect.hold_report import read_holds
from ..core.craft.inspect.looks import closeness_per_vertex, picked, stretch_per_vertex
from ..core.craft.inspect.offers import Judged
from ..core.craft.inspect.pops import wind_pops
from ..core.craft.inspect.reading import (
    jerk_of,
    lost_said,
    read_garment,
    read_member,
    speeds_of,
    suggested_move,
)
from ..core.craft.inspect.shake import Shaken, shaking
from ..core.craft.maps.drawing import coverage, stroked
from ..core.craft.maps.pictures import picture_of
from ..core.craft.run.start import check_bodies
from ..core.craft.sewing.source import FromPieces
from ..core.geometry.placing import TO_Y_UP
from ..core.model.errors import NeedleError, ShotError
from ..core.model.maps import Stroke
from ..core.model.mesh import Mesh
from ..core.model.units import metres_per
from ..core.solver.outfit import outfit
from ..formats.contents import Contents, Piece, Stated, size_of
from ..formats.files import finite
from ..formats.obj import read_numbered
from ..formats.pc2.layout import write_pc2_bytes
from ..formats.png import write_picture
from ..formats.registry import list_contents, write_model, write_values
from ..formats.shot_file.document import ChoiceRecord, Recipe, StrokeRecord
from ..formats.shot_file.holds import choice_of
from ..formats.shot_file.maps import stroke_of
from ..formats.shot_file.sewing import records_of_pieces
from ..formats.svg import drawing_of, read_drawing
from ..store import blobs, readings, takes
from ..store.session import Store
from ..store.take_frames import take_frames
from .asked import Request
from .judging import garment_offers, judged_member, wearer_of
from .locks import KeyedLocks
from .making import making_read
from .version import read_as
from .wire import Message, Packed

if TYPE_CHECKING:
    from ..formats.shot_file.members import AssembledMember
    from .open_shot import OpenShot
    from .process import OpenShots

T = TypeVar("T")
Asked = tuple[
    int | str, ...
]  # whose work goes on from one request to the next: the shot, its revision, and names
Place: TypeAlias = tuple[float, float, float]
Corner: TypeAlias = tuple[float, float]
AT_ONCE = 16  # frames of positions in a message
KEPT_GOING = 16  # such works kept
MOST_FRAMES = 400  # positions asked for at once
FURTHEST_FRAME = 1_100_000  # on either side of 0
AT_A_TIME = 1.5  # s that a shake test goes on before it says how far it is


@dataclass
class Shaking:
    """A shake test at work: the frames to come, and what there is so far."""

    frames: Iterator[Shaken]
    found: Shaken

    def further(self, seen: int) -> Shaken:
        """Past the `seen` frames and on for AT_A_TIME, or to the end."""
        start = time.monotonic()
        while len(self.found.slip) < self.found.of and (
            len(self.found.slip) <= seen or time.monotonic() - start < AT_A_TIME
        ):
            self.found = next(self.frames)
        return self.found


@dataclass
class Painting:
    """A stroke that is being drawn: the values (n,) before it, how much of it reaches each."""

    before: NDArray[np.float64]
    reach: NDArray[np.float64]

    def further(self, stroke: Stroke, surface: GarmentSurface) -> NDArray[np.float64]:
        """With more hits: the values (n,) that it makes."""
        self.reach = np.maximum(self.reach, coverage(stroke, surface))
        return np.clip(stroked(stroke, self.reach, self.before, surface), 0.0, 1.0)


class Answers:
    """The desk's answers over the open shots of one store."""

    def __init__(self, store: Store, shots: OpenShots) -> None:
        self._store = store
        self._shots = shots
        self._alone = KeyedLocks()
        self._shaking: OrderedDict[Asked, Shaking] = OrderedDict()
        self._painting: OrderedDict[Asked, Painting] = OrderedDict()
        self._health: OrderedDict[Asked, tuple[Finding, ...]] = OrderedDict()

    def answer(self, request: Request) -> Message:
        """The answer to one request; what it asks wrongly is raised."""
        found: Message = getattr(self, request.verb())(**request.fields())
        return _as_promised(request, found)

    def stream(self, request: Request) -> Iterator[Message]:
        """The answers to a request that comes in several messages."""
        found: Iterator[Message] = getattr(self, request.verb())(**request.fields())
        return (_as_promised(request, each) for each in found)

    def hello(self) -> Message:
        """That it is there."""
        return Message({"hello": "desk"})

    def look_into(self, sha: str, name: str) -> Message:
        """What a file that was just brought in holds: its meshes."""
        with self._brought_in(sha, name) as path:
            contents = list_contents(path)
        return Message(_in_short(contents))

    def read_pieces(self, sha: str, name: str, unit: str | None = None) -> Message:
        """The pieces of a drawing that was brought in, as the shot file has them."""
        with self._brought_in(sha, name) as path:
            found = read_drawing(path, unit)
        return Message(
            {
                "pieces": [one.model_dump(mode="json") for one in records_of_pieces(found.pieces, name)],
                "notes": list(found.notes), "asks_unit": found.asks_unit,
                "width": found.size[0], "height": found.size[1],
            }
        )  # fmt: skip

    @contextmanager
    def _brought_in(self, sha: str, name: str) -> Iterator[Path]:
        """A file of the store as one on disk; errors name it as the artist knows it."""
        with TemporaryDirectory(prefix="needle-desk-") as folder:
            path = Path(folder) / name
            with self._store.begin() as session, path.open("wb") as stream:
                stream.writelines(blobs.chunks(session, sha))
            try:
                yield path
            except NeedleError as error:
                raise type(error)(
                    error.what, where=error.where.replace(f"{folder}/", ""), remedy=error.remedy
                ) from None

    def join(self, files: dict[str, str]) -> Message:
        """Numbered OBJ files, SHA-256 by name, as one mesh and a cache beside it."""
        with TemporaryDirectory(prefix="needle-desk-") as folder:
            for name, sha in files.items():
                with self._store.begin() as session:
                    (Path(folder) / name).write_bytes(blobs.get(session, sha))
            joined = read_numbered(Path(folder))
            mesh, cache = joined.mesh, Path(folder) / "joined.pc2"
            frames = (np.ascontiguousarray(frame, "<f4").tobytes() for frame in joined.frames)
            write_pc2_bytes(cache, joined.first, frames)
            name = f"{mesh.name}.pc2"
            with self._store.begin() as session:
                sha = blobs.put_path(session, cache)
                blobs.keep_upload(session, sha, name)
        last = float(joined.first + len(joined.frames) - 1)
        piece = Piece(
            mesh.name, mesh.vertex_count, mesh.face_count, size_of(mesh.vertices), "by points",
            float(joined.first), last,
        )  # fmt: skip
        short = _in_short(Contents(Stated(), (piece,)))
        return Message({**short, "first_file": joined.path.name, "beside": {name: sha}})

    def read(self, shot: int, number: int) -> Message:
        """Every figure of a revision's cast and garments, with faults by name."""
        with self._store.begin() as session:
            known = readings.get(session, shot, number, read_as())
        if known is None:
            with self._alone(("read", shot, number)):
                known = finite(_reading(self._shots.get(shot, number)))
            with self._store.begin() as session:
                readings.keep(session, shot, number, known, read_as())
        return Message(known)

    def mesh(self, shot: int, number: int, name: str) -> Message:
        """Triangles and rest positions of a cast member, and what is left out of it."""
        member = self._shots.get(shot, number).member(name)
        arrays = {
            "triangles": _uint32(member.cut.triangles),
            "rest": _float32(member.motion.rest()),
            "left_out": _uint32(np.flatnonzero(~member.chosen)),
        }
        return Message({}, arrays)

    def garment(self, shot: int, number: int, name: str) -> Message:
        """Triangles, rest positions and border loops of a garment."""
        garment = self._shots.get(shot, number).garment(name)
        loops = garment.loops or [np.zeros(0, np.int32)]
        arrays = {
            "triangles": _uint32(garment.cut.triangles),
            "rest": _float32(garment.garment.mesh.vertices),
            "loops": _uint32(np.concatenate(loops)),
            "loop_sizes": _uint32(np.array([len(loop) for loop in garment.loops])),
        }
        return Message({}, arrays)

    def remade(self, shot: int, number: int, name: str, recipe: Recipe) -> Message:
        """A shot's garments once one of them is made by another recipe, and what is lost by it."""
        found = self._shots.remade(shot, number, name, recipe)
        garments = [one.model_dump(mode="json") for one in found.garments]
        return Message({"garments": garments, "lost": list(dict.fromkeys(found.lost))})

    def health(self, shot: int, number: int, name: str) -> Message:
        """What is wrong with the mesh of a garment's file, and the triangles to light, one after the other."""
        found = self._findings(shot, number, name)
        said = [
            {"kind": one.kind, "said": one.said, "count": one.count, "mends": one.mends, "lit": len(one.places)}
            for one in found
        ]
        places = np.concatenate([one.places for one in found]) if found else np.zeros((0, 3, 3))
        return Message({"findings": said}, {"places": _float32(places)})

    def _findings(self, shot: int, number: int, name: str) -> tuple[Finding, ...]:
        """What is wrong with a garment's mesh, looked for once: words and places are asked for apart."""
        asked = (shot, number, name)
        with self._alone(("health", *asked)):
            if asked not in self._health:
                mesh = self._shots.file_mesh(shot, number, name)
                found: tuple[Finding, ...] = ()
                if mesh is not None:
                    opened = self._shots.get(shot, number)
                    colliders = opened.colliders.at_work(opened.plan.first_simulated)
                    within = inside_finding(mesh, colliders.rest_points(), colliders.enclosing)
                    found = findings(mesh) if within is None else (*findings(mesh), within)
                self._keep(self._health, asked, found)
            return self._health[asked]

    def self_cuts(self, shot: int, number: int, name: str) -> Message:
        """Where a cast member cuts into itself, and which triangles at which frame."""
        with self._alone(("self cuts", shot, number, name)):
            found = self._shots.get(shot, number).self_cuts(name)
        cuts = [asdict(cut) for cut in found.cuts]
        return Message({"cuts": cuts, "searched": found.searched}, {"marked": _uint32(found.marked)})

    def deviation(self, shot: int, number: int, name: str) -> Message:
        """How far each vertex of an understudy lies at worst from what it stands in for."""
        read = self._shots.get(shot, number).source(name).against
        if read is None:
            raise ShotError(f"'{name}' has no understudy", remedy="Give it one on the Cast bench")
        return Message({}, {"deviation": _float32(read.deviation)})

    def positions(self, shot: int, number: int, name: str, first: int, last: int) -> Iterator[Message]:
        """A cast member over frames first to last, a few frames a message; the first says the shape of all."""
        if not 0 <= last - first < MOST_FRAMES or max(-first, last) > FURTHEST_FRAME:
            raise ShotError(
                f"frames {first} to {last} were asked for", remedy=f"Ask for 1 to {MOST_FRAMES} frames"
            )
        opened = self._shots.get(shot, number)
        shape = (last - first + 1, opened.member(name).mesh.vertex_count, 3)
        for start in range(first, last + 1, AT_ONCE):
            points = opened.positions(name, start, min(start + AT_ONCE - 1, last))
            yield Message({"shape": shape}, {"positions": _float32(points)})

    def pick(self, shot: int, number: int, garment: str, origin: Place, direction: Place) -> Message:
        """Where a ray meets a garment as it was made, and the border nearest to that place."""
        piece = self._shots.get(shot, number).garment(garment)
        points = piece.garment.mesh.vertices
        hit = picked(points, piece.cut.triangles, np.array(origin, float), np.array(direction, float))
        if hit is None:
            return Message({"hit": None})
        triangle, barycentric, _ = hit
        place = barycentric @ points[piece.cut.triangles[triangle]]
        nearest = [float(np.linalg.norm(points[loop] - place, axis=1).min()) for loop in piece.loops]
        border = int(np.argmin(nearest)) if nearest else None
        return Message(
            {
                "hit": {
                    "place": [float(v) for v in place],
                    "triangle": triangle,
                    "border": border,
                    "away": None if border is None else nearest[border],
                }
            }
        )

    def chosen(self, shot: int, number: int, garment: str, choose: ChoiceRecord) -> Message:
        """The vertices that a hold would take."""
        opened = self._shots.get(shot, number)
        piece = opened.garment(garment)
        choice = choice_of(choose, opened.kept(garment))
        vertices = chosen_vertices(piece.garment.mesh, piece.topology, piece.cut.source_face, choice)
        return Message({}, {"vertices": _uint32(vertices)})

    def outlined(
        self, shot: int, number: int, garment: str, corners: list[Corner], projection: list[float],
        eye: Place, facing: bool,
    ) -> Message:  # fmt: skip
        """The vertices that somebody drew around; projection by columns."""
        piece = self._shots.get(shot, number).garment(garment)
        drawn = Outline(
            np.array(corners, float), np.array(projection, float).reshape(4, 4).T, np.array(eye, float), facing
        )
        vertices = within_outline(piece.garment.mesh.vertices, piece.cut.triangles, drawn)
        return Message({}, {"vertices": _uint32(vertices)})

    def faces_outlined(
        self, shot: int, number: int, name: str, frame: int, corners: list[Corner],
        projection: list[float], eye: Place, facing: bool,
    ) -> Message:  # fmt: skip
        """The faces of a cast member, as it stands at a frame, that somebody drew around whole."""
        opened = self._shots.get(shot, number)
        cut = opened.source(name).member.cut
        points = opened.source_positions(name, frame)
        drawn = Outline(
            np.array(corners, float), np.array(projection, float).reshape(4, 4).T, np.array(eye, float), facing
        )
        inside = np.isin(cut.triangles, within_outline(points, cut.triangles, drawn)).all(axis=1)
        return Message({}, {"faces": _uint32(np.unique(cut.source_face[inside]))})

    def hold_marks(self, shot: int, number: int, garment: str, hold: str) -> Message:
        """Where a hold takes hold, at the start of the run."""
        marks = self._shots.get(shot, number).hold_marks(garment, hold)
        rows = np.stack([marks.vertices, marks.holding], axis=1)
        return Message(
            {},
            {"vertices": _uint32(rows), "grips": _float32(marks.grips), "links": _float32(marks.links)},
        )

    def shake(self, shot: int, number: int, garment: str, hold: str, seen: int, page: str) -> Message:
        """The shake test of one hold, some seconds' work further than the `seen` frames; 0 begins anew. Each
        page has a test of its own.
        """
        asked = (shot, number, garment, hold, page)
        with self._alone(asked):
            going = self._shaking.pop(asked, None)  # one that fails is not gone on with
            if seen == 0 or going is None:
                opened = self._shots.get(shot, number)
                frames = shaking(opened.plan, opened.garment(garment).garment, hold)
                going = Shaking(frames, next(frames))
            found = going.further(seen)
            self._keep(self._shaking, asked, going)
        slip = [float(value) for value in found.slip]
        body = {"worst": found.worst, "of": found.of, "part": found.part, "held": found.held}
        return Message({**body, "crossed": found.crossed, "slip": slip})

    def map_values(self, shot: int, number: int, garment: str, name: str, less: str | None = None) -> Message:
        """A map's value at every vertex of a garment; less another map's, from -1 to 1."""
        opened = self._shots.get(shot, number)
        values = opened.map_values(garment, name)
        if less is not None:
            values = values - opened.map_values(garment, less)
        return Message({}, {"values": _float32(values)})

    def map_file(self, shot: int, number: int, garment: str, name: str, ending: str, side: int) -> Message:
        """A map as a file: a grey picture over the UVs, (side, side), or a mesh with its values."""
        opened = self._shots.get(shot, number)
        values, surface = opened.map_values(garment, name), opened.surface(garment)
        with TemporaryDirectory(prefix="needle-desk-") as folder:
            path = Path(folder) / f"map{ending}"
            if ending == ".png":
                write_picture(path, picture_of(values, surface, side))
            else:
                write_values(path, surface.mesh, name, values)
            data = path.read_bytes()
        return Message({}, {"file": Packed("uint8", (len(data),), data)})

    def pieces_file(self, shot: int, number: int, name: str) -> Message:
        """The pieces of a sewn garment as a drawing. `ShotError` for a garment of another kind."""
        opened = self._shots.get(shot, number)
        source = opened.garment(name).garment.source
        if not isinstance(source, FromPieces):
            raise ShotError(
                "it is not cut in pieces", where=f"garment '{name}'",
                remedy="Make one of pieces on the Wardrobe bench",
            )  # fmt: skip
        data = drawing_of(source.pattern)
        return Message({}, {"file": Packed("uint8", (len(data),), data)})

    def rest_file(self, shot: int, number: int, name: str, ending: str, unit: str, up: str) -> Message:
        """A cast member in its rest pose as a file for somebody else."""
        member = self._shots.get(shot, number).member(name)
        mesh = replace(member.mesh.with_vertices(member.motion.rest()), name=name)
        return _as_file(mesh, ending, unit, up)

    def fitted_file(
        self, shot: int, number: int, fitting: str, garment: str, ending: str, unit: str, up: str
    ) -> Message:
        """A garment as a kept fitting has it, as a file."""
        return _as_file(self._shots.fitted(shot, number, fitting, garment), ending, unit, up)

    def paint(
        self, shot: int, number: int, garment: str, name: str, stroke: StrokeRecord, going: str
    ) -> Message:
        """The map's values with a stroke that is still being drawn; `going` names it, and `stroke` has the hits
        that are new.
        """
        made = stroke_of(stroke)
        opened = self._shots.get(shot, number)
        surface = opened.surface(garment)
        asked = (shot, number, garment, name, going)
        with self._alone(asked):
            painting = self._painting.pop(asked, None)
            if painting is None:
                values = opened.map_values(garment, name)
                painting = Painting(values, np.zeros(len(values)))
            values = painting.further(made, surface)
            self._keep(self._painting, asked, painting)
        return Message({}, {"values": _float32(values)})

    def _keep(self, table: OrderedDict[Asked, T], asked: Asked, state: T) -> None:
        """Keep what goes on with the next request, of the latest few who ask."""
        with self._alone("keep"):
            table[asked] = state
            while len(table) > KEPT_GOING:
                table.popitem(last=False)

    def look(self, take: int, garment: str, frame: int, kind: str) -> Message:
        """A value per vertex of a take's frame: stretch (1) or closeness (m)."""
        with self._store.begin() as session:
            found = takes.get(session, take)
        opened = self._shots.get(found.shot_id, found.number)
        mesh, rate = opened.garment(garment).garment.mesh, opened.plan.frame_rate
        points = take_frames(self._store, found, garment, mesh, rate, frame, frame).at(frame).astype(float)
        if kind == "stretch":
            piece = opened.garment(garment)
            values = stretch_per_vertex(piece.topology, piece.metric.edge_lengths, points)
        elif kind == "closeness":
            values = closeness_per_vertex(points, opened.colliders.points_at(frame), opened.colliders.triangles)
        else:
            raise ShotError(f"there is no look called '{kind}'", remedy="Use stretch or closeness")
        return Message({}, {"values": _float32(values)})


def _as_promised(request: Request, found: Message) -> Message:
    """The answer, if it has the arrays that its request says it has."""
    if set(found.arrays) != set(request.gives):
        raise TypeError(f"{request.verb()} gives {sorted(found.arrays)}, not {sorted(request.gives)}")
    return found


def _reading(opened: OpenShot) -> dict[str, Any]:
    plan, faults = opened.plan, dict(opened.faults)
    cast, garments, speeds, jerks = {}, {}, [], []
    for name, source in opened.sources.items():
        try:
            speeds.append(speeds_of(plan, source.member))
            jerks.append(jerk_of(plan, source.member))
            cast[name] = _read_cast(opened, name, max(speeds[-1], default=0.0))
            check_member(plan, source.member)
        except NeedleError as error:
            faults[name] = error
    sound = not any(name in faults for name in opened.sources)
    inner: tuple[Dressed, ...] = ()
    at_start = opened.colliders.at_work(plan.first_simulated)
    wearer = wearer_of(opened)
    for name, piece in opened.garments.items():
        try:
            metric = piece.metric
        except NeedleError as error:
            faults[name] = error
            continue
        offers = garment_offers(opened, name, wearer)
        garments[name] = asdict(
            read_garment(piece.garment, metric, piece.topology, piece.loops, opened.colliders, offers)
        )
        garments[name]["holds"], garments[name]["notes"] = [], []
        garments[name]["making"] = making_read(opened, name)
        try:
            check_sewn(piece.garment)
            dressed = opened.dressed(name)
            holds = read_holds(dressed, opened.seams(name), plan.frame_rate, plan.first_simulated)
            garments[name]["holds"] = [asdict(hold) for hold in holds]
            if sound:
                worn = (*inner, dressed)
                start = np.concatenate([one.start(plan.first_simulated) for one in worn])
                cloths = outfit(tuple(one.cloth for one in worn))
                around = opened.colliders.rest_points()
                check_bodies(cloths, start, at_start, around, easing=plan.run_in.length > 0)
                garments[name]["notes"] = list(start_notes(cloths, start, at_start, around))
                inner = tuple(one for one in worn if plan.together or one.prescription.is_all)
        except NeedleError as error:
            faults.setdefault(name, error)  # what was wrong when it was read comes first
    return {
        "cast": cast,
        "garments": garments,
        "winds": {wind.name: [asdict(pop) for pop in wind_pops(wind, plan)] for wind in plan.winds},
        "faults": {name: {"what": e.what, "where": e.where, "remedy": e.remedy} for name, e in faults.items()},
        "pulse": {
            "first": plan.first_simulated,
            "suggested_move": suggested_move(plan),
            "body_speed": [max(each) for each in zip(*speeds, strict=True)],
            "jerks": [asdict(jerk) for jerk in jerks if jerk is not None],
        },
    }


def _read_cast(opened: OpenShot, name: str, fastest: float) -> dict[str, Any]:
    """A cast member's figures, and what looks wrong about it."""
    plan, source = opened.plan, opened.sources[name]
    judged = judged_member(opened, name, fastest)
    notes = (*source.notes, *judged.notes, *lost_said(source.member, plan.frames[0]))
    read = asdict(read_member(plan, source.member, [fastest], judged, source.shapes, notes))
    return {**read, "judged": _plain(judged), "understudy": _of_understudy(source)}


def _of_understudy(source: AssembledMember) -> dict[str, Any] | None:
    if source.against is None:
        return None
    return {key: value for key, value in asdict(source.against).items() if key != "deviation"}


def _plain(judged: Judged) -> dict[str, Any]:
    """A judgement as JSON."""
    return {
        "offers": [asdict(offer) for offer in judged.offers],
        "faces": judged.faces,
        "before": judged.before.round(4).tolist(),
        "after": judged.after.round(4).tolist(),
    }


def _in_short(contents: Contents) -> dict[str, Any]:
    said = asdict(contents)
    return {**said, "meshes": said.pop("pieces")}


def _float32(values: NDArray[Any]) -> Packed:
    return Packed("float32", values.shape, np.ascontiguousarray(values, "<f4").tobytes())


def _uint32(values: NDArray[Any]) -> Packed:
    return Packed("uint32", values.shape, np.ascontiguousarray(values, "<u4").tobytes())


def _as_file(mesh: Mesh, ending: str, unit: str, up: str) -> Message:
    """A mesh that stands, as a file for somebody else."""
    metres = metres_per(unit, where=mesh.name)
    with TemporaryDirectory(prefix="needle-desk-") as folder:
        path = Path(folder) / f"mesh{ending}"
        write_model(path, mesh.with_vertices(mesh.vertices @ TO_Y_UP[up] / metres), metres, up)
        data = path.read_bytes()
    return Message({}, {"file": Packed("uint8", (len(data),), data)})
