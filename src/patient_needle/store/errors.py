"""What the store raises beyond the core's own errors.

NeedleError
├── MissingError        there is no such shot, take, file
├── ConflictError       somebody else changed it first
├── FencedError         another worker has taken this over
└── DatabaseAwayError   the database does not answer
"""

from __future__ import annotations

from ..core.model.errors import NeedleError

DISK_FULL = "53100"  # PostgreSQL's code


class MissingError(NeedleError):
    """There is no such shot, take, delivery or file."""


class ConflictError(NeedleError):
    """The thing was changed by somebody else since it was read, or is not in a state that allows this."""


class FencedError(NeedleError):
    """Another worker holds the lease; nothing more may be written under this one."""


class DatabaseAwayError(NeedleError):
    """The database does not answer just now."""
