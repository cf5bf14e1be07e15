"""materials, tags, and the Bench's sheets"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    with op.batch_alter_table("recording") as table:
        table.add_column(
            sa.Column("kind", sa.String(16), nullable=False, server_default="recording")
        )
        table.add_column(sa.Column("place", sa.String(), nullable=False, server_default=""))
        table.add_column(sa.Column("tags", sa.JSON(), nullable=False, server_default="[]"))
    op.create_table(
        "sheet",
        sa.Column("recording_id", sa.Integer(), nullable=False),
        sa.Column("steps", sa.JSON(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["recording_id"], ["recording.id"]),
        sa.PrimaryKeyConstraint("recording_id"),
    )
    op.create_table(
        "sheet_revision",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("recording_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=8), nullable=False),
        sa.Column("label", sa.String(length=120), nullable=False),
        sa.Column("before", sa.JSON(), nullable=False),
        sa.Column("after", sa.JSON(), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["recording_id"], ["sheet.recording_id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("recording_id", "number"),
    )
    op.create_index("ix_sheet_revision_recording_id", "sheet_revision", ["recording_id"])
