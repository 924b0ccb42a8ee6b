"""The process that reads a delivery back: an order on standard input, checks on standard output."""

from __future__ import annotations

from . import environment

environment.prepare()

import sys  # noqa: E402

from ..core.model.errors import NeedleError  # noqa: E402
from ..jobs.verify import verify  # noqa: E402


def main() -> int:
    """Exit code 1, and one line on standard error, when the file cannot be read."""
    try:
        verify(sys.stdin, sys.stdout)
    except NeedleError as error:
        sys.stderr.write(error.line() + "\n")
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
