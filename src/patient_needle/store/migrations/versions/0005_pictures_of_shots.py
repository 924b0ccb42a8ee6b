"""A small picture of each shot's stage, shown while the shot is opened."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Apply."""
    op.create_table(
        "pictures",
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.CheckConstraint("octet_length(data) <= 400000", name=op.f("ck_pictures_small")),
        sa.ForeignKeyConstraint(
            ["shot_id"], ["shots.id"], name=op.f("fk_pictures_shot_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("shot_id", name=op.f("pk_pictures")),
    )


def downgrade() -> None:
    """Take back."""
    op.drop_table("pictures")
