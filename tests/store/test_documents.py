"""Documents are what was written of them and the changes since; lists of frames are read when they changed."""

from __future__ import annotations

from typing import Any

import pytest
from sqlalchemy import func, select, text

from cuvrel.core.recipe.errors import RecipeError
from cuvrel.store import shots
from cuvrel.store.db import Database
from cuvrel.store.documents import document_of
from cuvrel.store.frames import snapshot, stored_blobs
from cuvrel.store.models import ChangeRow, EditRow, MatteFrame
from tests.store.conftest import Rig


def opacity(value: float) -> list[dict[str, Any]]:
    return [{"op": "replace", "path": "/planes/0/opacity", "value": value}]


def anew(rig: Rig) -> dict[str, Any]:
    """The document as another process reads it."""
    other = Database(rig.database.url)
    with other.session() as session:
        found = document_of(session, shots.found(session, rig.shot)).document
    other.close()
    return found


def test_a_document_is_written_once_in_a_while_and_is_whole_at_any_time(rig: Rig) -> None:
    written = set()
    for n in range(2 * shots.WRITTEN + 3):
        rig.edit(opacity(n / 100), label=f"step {n}")
        with rig.database.session() as session:
            written.add(shots.found(session, rig.shot).written)
        if n % 9 == 0:
            assert anew(rig) == rig.document()
    assert anew(rig)["planes"][0]["opacity"] == pytest.approx((2 * shots.WRITTEN + 2) / 100)
    assert written == {0, shots.WRITTEN, 2 * shots.WRITTEN}


def test_a_drag_leaves_one_row_of_history_and_one_change(rig: Rig) -> None:
    before = rig.document()
    rig.edit(opacity(0.9), label="earlier")
    for n in range(40):
        rig.edit(opacity(n / 40), label="opacity", gesture="drag")
    with rig.database.session() as session:
        assert session.scalar(select(func.count()).select_from(EditRow)) == 2
        assert session.scalar(select(func.count()).select_from(ChangeRow)) == 2
        assert shots.found(session, rig.shot).revision == 41
    assert anew(rig) == rig.document()
    rig.step("undo")
    assert rig.document()["planes"][0]["opacity"] == 0.9
    rig.step("undo")
    assert rig.document() == before
    rig.step("redo")
    rig.step("redo")
    assert rig.document()["planes"][0]["opacity"] == pytest.approx(39 / 40)
    assert anew(rig) == rig.document()


def test_a_stroke_of_many_edits_is_one_step_and_loses_nothing(rig: Rig) -> None:
    before = rig.document()
    for n in range(5):
        plane = {"id": f"n{n}", "name": "New", "kind": "plate"}
        rig.edit([{"op": "add", "path": "/planes/-", "value": plane}], gesture="many")
    assert len(rig.document()["planes"]) == len(before["planes"]) + 5
    assert anew(rig) == rig.document()
    rig.step("undo")
    assert rig.document() == before
    rig.step("redo")
    assert len(anew(rig)["planes"]) == len(before["planes"]) + 5


def test_a_revision_that_did_not_go_through_is_never_taken_for_the_next_one(rig: Rig) -> None:
    with rig.database.session() as session:
        shots.edit(session, rig.shot, 0, opacity(0.1))
        session.rollback()
    assert rig.document()["planes"][0]["opacity"] == 1
    rig.edit(opacity(0.2))
    assert rig.document()["planes"][0]["opacity"] == 0.2
    assert anew(rig) == rig.document()


def test_what_is_foreseen_is_taken_only_where_the_shot_is_still_what_it_was(rig: Rig) -> None:
    with rig.database.session() as session:
        foreseen = shots.foresee(session, rig.shot, opacity(0.4))
    rig.edit([{"op": "replace", "path": "/name", "value": "Meanwhile"}])
    with rig.database.session() as session:
        done = shots.edit(session, rig.shot, 0, opacity(0.4), foreseen=foreseen)
    assert done.after.shot.name == "Meanwhile"
    assert (done.base, len(done.ops)) == (0, 2), "what others did is among the operations"
    assert rig.document()["planes"][0]["opacity"] == 0.4
    with rig.database.session() as session, pytest.raises(RecipeError):
        shots.foresee(session, rig.shot, opacity(9))


