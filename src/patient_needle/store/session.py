"""Sessions: one transaction each, committed at the end of the block."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session


class Store:
    """The way to one database. `url` like postgresql+psycopg://user@host:port/name."""

    def __init__(self, url: str, *, pool_size: int = 5) -> None:
        self.url = url
        self.engine: Engine = create_engine(
            url, pool_size=pool_size, max_overflow=pool_size, pool_pre_ping=True, pool_timeout=10,
            connect_args={"connect_timeout": 5},
        )  # fmt: skip

    @contextmanager
    def begin(self) -> Iterator[Session]:
        """A session whose transaction commits when the block ends without error."""
        with Session(self.engine, expire_on_commit=False) as session, session.begin():
            yield session

    @property
    def plain_url(self) -> str:
        """The same address as libpq reads it."""
        return self.url.replace("postgresql+psycopg://", "postgresql://", 1)

    def close(self) -> None:
        """Give back every connection."""
        self.engine.dispose()
