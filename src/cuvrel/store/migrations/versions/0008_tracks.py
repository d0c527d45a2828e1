"""What is stored of a track lies in blobs, as a matte's frames do."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    """The column was prepared and never written to."""
    op.drop_column("matte_frames", "data")


def downgrade() -> None:
    """There again, and empty."""
    op.add_column("matte_frames", sa.Column("data", JSONB))
