"""The trash: put away, taken out, deleted for good; what is still needed stays."""

from __future__ import annotations

from datetime import timedelta

import pytest

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.jobs.queue import put, stop_all
from cuvrel.store import shots, trash
from cuvrel.store.models import FootageRow, JobRow, MatteFrame, Project, ShotRow, now
from cuvrel.store.sweep import sweep, tidy
from tests.store.conftest import OVER, Rig, used


def aged(rig: Rig, kind: trash.Kind, number: int, days: int = 31) -> None:
    with rig.database.session() as session:
        trash.put_away(session, kind, number).trashed = now() - timedelta(days=days)


def test_footage_that_a_shot_works_on_can_not_be_put_away(rig: Rig) -> None:
    with rig.database.session() as session, pytest.raises(CuvrelError, match="is used by 'Shot 01'"):
        trash.put_away(session, "footage", rig.footage)
    with rig.database.session() as session:
        trash.put_away(session, "shot", rig.shot)
        trash.put_away(session, "footage", rig.footage)
    with rig.database.session() as session, pytest.raises(CuvrelError, match="is used by"):
        trash.delete(session, rig.blobs, "footage", rig.footage)
    with rig.database.session() as session:
        trash.restore(session, "shot", rig.shot)
    with rig.database.session() as session:
        assert session.get(FootageRow, rig.footage).trashed is None, "a shot comes back with its footage"


def test_only_what_is_in_the_trash_is_deleted_for_good_and_with_all_that_it_holds(rig: Rig) -> None:
    rig.mark(0)
    blob = rig.rows()[0].blob
    with rig.database.session() as session, pytest.raises(CuvrelError, match="in the trash"):
        trash.delete(session, rig.blobs, "shot", rig.shot)
    with rig.database.session() as session:
        trash.put_away(session, "shot", rig.shot)
    assert blob in used(rig.database, rig.blobs), "what is in the trash can be taken out whole"
    with rig.database.session() as session:
        trash.delete(session, rig.blobs, "shot", rig.shot)
        trash.put_away(session, "footage", rig.footage)
        trash.delete(session, rig.blobs, "footage", rig.footage)
    with rig.database.session() as session:
        assert session.get(ShotRow, rig.shot) is None
        assert session.query(MatteFrame).count() == 0
    assert sweep(rig.database, rig.blobs, OVER) > 0
    assert not rig.blobs.has(blob)


def test_what_is_long_in_the_trash_goes_and_what_is_needed_stays(rig: Rig) -> None:
    with rig.database.session() as session:
        young = Project(name="Young")
        session.add(young)
        session.flush()
        trash.put_away(session, "project", young.id)
        number = young.id
        trash.put_away(session, "shot", rig.shot)
    aged(rig, "footage", rig.footage)
    tidy(rig.database, rig.blobs)
    with rig.database.session() as session:
        assert session.get(Project, number) is not None
        assert session.get(FootageRow, rig.footage) is not None, "a shot in the trash still works on it"
    aged(rig, "project", number)
    aged(rig, "shot", rig.shot)
    tidy(rig.database, rig.blobs)
    tidy(rig.database, rig.blobs)
    with rig.database.session() as session:
        assert session.get(Project, number) is None
        assert session.get(ShotRow, rig.shot) is None
        assert session.get(FootageRow, rig.footage) is None


def test_jobs_under_way_are_stopped_with_what_they_work_on_and_not_put_away_themselves(rig: Rig) -> None:
    job = rig.start_follow(0)
    with rig.database.session() as session, pytest.raises(CuvrelError, match="under way"):
        trash.put_away(session, "job", job)
    with rig.database.session() as session:
        stop_all(session, trash.under_way(session, "shot", rig.shot))
        trash.put_away(session, "shot", rig.shot)
    with rig.database.session() as session:
        assert session.get(JobRow, job).state == "stopped"
        trash.put_away(session, "job", job)
        trash.delete(session, rig.blobs, "job", job)
    with rig.database.session() as session:
        assert session.get(JobRow, job) is None


def test_an_export_that_rests_while_its_parts_wait_is_stopped_with_its_shot(rig: Rig) -> None:
    with rig.database.session() as session:
        whole = put(session, "export", rig.project, "Result", shot_id=rig.shot)
        whole.state, whole.queue_id = "working", None
        parts = [put(session, "range", rig.project, "Result", shot_id=rig.shot, parent_id=whole.id) for _ in range(2)]
        ids = [whole.id, *(part.id for part in parts)]
    with rig.database.session() as session:
        assert trash.under_way(session, "shot", rig.shot) == ids[:1]
        stop_all(session, trash.under_way(session, "shot", rig.shot))
        trash.put_away(session, "shot", rig.shot)
    with rig.database.session() as session:
        assert [session.get(JobRow, one).state for one in ids] == ["stopped"] * 3
        assert trash.under_way(session, "shot", rig.shot) == []


def test_an_exports_file_goes_with_its_job(rig: Rig) -> None:
    blob = rig.blobs.put(b"a film")
    with rig.database.session() as session:
        job = put(session, "export", rig.project, "Result", shot_id=rig.shot)
        job.state, job.result = "done", {"blob": blob}
        number = job.id
    assert blob in used(rig.database, rig.blobs)
    with rig.database.session() as session:
        project = session.get(Project, rig.project)
        assert trash.space(session, rig.blobs, project)["exports"] == len(b"a film")
    with rig.database.session() as session:
        trash.put_away(session, "job", number)
        trash.delete(session, rig.blobs, "job", number)
    assert blob not in used(rig.database, rig.blobs)


def test_the_space_of_a_project_is_that_of_its_blobs_each_counted_once(rig: Rig) -> None:
    rig.mark(0)
    with rig.database.session() as session:
        project = session.get(Project, rig.project)
        found = trash.space(session, rig.blobs, project)
        footage = session.get(FootageRow, rig.footage)
        twin = FootageRow(project_id=rig.project, name="twin", state="ready", blob=footage.blob, size=footage.size,
                          info=footage.info, proxy=footage.proxy, film=footage.film)  # fmt: skip
        session.add(twin)
        session.flush()
        assert trash.space(session, rig.blobs, project) == found
    wanted = sum(rig.blobs.path(blob).stat().st_size for blob in used(rig.database, rig.blobs))
    assert sum(found.values()) == wanted
    assert found["frames"] > 0


@pytest.mark.parametrize("kind", ["project", "shot", "footage", "job"])
def test_what_is_not_there_is_told(rig: Rig, kind: trash.Kind) -> None:
    for deed in (trash.put_away, trash.restore):
        with rig.database.session() as session, pytest.raises(shots.NotFound):
            deed(session, kind, 9999)
    with rig.database.session() as session, pytest.raises(shots.NotFound):
        trash.delete(session, rig.blobs, kind, 9999)


def test_all_that_a_job_names_stays_as_long_as_the_job(rig: Rig) -> None:
    keys = [rig.blobs.put(bytes([n])) for n in range(4)]
    with rig.database.session() as session:
        people = put(session, "people", rig.project, "People", shot_id=rig.shot)
        people.result = {"people": [{"picture": keys[0], "cover": keys[1]}]}
        put(session, "audit", rig.project, "Audit", shot_id=rig.shot).result = {"findings": [], "rows": keys[2]}
        put(session, "unpack", rig.project, "Packed", args={"packed": keys[3], "name": "p.zip"})
    assert used(rig.database, rig.blobs) >= set(keys)
    sweep(rig.database, rig.blobs, OVER)
    assert all(rig.blobs.has(key) for key in keys)
