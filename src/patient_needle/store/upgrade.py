"""Bringing a database's tables up to date with the SQLAlchemy project's migration tool."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config

from .session import Store

MIGRATIONS = Path(__file__).parent / "migrations"


def upgrade(store: Store) -> None:
    """Run every migration that has not run yet; several processes may call this at once."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with store.engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
