"""The first tables, and the task queue's own."""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP

revision = "0001"
down_revision = None

WHEN = TIMESTAMP(timezone=True)


def _key(table: str, *, null: bool = False, primary: bool = False) -> sa.Column[int]:
    return sa.Column(
        f"{table.removesuffix('s') if table != 'footage' else table}_id", sa.Integer,
        sa.ForeignKey(f"{table}.id", ondelete="CASCADE"), nullable=null, primary_key=primary,
    )  # fmt: skip


def upgrade() -> None:
    """Creates everything."""
    op.create_table(
        "projects",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("created", WHEN, nullable=False),
        sa.Column("updated", WHEN, nullable=False),
    )
    op.create_table(
        "footage",
        sa.Column("id", sa.Integer, primary_key=True),
        _key("projects"),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("message", sa.String, nullable=False),
        sa.Column("blob", sa.String(40), nullable=False),
        sa.Column("size", sa.BigInteger, nullable=False),
        sa.Column("info", JSONB, nullable=False),
        sa.Column("proxy", JSONB, nullable=False),
        sa.Column("film", JSONB, nullable=False),
        sa.Column("created", WHEN, nullable=False),
    )
    op.create_index("ix_footage_project_id", "footage", ["project_id"])
    op.create_table(
        "shots",
        sa.Column("id", sa.Integer, primary_key=True),
        _key("projects"),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("cursor", sa.Integer, nullable=False),
        sa.Column("updated", WHEN, nullable=False),
    )
    op.create_index("ix_shots_project_id", "shots", ["project_id"])
    op.create_table(
        "edits",
        _key("shots", primary=True),
        sa.Column("seq", sa.Integer, primary_key=True),
        sa.Column("label", sa.String(200), nullable=False),
        sa.Column("gesture", sa.String(40)),
        sa.Column("ops", JSONB, nullable=False),
        sa.Column("inverse", JSONB, nullable=False),
        sa.Column("at", WHEN, nullable=False),
    )
    op.create_table(
        "changes",
        _key("shots", primary=True),
        sa.Column("revision", sa.Integer, primary_key=True),
        sa.Column("ops", JSONB, nullable=False),
    )
    op.create_table(
        "matte_frames",
        _key("shots", primary=True),
        sa.Column("pull_id", sa.String(40), primary_key=True),
        sa.Column("frame", sa.Integer, primary_key=True),
        sa.Column("origin", sa.String(16), nullable=False),
        sa.Column("doubt", sa.Float, nullable=False),
        sa.Column("blob", sa.String(40)),
        sa.Column("base", JSONB),
        sa.Column("halt", JSONB),
    )
    op.create_table(
        "jobs",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("kind", sa.String(16), nullable=False),
        _key("projects"),
        _key("shots", null=True),
        _key("footage", null=True),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("args", JSONB, nullable=False),
        sa.Column("progress", JSONB, nullable=False),
        sa.Column("result", JSONB, nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("done", sa.Integer, nullable=False),
        sa.Column("total", sa.Integer, nullable=False),
        sa.Column("message", sa.String, nullable=False),
        sa.Column("stop", sa.Boolean, nullable=False),
        sa.Column("queue_id", sa.BigInteger),
        sa.Column("created", WHEN, nullable=False),
        sa.Column("started", WHEN),
        sa.Column("finished", WHEN),
        sa.UniqueConstraint("queue_id", name="jobs_queue_id_key"),
    )
    op.create_index("ix_jobs_project_id", "jobs", ["project_id"])
    op.create_index("ix_jobs_shot_id", "jobs", ["shot_id"])
    op.create_index("ix_jobs_state", "jobs", ["state"])
    op.create_index("jobs_by_shot_and_state", "jobs", ["shot_id", "state"])
    connection = op.get_bind().connection.driver_connection
    assert connection is not None
    connection.execute(SchemaManager.get_schema())


def downgrade() -> None:
    """There is nothing before this."""
    raise NotImplementedError("the first migration can't be undone")
