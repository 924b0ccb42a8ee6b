"""Every error a caller can meet, under one root.

    NeedleError
    ├── FileError             a file cannot be read or written as what it claims to be
    ├── MeshError             a mesh cannot be used: faces, vertices, counts
    ├── CastError             a character, prop or set piece does not suit the shot
    ├── ShotError             the shot file says something that cannot be done
    ├── StartError            the garment cannot start where it is
    ├── MaterialError         a fabric's numbers are not physical
    ├── ResumeError           there is nothing to go on from, or it was made from other inputs
    └── SolverError           the engine could not finish a step

Each says what is wrong, where, and what to do about it.
"""

from __future__ import annotations


class NeedleError(Exception):
    """Root of all errors raised on purpose.

    `what` is wrong, `where` (file, place, element) and `remedy` (what the artist can do).
    """

    def __init__(self, what: str, *, where: str = "", remedy: str = "") -> None:
        self.what = what
        self.where = where
        self.remedy = remedy
        super().__init__(self.line())

    def line(self) -> str:
        """One line: where, what, remedy."""
        head = f"{self.where}: {self.what}" if self.where else self.what
        return f"{head}. {self.remedy}" if self.remedy else f"{head}."

    def at(self, where: str) -> NeedleError:
        """The same error with `where` put in front of the place it already names."""
        place = f"{where}, {self.where}" if self.where else where
        return type(self)(self.what, where=place, remedy=self.remedy)


class FileError(NeedleError):
    """A file cannot be read or written as what it claims to be."""


class MeshError(NeedleError):
    """A mesh cannot be used: faces past the vertex list, NaN, counts that differ."""


class CastError(NeedleError):
    """A character, prop or set piece does not suit the shot: units, skin, animation, range."""


class ShotError(NeedleError):
    """The shot file says something that cannot be done."""


class StartError(NeedleError):
    """The garment cannot start where it is."""


class MaterialError(NeedleError):
    """A fabric's numbers are not physical."""


class ResumeError(NeedleError):
    """There is nothing to go on from, or it was made from other inputs."""


class SolverError(NeedleError):
    """The engine could not finish a step."""
