"""What a page may ask of a fitting: one JSON object a command, checked before anything is done."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, TypeAdapter, ValidationError

from ..core.model.errors import NeedleError

VERSION = 1
LONGEST = 64 * 1024  # bytes of one command
Metres = Annotated[FiniteFloat, Field(ge=-1000, le=1000)]
Place = tuple[Metres, Metres, Metres]
Vertex = Annotated[int, Field(ge=0, lt=1 << 24)]
Corners = tuple[Vertex, Vertex, Vertex]
Share = Annotated[FiniteFloat, Field(ge=-0.01, le=1.01)]
Weights = tuple[Share, Share, Share]
Name = Annotated[str, Field(min_length=1, max_length=80)]
Reach = Annotated[FiniteFloat, Field(ge=5, le=1000)]


class BadCommandError(NeedleError):
    """A command that nobody can carry out."""


class Command(BaseModel):
    """A command; anything that is not named here is refused."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Spot(Command):
    """A place on a garment: the corners of a triangle as its vertices are numbered, and barycentric weights."""

    corners: Corners
    weights: Weights


class Open(Command):
    """Begin the fitting of a revision, or go on with it. page: which window asks, so that it is not in its own
    way; fitting: the kept one to begin from; over: whether another window's may be taken over; anew: whether
    what was left there is given up; carry: whether cloth goes on as it hangs where the shot has changed since;
    sew: the garment of pieces to be sewn over what is on.
    """

    do: Literal["open"]
    version: int = VERSION
    shot: Annotated[int, Field(ge=1, lt=1 << 31)]
    revision: Annotated[int, Field(ge=1, lt=1 << 31)]
    page: Annotated[str, Field(max_length=80)] = ""
    fitting: Name | None = None
    over: bool = False
    anew: bool = False
    carry: bool = False
    sew: Name | None = None


class Give(Command):
    """Give the fitting of a shot as it is, to be kept: asked by the workroom, not by a page."""

    do: Literal["give"]
    shot: Annotated[int, Field(ge=1, lt=1 << 31)]


class Fall(Command):
    """Let it move."""

    do: Literal["fall"]


class Hold(Command):
    """Hold it still."""

    do: Literal["hold"]


class One(Command):
    """One step."""

    do: Literal["one step"]


class Pace(Command):
    """At most so many steps in a second."""

    do: Literal["pace"]
    steps: Annotated[FiniteFloat, Field(ge=0.5, le=48)]


class Rest(Command):
    """Go on until it is within so many mm of rest, or for so many seconds of cloth time. keep: the name to keep
    it under then; with one it goes on when the page is closed.
    """

    do: Literal["to rest"]
    until_mm: Annotated[FiniteFloat, Field(ge=0.01, le=100)] = 0.2
    seconds: Annotated[FiniteFloat, Field(ge=0.1, le=600)] = 60.0
    keep: Name | None = None


class Enough(Command):
    """Keep what is being sewn as it hangs, though it still falls."""

    do: Literal["enough"]


class GiveUp(Command):
    """Give a sewing up: nothing of it is kept."""

    do: Literal["give up"]


class Take(Spot):
    """Take hold of cloth. hem: the whole border that is nearest."""

    do: Literal["pull"]
    garment: Name
    reach_mm: Reach = 60.0
    mirrored: bool = False
    hem: bool = False


class Draw(Command):
    """Draw what is held to a place, m."""

    do: Literal["draw"]
    to: Place


class ReachOut(Command):
    """Another reach for what is held."""

    do: Literal["reach"]
    reach_mm: Reach


class LetGo(Command):
    """Let go."""

    do: Literal["let go"]


class PinDown(Command):
    """Turn what is held into a pin."""

    do: Literal["pin"]
    on: Literal["body", "space"] = "space"


class MovePin(Command):
    """Put a pin elsewhere, m."""

    do: Literal["move pin"]
    number: Annotated[int, Field(ge=1, lt=1 << 31)]
    to: Place


