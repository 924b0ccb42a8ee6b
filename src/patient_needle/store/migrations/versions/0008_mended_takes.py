"""Takes that were brought in or mended, the snags of a take, and remedies."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

JSONB = postgresql.JSONB(astext_type=sa.Text())


def upgrade() -> None:
    """Apply."""
    op.add_column("takes", sa.Column("origin", JSONB, nullable=True))
    op.add_column("takes", sa.Column("mends", sa.Integer(), nullable=True))
    op.create_foreign_key(op.f("fk_takes_mends"), "takes", "takes", ["mends"], ["id"])
    op.create_index(op.f("ix_takes_mends"), "takes", ["mends"])
    op.create_table(
        "snag_lists",
        sa.Column("take_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("lease", sa.Integer(), nullable=False),
        sa.Column("share", sa.Float(), nullable=False),
        sa.Column("snags", JSONB, nullable=False),
        sa.Column("counts", JSONB, nullable=False),
        sa.Column("accepted", JSONB, nullable=False),
        sa.Column("fault", JSONB, nullable=True),
        sa.Column("sha", sa.String(64), nullable=True),
        sa.CheckConstraint(
            "state in ('waiting', 'looking', 'ready', 'failed')", name=op.f("ck_snag_lists_state")
        ),
        sa.ForeignKeyConstraint(
            ["take_id"], ["takes.id"], name=op.f("fk_snag_lists_take_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["sha"], ["blobs.sha"], name=op.f("fk_snag_lists_sha")),
        sa.PrimaryKeyConstraint("take_id", name=op.f("pk_snag_lists")),
    )
    op.create_index(op.f("ix_snag_lists_sha"), "snag_lists", ["sha"])
    op.create_table(
        "remedies",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("take_id", sa.Integer(), nullable=False),
        sa.Column("verb", sa.String(24), nullable=False),
        sa.Column("said", sa.String(200), nullable=False),
        sa.Column("asked", JSONB, nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("is_on", sa.Boolean(), nullable=False),
        sa.Column("lease", sa.Integer(), nullable=False),
        sa.Column("share", sa.Float(), nullable=False),
        sa.Column("proof", JSONB, nullable=True),
        sa.Column("fault", JSONB, nullable=True),
        sa.Column("sha", sa.String(64), nullable=True),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.CheckConstraint(
            "state in ('waiting', 'working', 'kept', 'proposal', 'failed')", name=op.f("ck_remedies_state")
        ),
        sa.ForeignKeyConstraint(
            ["take_id"], ["takes.id"], name=op.f("fk_remedies_take_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["sha"], ["blobs.sha"], name=op.f("fk_remedies_sha")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_remedies")),
    )
    op.create_index(op.f("ix_remedies_take_id"), "remedies", ["take_id"])
    op.create_index(op.f("ix_remedies_sha"), "remedies", ["sha"])


def downgrade() -> None:
    """Take back."""
    op.drop_table("remedies")
    op.drop_table("snag_lists")
    op.drop_index(op.f("ix_takes_mends"), "takes")
    op.drop_constraint(op.f("fk_takes_mends"), "takes", type_="foreignkey")
    op.drop_column("takes", "mends")
    op.drop_column("takes", "origin")
