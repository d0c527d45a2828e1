"""Blobs that are held although no row names them yet; what a job that found the disk full waits for."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    """Nothing is held beforehand: no process of an earlier release runs on."""
    op.create_table(
        "leases",
        sa.Column("id", sa.BigInteger, sa.Identity(), primary_key=True),
        sa.Column("key", sa.String(40), nullable=False, index=True),
        sa.Column("job", sa.Integer),
        sa.Column("until", sa.TIMESTAMP(timezone=True), nullable=False),
    )
    op.add_column("jobs", sa.Column("free", sa.BigInteger))


def downgrade() -> None:
    """Without them."""
    op.drop_column("jobs", "free")
    op.drop_table("leases")
