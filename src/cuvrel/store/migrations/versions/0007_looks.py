"""Looks."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    """There are none yet."""
    op.create_table(
        "looks",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("created", sa.TIMESTAMP(timezone=True), nullable=False),
    )


def downgrade() -> None:
    """Saved looks are lost."""
    op.drop_table("looks")
