"""The range of every number of a shot, with its unit: past it lies a slip of the hand, or somebody's attack."""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass
from typing import Annotated, Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, GetCoreSchemaHandler, GetJsonSchemaHandler
from pydantic.functional_validators import AfterValidator
from pydantic_core import PydanticCustomError, core_schema

from ...core.model.curve import Curve

TURNING = "\u200e\u200f\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069"  # of the writing direction
MOST_FRAMES = 5_000  # of a shot: three minutes at 24 a second
MOST_VERTICES = 2_000_000
LARGEST = 2**31 - 1
Text = Annotated[str, Field(max_length=1000)]
FileName = Annotated[str, Field(min_length=1, max_length=1000)]


class Record(BaseModel):
    """A part of the shot file: unknown keys are refused, and what is no finite number."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


@dataclass(frozen=True)
class Within:
    """A number, or every value of a number with keys, lies from low to high, both in, and has a unit."""

    low: float
    high: float
    unit: str = ""

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> Any:
        """How pydantic checks it."""
        return core_schema.no_info_after_validator_function(self._checked, handler(source))

    def __get_pydantic_json_schema__(self, schema: Any, handler: GetJsonSchemaHandler) -> Any:
        """How the JSON Schema says it."""
        said = handler(schema)
        if "anyOf" in said:
            return said | {"x-range": [self.low, self.high], "x-unit": self.unit}
        return said | {"minimum": self.low, "maximum": self.high, "x-unit": self.unit}

    def _checked(self, value: Any) -> Any:
        for one in value.values if isinstance(value, KeysRecord) else (value,):
            if not self.low <= one <= self.high:
                raise PydanticCustomError(
                    "out_of_range", "it must lie from {low} to {high}{unit}",
                    {
                        "low": _said(self.low), "high": _said(self.high),
                        "unit": f" {self.unit}" if self.unit else "",
                    },
                )  # fmt: skip
        return value


def _said(number: float) -> str:
    return f"{int(number):,}" if float(number).is_integer() else f"{number:g}"


@dataclass(frozen=True)
class Many:
    """A list of `least` to `most`; the first item that is wrong is told, and no more are looked at."""

    most: int
    least: int = 0

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> Any:
        """How pydantic checks it."""
        return {**handler(source), "min_length": self.least, "max_length": self.most, "fail_fast": True}


def _named(name: str) -> str:
    """A name that can be read, spoken of, and is no path."""
    kinds = {unicodedata.category(sign)[0] for sign in name}
    unseen = any(unicodedata.category(sign) == "Cc" or sign in TURNING for sign in name)
    if not kinds & {"L", "N", "S"} or unseen or set(name) & {"/", "\\"}:
        raise PydanticCustomError(
            "not_a_name", "a name needs a letter or a figure, and has no slash and no control character"
        )
    return name


Name = Annotated[str, Field(min_length=1, max_length=80), AfterValidator(_named)]
Frame = Annotated[int, Within(-1_000_000, 1_000_000, "frames")]
Rate = Annotated[float, Within(0.1, 1000, "frames a second")]
Metres = Annotated[float, Within(-1e6, 1e6, "m")]
Share = Annotated[float, Within(0, 1)]
Vertex = Annotated[int, Within(-LARGEST, LARGEST)]
Place = tuple[Metres, Metres, Metres]
Component = Annotated[float, Within(-1e6, 1e6)]
Direction = tuple[Component, Component, Component]
FrameTime = Annotated[float, Within(-1_000_000, 1_000_000, "frames")]
KeyedValue = Annotated[float, Within(-1e12, 1e12)]


class KeysRecord(Record):
    """A value with keys: frames rising, one value each, smooth and monotone between."""

    frames: Annotated[list[FrameTime], Many(10_000, 1)]
    values: Annotated[list[KeyedValue], Many(10_000, 1)]


Keyed = float | KeysRecord


def _span_of_frames(frames: tuple[int, int]) -> tuple[int, int]:
    """First and last frame, if they are not too many."""
    if frames[1] - frames[0] >= MOST_FRAMES:
        raise PydanticCustomError(
            "too_many_frames", "frames {first} to {last} are {count}, more than {most}",
            {"first": frames[0], "last": frames[1], "count": f"{frames[1] - frames[0] + 1:,}",
             "most": f"{MOST_FRAMES:,}"},
        )  # fmt: skip
    return frames


Frames = Annotated[tuple[Frame, Frame], AfterValidator(_span_of_frames)]


def curve_of(keyed: float | KeysRecord, scale: float = 1.0) -> Curve:
    """A constant or keys, times `scale`."""
    if isinstance(keyed, KeysRecord):
        return Curve(np.array(keyed.frames, float), np.array(keyed.values, float) * scale)
    return Curve.constant(keyed * scale)


def switch_of(keyed: float | KeysRecord) -> Curve | None:
    """1 or 0 over frames; None when it is always on."""
    return None if keyed == 1.0 else curve_of(keyed)
