"""What is told of a job is counted."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    """Nothing was counted before."""
    op.add_column("jobs", sa.Column("told", sa.Integer, nullable=False, server_default="0"))


def downgrade() -> None:
    """Jobs are told uncounted."""
    op.drop_column("jobs", "told")
