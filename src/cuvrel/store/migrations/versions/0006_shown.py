"""The frame that a version's picture is taken of."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    """Versions that were kept before show a frame a third into the shot, as they did."""
    op.add_column("versions", sa.Column("shown", sa.Integer, nullable=True))


def downgrade() -> None:
    """All show a frame a third into the shot."""
    op.drop_column("versions", "shown")
