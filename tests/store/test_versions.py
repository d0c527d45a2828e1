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
from tests.store.conftest import Bench, used

RENAME = [{"op": "replace", "path": "/name", "value": "Otherwise"}]


def kept(bench: Bench, name: str = "first try") -> int:
    with bench.database.session() as session:
        return versions.keep(session, bench.shot, name).id


def back(bench: Bench, number: int) -> None:
    with bench.database.session() as session:
        versions.go_back(session, versions.found(session, bench.shot, number))


def names(bench: Bench) -> list[str]:
    with bench.database.session() as session:
        return [one.name for one in versions.versions_of(session, shots.found(session, bench.shot))]


def test_going_back_brings_the_document_and_the_frames_as_one_step_of_the_history(bench: Bench) -> None:
    bench.mark(0)
    bench.quiet()
    bench.finish(bench.start_follow(0))
    then, frames = bench.document(), {n: row.blob for n, row in bench.rows().items()}
    number = kept(bench)
    bench.edit(RENAME)
    bench.mark(8)
    assert {n: row.blob for n, row in bench.rows().items()} != frames
    now = bench.document()
    back(bench, number)
    assert bench.document() == then
    assert {n: row.blob for n, row in bench.rows().items()} == frames
    with bench.database.session() as session:
        assert shots.history(session, shots.found(session, bench.shot))["undo"] == "back to first try"
    bench.step("undo")
    assert bench.document() == now


def test_frames_that_going_back_would_lose_are_kept_as_a_version(bench: Bench) -> None:
    bench.mark(0)
    number = kept(bench)
    back(bench, number)
    assert names(bench) == ["first try"], "nothing would have been lost"
    bench.mark(8)
    eighth = bench.matte(8)
    back(bench, number)
    assert names(bench) == ["before going back to first try", "first try"]
    assert 8 not in bench.rows()
    with bench.database.session() as session:
        latest = versions.versions_of(session, shots.found(session, bench.shot))[0].id
    back(bench, latest)
    np.testing.assert_array_equal(bench.matte(8), eighth)


def test_the_frames_of_a_version_stay_in_the_store_until_it_is_forgotten(bench: Bench) -> None:
    bench.mark(0)
    blob = bench.rows()[0].blob
    number = kept(bench)
    bench.step("undo")
    assert not bench.rows()
    assert blob in used(bench.database)
    with bench.database.session() as session:
        session.delete(versions.found(session, bench.shot, number))
    assert blob not in used(bench.database)


def test_a_version_of_another_shot_is_not_there(bench: Bench) -> None:
    number = kept(bench)
    with bench.database.session() as session, pytest.raises(shots.NotFound):
        versions.found(session, bench.shot + 1, number)
    with bench.database.session() as session, pytest.raises(shots.NotFound):
        versions.keep(session, bench.shot + 1, "none")


def test_a_copied_shot_has_all_frames_and_goes_its_own_way(bench: Bench) -> None:
    bench.mark(0)
    before = bench.document()
    with bench.database.session() as session:
        new = copy_shot(session, shots.found(session, bench.shot), "Twin")
        twin = new.id
        assert new.project_id == bench.project
        assert document_of(session, new).document == {**before, "name": "Twin"}
        assert [(row.frame, row.blob) for row in frames_of(session, twin)] == [
            (n, row.blob) for n, row in bench.rows().items()
        ]
        shots.edit(session, twin, new.revision, RENAME)
    assert bench.document() == before


def test_a_copied_project_has_its_own_footage_and_history(bench: Bench) -> None:
    bench.mark(0)
    with bench.database.session() as session:
        project = session.get(Project, bench.project)
        assert project is not None
        new = copy_project(session, project, "Second")
        footage = session.query(FootageRow).filter_by(project_id=new.id).one()
        assert footage.blob == session.get(FootageRow, bench.footage).blob
        shot = session.query(ShotRow).filter_by(project_id=new.id).one()
        document = document_of(session, shot).document
        assert document["plate"] == str(footage.id)
        assert shots.history(session, shot)["undo"] == "marks"
        number, twin = new.id, shot.id
    with bench.database.session() as session:
        assert shots.undo(session, twin) is not None
        assert document_of(session, shots.found(session, twin)).document["mattes"][0]["pulls"][0]["marks"] == []
    assert bench.document()["mattes"][0]["pulls"][0]["marks"] != []
    with bench.database.session() as session:
        trash.put_away(session, "project", number)
        trash.delete(session, "project", number)
    assert bench.matte(0).any(), "what both had is still there for the first"


def test_footage_in_the_trash_is_not_copied(bench: Bench) -> None:
    with bench.database.session() as session:
        trash.put_away(session, "shot", bench.shot)
        trash.put_away(session, "footage", bench.footage)
        project = session.get(Project, bench.project)
        assert project is not None
        new = copy_project(session, project, "Second")
        assert session.query(FootageRow).filter_by(project_id=new.id).count() == 0
        assert session.query(ShotRow).filter_by(project_id=new.id).count() == 0
    with bench.database.session() as session, pytest.raises(CuvrelError):
        versions.keep(session, bench.shot + 10, "none")
