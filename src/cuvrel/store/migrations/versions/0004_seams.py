"""Documents beside their changes, frames by owner, a trash; documents in their second version."""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP

from cuvrel.core.recipe.upgrades import second_operations
from cuvrel.core.recipe.upgrades import upgrade as upgraded

revision = "0004"
down_revision = "0003"

TRASHED = ("projects", "footage", "shots", "jobs")


def upgrade() -> None:
    """Every shot's document is written as of its revision."""
    op.add_column("shots", sa.Column("written", sa.Integer, nullable=False, server_default="0"))
    op.add_column("shots", sa.Column("forgotten", sa.Integer, nullable=False, server_default="0"))
    op.add_column("shots", sa.Column("about", JSONB, nullable=False, server_default="{}"))
    for table in TRASHED:
        op.add_column(table, sa.Column("trashed", TIMESTAMP(timezone=True)))
    op.alter_column("matte_frames", "pull_id", new_column_name="owner")
    op.execute("CREATE SEQUENCE frame_stamps")
    op.add_column(
        "matte_frames",
        sa.Column("stamp", sa.BigInteger, nullable=False, server_default=sa.text("nextval('frame_stamps')")),
    )
    op.add_column("matte_frames", sa.Column("data", JSONB))
    connection = op.get_bind()
    for number, document in connection.execute(sa.text("SELECT id, document FROM shots")).all():
        new = upgraded(document)
        _write(connection, "UPDATE shots SET document = :a, about = :b, written = revision WHERE id = :id",
               id=number, a=new, b=_about(new))  # fmt: skip
    for shot, seq, ops, inverse in connection.execute(sa.text("SELECT shot_id, seq, ops, inverse FROM edits")).all():
        _write(connection, "UPDATE edits SET ops = :a, inverse = :b WHERE shot_id = :shot AND seq = :seq",
               shot=shot, seq=seq, a=second_operations(ops), b=second_operations(inverse))  # fmt: skip
    for shot, number, ops in connection.execute(sa.text("SELECT shot_id, revision, ops FROM changes")).all():
        _write(connection, "UPDATE changes SET ops = :a WHERE shot_id = :shot AND revision = :number",
               shot=shot, number=number, a=second_operations(ops))  # fmt: skip


def _about(document: dict[str, Any]) -> dict[str, Any]:
    plate = next(entry for entry in document["footage"] if entry["id"] == document["plate"])
    return {"frames": plate["frames"], "fps": plate["fps"], "mattes": len(document["mattes"])}


def _write(connection: sa.Connection, text: str, **values: Any) -> None:
    plain = {name: json.dumps(value) if isinstance(value, (dict, list)) else value for name, value in values.items()}
    connection.execute(sa.text(text.replace(":a", "CAST(:a AS jsonb)").replace(":b", "CAST(:b AS jsonb)")), plain)


def downgrade() -> None:
    """Documents of the second version can't be read by what came before."""
    raise NotImplementedError("the fourth migration can't be undone")
