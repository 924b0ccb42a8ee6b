"""What the desk can be asked: one record a verb, for both sides; `Answers` has the method of the same name.

To add a verb, add its record here and its method there; a test finds the one without the other.
"""

from __future__ import annotations

import re
from typing import Any, ClassVar

from pydantic import BaseModel, ConfigDict, ValidationError

from ..core.model.errors import ShotError
from ..formats.shot_file.document import ChoiceRecord, Recipe, StrokeRecord


class Request(BaseModel):
    """One thing to ask. gives: the arrays that the answer has; streams: whether it comes in several messages;
    safe: whether it may be asked again when the desk goes away before it has answered.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")
    gives: ClassVar[tuple[str, ...]] = ()
    streams: ClassVar[bool] = False
    safe: ClassVar[bool] = False

    @classmethod
    def verb(cls) -> str:
        """The name it goes by on the wire, which is its method's: `LookInto` is `look_into`."""
        return re.sub(r"(?<!^)(?=[A-Z])", "_", cls.__name__).lower()

    def body(self) -> dict[str, Any]:
        """As it goes over the socket."""
        return {"do": self.verb(), **self.model_dump(mode="json")}

    def fields(self) -> dict[str, Any]:
        """Its fields by name, records as records."""
        return {name: getattr(self, name) for name in type(self).model_fields}


class OfShot(Request):
    """About a revision of a shot."""

    shot: int
    number: int


class Hello(Request):
    """Whether the desk is there."""

    safe = True


class LookInto(Request):
    """What a file that was just brought in holds."""

    sha: str
    name: str


class ReadPieces(Request):
    """The pieces of a drawing that was brought in; unit: how long its unit is, for one that does not say."""

    sha: str
    name: str
    unit: str | None = None


class Join(Request):
    """Numbered OBJ files, SHA-256 by name, as one mesh and a cache beside it."""

    files: dict[str, str]


class Read(OfShot):
    """Every figure of a revision's cast and garments, with faults by name."""


class Mesh(OfShot):
    """Triangles and rest positions of a cast member, and what is left out of it."""

    gives = ("triangles", "rest", "left_out")
    name: str


class Garment(OfShot):
    """Triangles, rest positions and border loops of a garment."""

    gives = ("triangles", "rest", "loops", "loop_sizes")
    name: str


class Remade(OfShot):
    """What a shot's garments are like once one of them is made by another recipe, and what is lost by it."""

    name: str
    recipe: Recipe


class Health(OfShot):
    """What is wrong with the mesh of a garment's file, and the triangles to light of one after the other."""

    gives = ("places",)
    name: str


class SelfCuts(OfShot):
    """Where a cast member cuts into itself, and which triangles at which frame."""

    gives = ("marked",)
    name: str


class Deviation(OfShot):
    """How far each vertex of an understudy lies at worst from what it stands in for."""

    gives = ("deviation",)
    name: str


class Positions(OfShot):
    """A cast member over frames first to last, a few frames a message; the first says the shape of all."""

    gives = ("positions",)
    streams = True
    name: str
    first: int
    last: int


class Pick(OfShot):
    """Where a ray meets a garment as it was made, and the border nearest to that place."""

    garment: str
    origin: tuple[float, float, float]
    direction: tuple[float, float, float]


class Chosen(OfShot):
    """The vertices that a hold would take."""

    gives = ("vertices",)
    garment: str
    choose: ChoiceRecord


class DrawnAround(OfShot):
    """About what somebody drew around on the stage; projection (16) by columns, eye in m."""

    corners: list[tuple[float, float]]
    projection: list[float]
    eye: tuple[float, float, float]
    facing: bool


class Outlined(DrawnAround):
    """The vertices that somebody drew around."""

    gives = ("vertices",)
    garment: str


class FacesOutlined(DrawnAround):
    """The faces of a cast member, as it stands at a frame, that somebody drew around whole."""

    gives = ("faces",)
    name: str
    frame: int


class HoldMarks(OfShot):
    """Where a hold takes hold, at the start of the run."""

    gives = ("vertices", "grips", "links")
    garment: str
    hold: str


class Shake(OfShot):
    """The shake test of one hold, further than the frames seen; 0 begins anew. page: whose test it is."""

    garment: str
    hold: str
    seen: int
    page: str


class MapValues(OfShot):
    """A map's value at every vertex of a garment; less another map's, from -1 to 1."""

    gives = ("values",)
    garment: str
    name: str
    less: str | None = None


class MapFile(OfShot):
    """A map as a file: a grey picture over the UVs, (side, side), or a mesh with its values."""

    gives = ("file",)
    garment: str
    name: str
    ending: str
    side: int


class PiecesFile(OfShot):
    """The pieces of a sewn garment as an SVG drawing."""

    gives = ("file",)
    name: str


class RestFile(OfShot):
    """A cast member in its rest pose as a file, in a unit and with an axis up."""

    gives = ("file",)
    name: str
    ending: str
    unit: str
    up: str


class FittedFile(OfShot):
    """A garment as a kept fitting has it, as a file in a unit and with an axis up."""

    gives = ("file",)
    fitting: str
    garment: str
    ending: str
    unit: str
    up: str


class Paint(OfShot):
    """A map with a stroke that is still being drawn; going: its name; stroke: with the hits that are new."""

    gives = ("values",)
    garment: str
    name: str
    stroke: StrokeRecord
    going: str


class Look(Request):
    """A value per vertex of a take's frame: stretch (1) or closeness (m)."""

    gives = ("values",)
    take: int
    garment: str
    frame: int
    kind: str


def _verbs(kind: type[Request]) -> list[type[Request]]:
    """The kinds that are no family of others."""
    families = kind.__subclasses__()
    return [each for family in families for each in _verbs(family)] if families else [kind]


VERBS = {kind.verb(): kind for kind in _verbs(Request)}


def request_of(body: dict[str, Any]) -> Request:
    """A request as it came over the socket; `ShotError` for what is none."""
    fields = {key: value for key, value in body.items() if key != "do"}
    kind = VERBS.get(str(body.get("do")))
    if kind is None:
        raise ShotError(f"the desk does not know '{body.get('do')}'", remedy="Start the workroom again")
    try:
        return kind.model_validate(fields)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"])
        raise ShotError(f"'{place}' of a request is wrong ({first['msg']})", where=kind.verb()) from None
