"""What touched frames teach following."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Frames that are there have taught nothing yet."""
    op.add_column("matte_frames", sa.Column("lessons", JSONB))


def downgrade() -> None:
    """Following forgets what it was taught."""
    op.drop_column("matte_frames", "lessons")
