"""The first tables"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Apply."""
    op.create_table(
        "blobs",
        sa.Column("sha", sa.String(length=64), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.PrimaryKeyConstraint("sha", name=op.f("pk_blobs")),
    )
    op.create_table(
        "events",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("body", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_events")),
    )
    op.create_index(op.f("ix_events_made_at"), "events", ["made_at"], unique=False)
    op.create_table(
        "shots",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("head", sa.Integer(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_shots")),
    )
    op.create_table(
        "blob_chunks",
        sa.Column("sha", sa.String(length=64), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["sha"], ["blobs.sha"], name=op.f("fk_blob_chunks_sha"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("sha", "number", name=op.f("pk_blob_chunks")),
    )
    op.create_table(
        "revisions",
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("before", sa.Integer(), nullable=True),
        sa.Column("said", sa.String(length=200), nullable=False),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.CheckConstraint("before < number", name=op.f("ck_revisions_after_the_one_before")),
        sa.ForeignKeyConstraint(
            ["shot_id", "before"],
            ["revisions.shot_id", "revisions.number"],
            name=op.f("fk_revisions_shot_id_before"),
        ),
        sa.ForeignKeyConstraint(
            ["shot_id"], ["shots.id"], name=op.f("fk_revisions_shot_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("shot_id", "number", name=op.f("pk_revisions")),
    )
    op.create_table(
        "uploads",
        sa.Column("sha", sa.String(length=64), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["sha"], ["blobs.sha"], name=op.f("fk_uploads_sha")),
        sa.PrimaryKeyConstraint("sha", "name", name=op.f("pk_uploads")),
    )
    op.create_table(
        "readings",
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("body", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(
            ["shot_id", "number"],
            ["revisions.shot_id", "revisions.number"],
            name=op.f("fk_readings_shot_id_number"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("shot_id", "number", name=op.f("pk_readings")),
    )
    op.create_table(
        "revision_files",
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("sha", sa.String(length=64), nullable=False),
        sa.ForeignKeyConstraint(["sha"], ["blobs.sha"], name=op.f("fk_revision_files_sha")),
        sa.ForeignKeyConstraint(
            ["shot_id", "number"],
            ["revisions.shot_id", "revisions.number"],
            name=op.f("fk_revision_files_shot_id_number"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("shot_id", "number", "name", name=op.f("pk_revision_files")),
    )
    op.create_index(op.f("ix_revision_files_sha"), "revision_files", ["sha"], unique=False)
    op.create_table(
        "takes",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("patience", sa.String(length=16), nullable=False),
        sa.Column("first_simulated", sa.Integer(), nullable=False),
        sa.Column("first", sa.Integer(), nullable=False),
        sa.Column("last", sa.Integer(), nullable=False),
        sa.Column(
            "state",
            sa.Enum(
                "waiting",
                "running",
                "finished",
                "stopped",
                "failed",
                name="takestate",
                native_enum=False,
                create_constraint=True,
                length=16,
            ),
            nullable=False,
        ),
        sa.Column("wanted", sa.String(length=8), nullable=False),
        sa.Column("phase", sa.String(length=60), nullable=False),
        sa.Column("lease", sa.Integer(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("seconds_per_frame", sa.Double(), nullable=True),
        sa.Column("fault", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.Column("made_with", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("seen_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("wanted in ('run', 'stop')", name=op.f("ck_takes_wanted")),
        sa.CheckConstraint("done >= 0 and done <= total", name=op.f("ck_takes_progress")),
        sa.CheckConstraint("first <= last", name=op.f("ck_takes_range")),
        sa.CheckConstraint("first_simulated <= first", name=op.f("ck_takes_run_in")),
        sa.ForeignKeyConstraint(
            ["shot_id", "number"],
            ["revisions.shot_id", "revisions.number"],
            name=op.f("fk_takes_shot_id_number"),
            ondelete="CASCADE",
        ),
        sa.ForeignKeyConstraint(["shot_id"], ["shots.id"], name=op.f("fk_takes_shot_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_takes")),
    )
    op.create_index(op.f("ix_takes_shot_id"), "takes", ["shot_id"], unique=False)
    op.create_table(
        "checkpoints",
        sa.Column("take_id", sa.Integer(), nullable=False),
        sa.Column("garment", sa.String(length=80), nullable=False),
        sa.Column("frame", sa.Integer(), nullable=False),
        sa.Column("data", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(
            ["take_id"], ["takes.id"], name=op.f("fk_checkpoints_take_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("take_id", "garment", "frame", name=op.f("pk_checkpoints")),
    )
    op.create_table(
        "deliveries",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("take_id", sa.Integer(), nullable=False),
        sa.Column("garment", sa.String(length=80), nullable=False),
        sa.Column("asked", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column(
            "state",
            sa.Enum(
                "waiting",
                "writing",
                "ready",
                "refused",
                "failed",
                name="deliverystate",
                native_enum=False,
                create_constraint=True,
                length=16,
            ),
            nullable=False,
        ),
        sa.Column("lease", sa.Integer(), nullable=False),
        sa.Column("checks", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("fault", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.Column("file_name", sa.String(length=160), nullable=False),
        sa.Column("sha", sa.String(length=64), nullable=True),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["sha"], ["blobs.sha"], name=op.f("fk_deliveries_sha")),
        sa.ForeignKeyConstraint(
            ["take_id"], ["takes.id"], name=op.f("fk_deliveries_take_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_deliveries")),
    )
    op.create_index(op.f("ix_deliveries_sha"), "deliveries", ["sha"], unique=False)
    op.create_index(op.f("ix_deliveries_take_id"), "deliveries", ["take_id"], unique=False)
    op.create_table(
        "frames",
        sa.Column("take_id", sa.Integer(), nullable=False),
        sa.Column("garment", sa.String(length=80), nullable=False),
        sa.Column("frame", sa.Integer(), nullable=False),
        sa.Column("sha", sa.String(length=64), nullable=False),
        sa.Column("record", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["sha"], ["blobs.sha"], name=op.f("fk_frames_sha")),
        sa.ForeignKeyConstraint(["take_id"], ["takes.id"], name=op.f("fk_frames_take_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("take_id", "garment", "frame", name=op.f("pk_frames")),
    )
    op.create_index(op.f("ix_frames_sha"), "frames", ["sha"], unique=False)
    # Geometry does not compress: keep it out of line as it is, so that reading a piece is one copy.
    op.execute("alter table blob_chunks alter column data set storage external")
    op.execute("alter table checkpoints alter column data set storage external")
