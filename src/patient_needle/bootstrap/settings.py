"""Where things are: read from the environment once, handed to every process as one record."""

from __future__ import annotations

import hashlib
import os
import tempfile
from dataclasses import dataclass
from pathlib import Path

from .cluster import FIRST_PORT

ROOT = Path(__file__).resolve().parents[3]


@dataclass(frozen=True)
class Settings:
    """data: folder of the database cluster and of everything kept; database: address, empty for the private
    cluster's own; port: where the workroom is served; static: the built front end; demo: the demo's data;
    passing: folder for local sockets; database_port: the first that the private cluster tries.
    """

    data: Path
    database: str
    port: int
    static: Path
    demo: Path
    passing: Path = Path(tempfile.gettempdir())
    database_port: int = FIRST_PORT

    @property
    def sockets(self) -> Path:
        """A short folder name for local sockets, whose paths may not be long; only we may enter it."""
        name = hashlib.sha256(str(self.data.resolve()).encode()).hexdigest()[:12]
        return self.passing / f"needle-{os.getuid()}-{name}"

    @property
    def desk_socket(self) -> Path:
        """Where the desk process listens."""
        return self.sockets / "desk"

    @property
    def fitting_socket(self) -> Path:
        """Where the process of live fittings listens."""
        return self.sockets / "fitting"

    @property
    def fittings(self) -> Path:
        """Where live fittings are written down once a second."""
        return self.data / "fittings"

    @property
    def key_file(self) -> Path:
        """The secret that the desk asks of whoever calls."""
        return self.data / "desk.key"

    def desk_key(self) -> bytes:
        """The desk's secret, made when there is none yet."""
        if not self.key_file.exists():
            self.data.mkdir(parents=True, exist_ok=True)
            handle = os.open(self.key_file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            with os.fdopen(handle, "wb") as stream:
                stream.write(os.urandom(32))
        return self.key_file.read_bytes()


def settings() -> Settings:
    """From NEEDLE_DATA, NEEDLE_DATABASE, NEEDLE_DATABASE_PORT, NEEDLE_PORT and NEEDLE_SOCKETS."""
    return Settings(
        data=Path(os.environ.get("NEEDLE_DATA") or ROOT / ".data" / "workroom").resolve(),
        database=os.environ.get("NEEDLE_DATABASE", ""),
        port=int(os.environ.get("NEEDLE_PORT") or 8460),
        static=ROOT / "frontend" / "dist",
        demo=ROOT / "demo",
        passing=Path(os.environ.get("NEEDLE_SOCKETS") or tempfile.gettempdir()),
        database_port=int(os.environ.get("NEEDLE_DATABASE_PORT") or FIRST_PORT),
    )


def as_environment(chosen: Settings) -> dict[str, str]:
    """The environment for a child process that shall have these settings."""
    # Compiled modules are kept even where the caller's environment says not to: a start takes seconds then.
    inherited = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
    return {
        **inherited,
        "NEEDLE_DATA": str(chosen.data),
        "NEEDLE_DATABASE": chosen.database,
        "NEEDLE_DATABASE_PORT": str(chosen.database_port),
        "NEEDLE_PORT": str(chosen.port),
        "NEEDLE_SOCKETS": str(chosen.passing),
    }
