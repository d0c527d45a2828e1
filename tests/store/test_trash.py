"""The trash: put away, taken out, deleted for good; what is still needed stays."""

from __future__ import annotations

from datetime import timedelta

import pytest

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.jobs.queue import put
from cuvrel.store import shots, trash
from cuvrel.store.models import FootageRow, JobRow, MatteFrame, Project, ShotRow, now
from cuvrel.store.sweep import sweep, tidy
from tests.store.conftest import Bench, used


def aged(bench: Bench, kind: trash.Kind, number: int, days: int = 31) -> None:
    with bench.database.session() as session:
        trash.put_away(session, kind, number).trashed = now() - timedelta(days=days)


def test_footage_that_a_shot_works_on_can_not_be_put_away(bench: Bench) -> None:
    with bench.database.session() as session, pytest.raises(CuvrelError, match="is used by 'Shot 01'"):
        trash.put_away(session, "footage", bench.footage)
    with bench.database.session() as session:
        trash.put_away(session, "shot", bench.shot)
        trash.put_away(session, "footage", bench.footage)
    with bench.database.session() as session, pytest.raises(CuvrelError, match="is used by"):
        trash.delete(session, "footage", bench.footage)
    with bench.database.session() as session:
        trash.restore(session, "shot", bench.shot)
    with bench.database.session() as session:
        assert session.get(FootageRow, bench.footage).trashed is None, "a shot comes back with its footage"


def test_only_what_is_in_the_trash_is_deleted_for_good_and_with_all_that_it_holds(bench: Bench) -> None:
    bench.mark(0)
    blob = bench.rows()[0].blob
    with bench.database.session() as session, pytest.raises(CuvrelError, match="in the trash"):
        trash.delete(session, "shot", bench.shot)
    with bench.database.session() as session:
        trash.put_away(session, "shot", bench.shot)
    assert blob in used(bench.database), "what is in the trash can be taken out whole"
    with bench.database.session() as session:
        trash.delete(session, "shot", bench.shot)
        trash.put_away(session, "footage", bench.footage)
        trash.delete(session, "footage", bench.footage)
    with bench.database.session() as session:
        assert session.get(ShotRow, bench.shot) is None
        assert session.query(MatteFrame).count() == 0
    assert sweep(bench.database, bench.blobs, older=0) > 0
    assert not bench.blobs.has(blob)


def test_what_is_long_in_the_trash_goes_and_what_is_needed_stays(bench: Bench) -> None:
    with bench.database.session() as session:
        young = Project(name="Young")
        session.add(young)
        session.flush()
        trash.put_away(session, "project", young.id)
        number = young.id
        trash.put_away(session, "shot", bench.shot)
    aged(bench, "footage", bench.footage)
    tidy(bench.database, bench.blobs)
    with bench.database.session() as session:
        assert session.get(Project, number) is not None
        assert session.get(FootageRow, bench.footage) is not None, "a shot in the trash still works on it"
    aged(bench, "project", number)
    aged(bench, "shot", bench.shot)
    tidy(bench.database, bench.blobs)
    tidy(bench.database, bench.blobs)
    with bench.database.session() as session:
        assert session.get(Project, number) is None
        assert session.get(ShotRow, bench.shot) is None
        assert session.get(FootageRow, bench.footage) is None


def test_jobs_under_way_are_stopped_with_what_they_work_on_and_not_put_away_themselves(bench: Bench) -> None:
    job = bench.start_follow(0)
    with bench.database.session() as session, pytest.raises(CuvrelError, match="under way"):
        trash.put_away(session, "job", job)
    with bench.database.session() as session:
        trash.put_away(session, "shot", bench.shot)
    with bench.database.session() as session:
        assert session.get(JobRow, job).state == "stopped"
        trash.put_away(session, "job", job)
        trash.delete(session, "job", job)
    with bench.database.session() as session:
        assert session.get(JobRow, job) is None


def test_an_exports_file_goes_with_its_job(bench: Bench) -> None:
    blob = bench.blobs.put(b"a film")
    with bench.database.session() as session:
        job = put(session, "export", bench.project, "Result", shot_id=bench.shot)
        job.state, job.result = "done", {"blob": blob}
        number = job.id
    assert blob in used(bench.database)
    with bench.database.session() as session:
        project = session.get(Project, bench.project)
        assert trash.space(session, bench.blobs, project)["exports"] == len(b"a film")
    with bench.database.session() as session:
        trash.put_away(session, "job", number)
        trash.delete(session, "job", number)
    assert blob not in used(bench.database)


def test_the_space_of_a_project_is_that_of_its_blobs_each_counted_once(bench: Bench) -> None:
    bench.mark(0)
    with bench.database.session() as session:
        project = session.get(Project, bench.project)
        found = trash.space(session, bench.blobs, project)
        footage = session.get(FootageRow, bench.footage)
        twin = FootageRow(project_id=bench.project, name="twin", state="ready", blob=footage.blob, size=footage.size,
                          info=footage.info, proxy=footage.proxy, film=footage.film)  # fmt: skip
        session.add(twin)
        session.flush()
        assert trash.space(session, bench.blobs, project) == found
    wanted = sum(bench.blobs.path(blob).stat().st_size for blob in used(bench.database))
    assert sum(found.values()) == wanted
    assert found["frames"] > 0


@pytest.mark.parametrize("kind", ["project", "shot", "footage", "job"])
def test_what_is_not_there_is_told(bench: Bench, kind: trash.Kind) -> None:
    for deed in (trash.put_away, trash.restore, trash.delete):
        with bench.database.session() as session, pytest.raises(shots.NotFound):
            deed(session, kind, 9999)


def test_all_that_a_job_names_stays_as_long_as_the_job(bench: Bench) -> None:
    keys = [bench.blobs.put(bytes([n])) for n in range(4)]
    with bench.database.session() as session:
        people = put(session, "people", bench.project, "People", shot_id=bench.shot)
        people.result = {"people": [{"picture": keys[0], "cover": keys[1]}]}
        put(session, "audit", bench.project, "Audit", shot_id=bench.shot).result = {"findings": [], "rows": keys[2]}
        put(session, "unpack", bench.project, "Packed", args={"packed": keys[3], "name": "p.zip"})
    assert used(bench.database) >= set(keys)
    sweep(bench.database, bench.blobs, older=-1)
    assert all(bench.blobs.has(key) for key in keys)
