"""Named versions of shots."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    """No shot has any yet."""
    op.create_table(
        "versions",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("shot_id", sa.Integer, sa.ForeignKey("shots.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("frames", JSONB, nullable=False),
        sa.Column("created", TIMESTAMP(timezone=True), nullable=False),
    )
    op.create_index("ix_versions_shot_id", "versions", ["shot_id"])


def downgrade() -> None:
    """Versions are forgotten."""
    op.drop_table("versions")
