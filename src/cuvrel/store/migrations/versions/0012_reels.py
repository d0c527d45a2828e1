"""Reels are documents beside shots: edits, changes and versions are a document's."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
OF_DOCUMENTS = ("edits", "changes", "versions")


def upgrade() -> None:
    """What there was is shots."""
    op.add_column("shots", sa.Column("kind", sa.String(8), nullable=False, server_default="shot"))
    for table in OF_DOCUMENTS:
        op.alter_column(table, "shot_id", new_column_name="document_id")


def downgrade() -> None:
    """Without them."""
    for table in OF_DOCUMENTS:
        op.alter_column(table, "document_id", new_column_name="shot_id")
    op.drop_column("shots", "kind")