class FreePin(Command):
    """Take a pin out; all without a number."""

    do: Literal["free pin"]
    number: Annotated[int, Field(ge=1, lt=1 << 31)] | None = None


class Park(Command):
    """Set cloth aside, or take it up again. bits: one for each vertex, the first in the highest bit of the
    first byte, as base64; all of the garment without.
    """

    do: Literal["park"]
    garment: Name
    bits: Annotated[str, Field(max_length=60_000)] | None = None
    parked: bool = True


class Walk(Command):
    """Take the figure to a frame."""

    do: Literal["walk"]
    to: Annotated[FiniteFloat, Field(ge=-1e6, le=1e6)]


class Stand(Command):
    """Let it stand where it is."""

    do: Literal["stand"]


class Piece(Command):
    """Bring a prop or set piece in, or take it away."""

    do: Literal["piece"]
    name: Name
    comes: bool


class Clearance(Command):
    """Keep cloth so many mm off a member, everywhere or around places, m; the shot's own without a number."""

    do: Literal["clearance"]
    member: Name
    mm: Annotated[FiniteFloat, Field(ge=0, le=200)] | None
    places: Annotated[list[Place], Field(max_length=500)] | None = None
    radius_mm: Annotated[FiniteFloat, Field(ge=1, le=1000)] = 40.0


class Friction(Command):
    """Another friction coefficient of a member."""

    do: Literal["friction"]
    member: Name
    value: Annotated[FiniteFloat, Field(ge=0, le=5)]


class Smooth(Command):
    """Relax cloth under a brush at places, until the brush is lifted."""

    do: Literal["smooth"]
    garment: Name
    spots: Annotated[list[Spot], Field(min_length=1, max_length=200)]
    radius_mm: Annotated[FiniteFloat, Field(ge=5, le=500)] = 50.0


class Smoothed(Command):
    """The brush is lifted."""

    do: Literal["smoothed"]


class Weight(Command):
    """Let the cloth weigh a share of what it does."""

    do: Literal["weight"]
    share: Annotated[FiniteFloat, Field(ge=0, le=1)]


class Back(Command):
    """Back to before the last thing that was done."""

    do: Literal["back"]


AnyCommand = Annotated[
    Open
    | Give
    | Enough
    | GiveUp
    | Fall
    | Hold
    | One
    | Pace
    | Rest
    | Take
    | Draw
    | ReachOut
    | LetGo
    | PinDown
    | MovePin
    | FreePin
    | Park
    | Walk
    | Stand
    | Piece
    | Clearance
    | Friction
    | Smooth
    | Smoothed
    | Weight
    | Back,
    Field(discriminator="do"),
]
_ADAPTER: TypeAdapter[Command] = TypeAdapter(AnyCommand)


def command_of(data: bytes) -> Command:
    """The command that was sent; `BadCommandError` says what is wrong with it."""
    if len(data) > LONGEST:
        raise BadCommandError(
            f"a command has {len(data)} bytes, more than {LONGEST}", remedy="Send it in pieces"
        )
    try:
        found = _ADAPTER.validate_json(data)
    except (ValidationError, RecursionError) as error:
        what, where, remedy = _fault(error)
        raise BadCommandError(what, where=where, remedy=remedy) from None
    if isinstance(found, Open) and found.version != VERSION:
        raise BadCommandError(
            f"the page speaks version {found.version} of the fitting's language, this is {VERSION}",
            remedy="Load the page again",
        )
    return found


def _fault(error: ValidationError | RecursionError) -> tuple[str, str, str]:
    if isinstance(error, RecursionError):
        return "a command is nested too deeply", "", "Send what the documentation describes"
    first = error.errors(include_url=False, include_context=False, include_input=False)[0]
    at = ".".join(str(part) for part in first["loc"] if not isinstance(part, str) or len(part) < 40)
    return (
        f"a command is not understood: {first['msg']}"[:200],
        at[:80],
        "Send what the documentation describes",
    )