def test_old_changes_are_forgotten_and_edits_older_than_them_refused(rig: Rig) -> None:
    for n in range(2 * shots.WRITTEN + 5):
        rig.edit(opacity(n / 100))
    with rig.database.session() as session:
        assert shots.prune(session, keep=8) > 0
        row = shots.found(session, rig.shot)
        assert row.forgotten <= row.written
        last = row.revision
    assert anew(rig)["planes"][0]["opacity"] == rig.document()["planes"][0]["opacity"]
    rename = [{"op": "replace", "path": "/name", "value": "Late"}]
    rig.edit(rename, revision=last - 4)
    with pytest.raises(shots.Stale):
        rig.edit(rename, revision=2)


def test_lists_of_frames_are_read_again_only_where_a_frame_changed(rig: Rig) -> None:
    rig.mark(0)
    rig.quiet()
    rig.finish(rig.start_follow(0))

    def lists() -> dict[str, dict[int, str]]:
        with rig.database.session() as session:
            return stored_blobs(session, rig.shot)

    first = lists()
    assert first["t1"] == {number: row.blob for number, row in rig.rows().items()}
    assert lists()["t1"] is first["t1"], "nothing changed, nothing was read"
    out = {"id": "x", "frame": 4, "kind": "out", "radius": 4, "points": [[20, 20], [60, 22]]}
    rig.edit([{"op": "add", "path": "/mattes/0/pulls/0/marks/-", "value": out}])
    touched = lists()["t1"]
    assert touched is not first["t1"]
    assert touched[4] == rig.rows()[4].blob
    with rig.database.session() as session:
        session.delete(session.get(MatteFrame, (rig.shot, "t1", 9)))
    assert 9 not in lists()["t1"]
    with rig.database.session() as session:
        assert [frame for _, frame, _ in snapshot(session, rig.shot)] == [n for n in range(16) if n != 9]


def test_documents_and_history_of_an_earlier_database_are_brought_up_to_date(rig: Rig) -> None:
    """The fourth migration, on rows as the third left them."""
    from alembic import command
    from alembic.config import Config as AlembicConfig

    import cuvrel.store.migrations as migrations

    rig.mark(0)
    rig.edit([{"op": "add", "path": "/mattes/0/edge/black_point", "value": 0.1}], label="black")
    rig.edit([{"op": "add", "path": "/mattes/0/edge/black_point", "value": 0.2}], label="more black")
    document = rig.document()
    with rig.database.session() as session:
        for statement in (
            "ALTER TABLE matte_frames RENAME COLUMN owner TO pull_id",
            "ALTER TABLE matte_frames DROP COLUMN stamp",
            "DROP SEQUENCE frame_stamps",
            "DROP TABLE versions",
            *(f"ALTER TABLE {table} RENAME COLUMN document_id TO shot_id" for table in ("edits", "changes")),
            "ALTER TABLE shots DROP COLUMN kind",
            "DROP TABLE looks",
            "DROP TABLE leases",
            "DROP TABLE presets",
            "ALTER TABLE footage DROP COLUMN sound",
            "ALTER TABLE jobs DROP COLUMN parent_id",
            *(f"ALTER TABLE {table} DROP COLUMN trashed" for table in ("projects", "footage", "shots", "jobs")),
            "ALTER TABLE shots DROP COLUMN written, DROP COLUMN forgotten, DROP COLUMN about",
            "ALTER TABLE jobs DROP COLUMN worker, DROP COLUMN tries, DROP COLUMN reached, DROP COLUMN free",
        ):
            session.execute(text(statement))
        old = {**document, "version": 1, "mattes": [{**document["mattes"][0], "edge": {"clean_black": 0.2}}]}
        for name in ("tracks", "format", "range", "sound", "cuts"):
            del old[name]
        import json

        session.execute(text("UPDATE shots SET document = CAST(:raw AS jsonb)"), {"raw": json.dumps(old)})
        for table, columns in (("edits", ("ops", "inverse")), ("changes", ("ops",))):
            for column in columns:
                session.execute(text(
                    f"UPDATE {table} SET {column} = replace({column}::text, 'black_point', 'clean_black')::jsonb"
                ))  # fmt: skip
        session.execute(text("UPDATE alembic_version SET version_num = '0003'"))
    config = AlembicConfig()
    config.set_main_option("script_location", str(migrations.__path__[0]))
    config.set_main_option("sqlalchemy.url", rig.database.url.replace("%", "%%"))
    command.upgrade(config, "head")
    rig.database.close()
    assert anew(rig) == document
    rig.step("undo")
    assert anew(rig)["mattes"][0]["edge"] == {"black_point": 0.1}
    rig.step("undo")
    assert anew(rig)["mattes"][0]["edge"] == {}
    assert rig.matte(0).any()
