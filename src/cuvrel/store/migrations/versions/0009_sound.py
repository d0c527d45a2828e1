"""What footage was recorded with, and how somebody likes to export."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    """Footage that is there has no sound until it is looked at again; jobs may be parts of others."""
    op.add_column("footage", sa.Column("sound", JSONB, nullable=False, server_default="{}"))
    op.add_column("jobs", sa.Column("parent_id", sa.Integer, sa.ForeignKey("jobs.id", ondelete="CASCADE")))
    op.create_index("ix_jobs_parent_id", "jobs", ["parent_id"])
    op.create_table(
        "presets",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("settings", JSONB, nullable=False),
        sa.Column("created", sa.TIMESTAMP(timezone=True), nullable=False),
    )


def downgrade() -> None:
    """Without them."""
    op.drop_table("presets")
    op.drop_column("jobs", "parent_id")
    op.drop_column("footage", "sound")
