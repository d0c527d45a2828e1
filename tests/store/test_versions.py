"""Named versions of a shot, and copies of shots and projects."""

from __future__ import annotations

import numpy as np
import pytest

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.store import shots, trash, versions
from cuvrel.store.copying import copy_project, copy_shot
from cuvrel.store.documents import document_of
from cuvrel.store.mattes import frames_of
from cuvrel.store.models import FootageRow, Project, ShotRow
from tests.store.conftest import Rig, used

RENAME = [{"op": "replace", "path": "/name", "value": "Otherwise"}]


def kept(rig: Rig, name: str = "first try") -> int:
    with rig.database.session() as session:
        return versions.keep(session, rig.shot, name).id


def back(rig: Rig, number: int) -> None:
    with rig.database.session() as session:
        versions.go_back(session, versions.found(session, rig.shot, number))


def names(rig: Rig) -> list[str]:
    with rig.database.session() as session:
        return [one.name for one in versions.versions_of(session, shots.found(session, rig.shot))]


def test_going_back_brings_the_document_and_the_frames_as_one_step_of_the_history(rig: Rig) -> None:
    rig.mark(0)
    rig.quiet()
    rig.finish(rig.start_follow(0))
    then, frames = rig.document(), {n: row.blob for n, row in rig.rows().items()}
    number = kept(rig)
    rig.edit(RENAME)
    rig.mark(8)
    assert {n: row.blob for n, row in rig.rows().items()} != frames
    now = rig.document()
    back(rig, number)
    assert rig.document() == then
    assert {n: row.blob for n, row in rig.rows().items()} == frames
    with rig.database.session() as session:
        assert shots.history(session, shots.found(session, rig.shot))["undo"] == "back to first try"
    rig.step("undo")
    assert rig.document() == now


def test_frames_that_going_back_would_lose_are_kept_as_a_version(rig: Rig) -> None:
    rig.mark(0)
    number = kept(rig)
    back(rig, number)
    assert names(rig) == ["first try"], "nothing would have been lost"
    rig.mark(8)
    eighth = rig.matte(8)
    back(rig, number)
    assert names(rig) == ["before going back to first try", "first try"]
    assert 8 not in rig.rows()
    with rig.database.session() as session:
        latest = versions.versions_of(session, shots.found(session, rig.shot))[0].id
    back(rig, latest)
    np.testing.assert_array_equal(rig.matte(8), eighth)


def test_going_back_to_a_document_without_marks_leaves_no_matte_under_it(rig: Rig) -> None:
    number = kept(rig, "before any mark")
    rig.mark(0)
    rig.quiet()
    rig.finish(rig.start_follow(0))
    assert len(rig.rows()) == 16
    back(rig, number)
    assert rig.rows() == {}
    assert names(rig)[0] == "before going back to before any mark", "what would have been lost is kept"


def test_the_frames_of_a_version_stay_in_the_store_until_it_is_forgotten(rig: Rig) -> None:
    rig.mark(0)
    blob = rig.rows()[0].blob
    number = kept(rig)
    rig.step("undo")
    assert not rig.rows()
    assert blob in used(rig.database, rig.blobs)
    with rig.database.session() as session:
        session.delete(versions.found(session, rig.shot, number))
    assert blob not in used(rig.database, rig.blobs)


def test_a_version_of_another_shot_is_not_there(rig: Rig) -> None:
    number = kept(rig)
    with rig.database.session() as session, pytest.raises(shots.NotFound):
        versions.found(session, rig.shot + 1, number)
    with rig.database.session() as session, pytest.raises(shots.NotFound):
        versions.keep(session, rig.shot + 1, "none")


def test_a_copied_shot_has_all_frames_and_goes_its_own_way(rig: Rig) -> None:
    rig.mark(0)
    before = rig.document()
    with rig.database.session() as session:
        new = copy_shot(session, shots.found(session, rig.shot), "Twin")
        twin = new.id
        assert new.project_id == rig.project
        assert document_of(session, new).document == {**before, "name": "Twin"}
        assert [(row.frame, row.blob) for row in frames_of(session, twin)] == [
            (n, row.blob) for n, row in rig.rows().items()
        ]
        shots.edit(session, twin, new.revision, RENAME)
    assert rig.document() == before


def test_a_copied_project_has_its_own_footage_and_history(rig: Rig) -> None:
    rig.mark(0)
    with rig.database.session() as session:
        project = session.get(Project, rig.project)
        assert project is not None
        new = copy_project(session, project, "Second")
        footage = session.query(FootageRow).filter_by(project_id=new.id).one()
        assert footage.blob == session.get(FootageRow, rig.footage).blob
        shot = session.query(ShotRow).filter_by(project_id=new.id).one()
        document = document_of(session, shot).document
        assert document["plate"] == str(footage.id)
        assert shots.history(session, shot)["undo"] == "marks"
        number, twin = new.id, shot.id
    with rig.database.session() as session:
        assert shots.undo(session, twin) is not None
        assert document_of(session, shots.found(session, twin)).document["mattes"][0]["pulls"][0]["marks"] == []
    assert rig.document()["mattes"][0]["pulls"][0]["marks"] != []
    with rig.database.session() as session:
        trash.put_away(session, "project", number)
        trash.delete(session, rig.blobs, "project", number)
    assert rig.matte(0).any(), "what both had is still there for the first"


def test_footage_in_the_trash_is_not_copied(rig: Rig) -> None:
    with rig.database.session() as session:
        trash.put_away(session, "shot", rig.shot)
        trash.put_away(session, "footage", rig.footage)
        project = session.get(Project, rig.project)
        assert project is not None
        new = copy_project(session, project, "Second")
        assert session.query(FootageRow).filter_by(project_id=new.id).count() == 0
        assert session.query(ShotRow).filter_by(project_id=new.id).count() == 0
    with rig.database.session() as session, pytest.raises(CuvrelError):
        versions.keep(session, rig.shot + 10, "none")
