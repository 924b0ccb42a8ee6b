"""Readings judge costumes, caches and girths: those kept before are made anew when they are asked for."""

from __future__ import annotations

from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Apply."""
    op.execute("DELETE FROM readings")


def downgrade() -> None:
    """Take back: a reading says more than it did, which does no harm."""
