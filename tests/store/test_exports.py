"""Exports of several ranges are one whole file, go on from the last whole range, and show the shot as it was."""

import json
import zipfile
from typing import Any

import numpy as np
import pytest
from sqlalchemy import select

from cuvrel.core.export.order import Settings, ordered
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.recipe.errors import MediaError
from cuvrel.jobs.exporting import RANGE
from cuvrel.jobs.queue import put
from cuvrel.store import shots
from cuvrel.store.documents import document_of
from cuvrel.store.frames import snapshot
from cuvrel.store.models import JobRow
from tests.store.conftest import Rig


def start_export(rig: Rig, first: int = 0, last: int = 15, **wanted: Any) -> int:
    with rig.database.session() as session:
        frames = rig.blobs.put(json.dumps(snapshot(session, rig.shot)).encode())
        row = shots.found(session, rig.shot)
        order = ordered(shots.shot_of(session, row), Settings(**wanted), first, last)
        args = {**order.as_json(), "name": "trial", "frames": frames, "document": document_of(session, row).document}
        return put(session, "export", rig.project, "Trial", shot_id=rig.shot, args=args).id


MATTE = {"what": "matte", "how": "ffv1", "targets": ["m1"]}


@pytest.fixture
def small_ranges(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("cuvrel.jobs.exporting.RANGE", 6)


@pytest.mark.usefixtures("small_ranges")
@pytest.mark.parametrize("wanted", [{}, {"what": "cutout", "how": "prores4444", "targets": ["m1"]}, MATTE])
def test_an_export_of_several_ranges_is_one_whole_video(rig: Rig, wanted: dict[str, Any]) -> None:
    rig.mark(0)
    job = rig.finish(start_export(rig, **wanted))
    assert job.state == "done", job.message
    path = rig.blobs.path(job.result["blob"])
    info = probe(path)
    assert info.frames == 16
    assert info.fps == pytest.approx(24)
    assert job.result["sidecar"]["frames"] == [1001, 1016]
    if wanted == MATTE:
        found = Reader(path, info).frame(0)[..., 0].astype(np.float32) / 255
        assert np.array_equal(found, rig.matte(0))


@pytest.mark.usefixtures("small_ranges")
def test_a_picture_sequence_carries_its_sidecar(rig: Rig) -> None:
    rig.mark(0)
    job = rig.finish(start_export(rig, 3, 11, what="cutout", how="png8", targets=["m1"], alpha="premultiplied"))
    with zipfile.ZipFile(rig.blobs.path(job.result["blob"])) as archive:
        names = archive.namelist()
        assert names == [*(f"trial.{n:04d}.png" for n in range(1004, 1013)), "trial.json"]
        assert json.loads(archive.read("trial.json"))["alpha"] == "premultiplied"


@pytest.mark.usefixtures("small_ranges")
def test_an_export_goes_on_from_its_last_whole_range(rig: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    rig.mark(0)
    job = start_export(rig, **MATTE)
    begun: list[int] = []
    exporting = rig.hand.works.exporting
    inner = exporting._written

    def counted(row, order, stand, frames, begin, *rest):  # type: ignore[no-untyped-def]
        begun.append(begin)
        if len(begun) == 2:
            raise MediaError("The disk was pulled out.")
        return inner(row, order, stand, frames, begin, *rest)

    monkeypatch.setattr(exporting, "_written", counted)
    failed = rig.finish(job)
    assert (failed.state, failed.message) == ("failed", "The disk was pulled out.")
    with rig.database.session() as session:
        for row in session.scalars(select(JobRow).where(JobRow.state != "done")):
            row.state, row.stop, row.queue_id = "waiting", False, None
    assert rig.finish(job).state == "done"
    assert begun == [0, 6, 6, 12]
    assert RANGE == 24
    with rig.database.session() as session:
        assert not session.scalars(select(JobRow).where(JobRow.parent_id == job)).all()


def test_an_export_is_made_of_the_shot_as_it_was(rig: Rig) -> None:
    rig.mark(0)
    job = start_export(rig, last=0, **MATTE)
    was = rig.matte(0)
    rig.step("undo")
    done = rig.finish(job)
    found = Reader(path := rig.blobs.path(done.result["blob"]), probe(path)).frame(0)[..., 0]
    assert np.array_equal(found, np.round(was * 255))
