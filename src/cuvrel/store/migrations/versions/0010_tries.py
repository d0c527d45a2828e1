"""Who is at work on a job, and how often it was begun in vain."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    """Nobody is known to be at work on what there is."""
    op.add_column("jobs", sa.Column("worker", sa.Integer))
    for name in ("tries", "reached"):
        op.add_column("jobs", sa.Column(name, sa.Integer, nullable=False, server_default="0"))


def downgrade() -> None:
    """Without them."""
    for name in ("worker", "tries", "reached"):
        op.drop_column("jobs", name)
