"""Readings tell how a garment is made: kept ones are read anew."""

from __future__ import annotations

from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Forget what was read."""
    op.execute("DELETE FROM readings")


def downgrade() -> None:
    """Nothing to take back."""
