"""Exports of several ranges are one whole file, go on from the last whole range, and show the shot as it was."""

import json
import zipfile

import numpy as np
import pytest

from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.recipe.errors import MediaError
from cuvrel.jobs.queue import put
from cuvrel.jobs.tasks import RANGE
from cuvrel.store import shots
from cuvrel.store.documents import document_of
from cuvrel.store.frames import snapshot
from cuvrel.store.models import JobRow
from tests.store.conftest import Bench


def start_export(bench: Bench, kind: str, target: str | None = "m1", first: int = 0, last: int = 15) -> int:
    with bench.database.session() as session:
        frames = bench.blobs.put(json.dumps(snapshot(session, bench.shot)).encode())
        row = shots.found(session, bench.shot)
        args = {"kind": kind, "target": target, "first": first, "last": last, "name": "trial", "frames": frames,
                "document": document_of(session, row).document}  # fmt: skip
        return put(session, "export", bench.project, kind, shot_id=bench.shot, args=args).id


@pytest.fixture
def small_ranges(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("cuvrel.jobs.tasks.RANGE", 6)


@pytest.mark.usefixtures("small_ranges")
@pytest.mark.parametrize("kind", ["result-h264", "cutout-prores", "matte-ffv1"])
def test_an_export_of_several_ranges_is_one_whole_video(bench: Bench, kind: str) -> None:
    bench.mark(0)
    job = bench.finish(start_export(bench, kind))
    assert job.state == "done", job.message
    path = bench.blobs.path(job.result["blob"])
    info = probe(path)
    assert info.frames == 16
    assert info.fps == pytest.approx(24)
    assert job.result["sidecar"]["frames"] == [1001, 1016]
    if kind == "matte-ffv1":
        found = Reader(path, info).frame(0)[..., 0].astype(np.float32) / 255
        assert np.array_equal(found, bench.matte(0))


@pytest.mark.usefixtures("small_ranges")
def test_a_picture_sequence_carries_its_sidecar(bench: Bench) -> None:
    bench.mark(0)
    job = bench.finish(start_export(bench, "cutout-png-premultiplied", first=3, last=11))
    with zipfile.ZipFile(bench.blobs.path(job.result["blob"])) as archive:
        names = archive.namelist()
        assert names == [*(f"trial.{n:04d}.png" for n in range(1004, 1013)), "trial.json"]
        assert json.loads(archive.read("trial.json"))["alpha"] == "premultiplied"


@pytest.mark.usefixtures("small_ranges")
def test_an_export_goes_on_from_its_last_whole_range(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.mark(0)
    job = start_export(bench, "matte-ffv1")
    begun: list[int] = []
    inner = bench.works._range

    def counted(row, export, stand, target, span, *rest):  # type: ignore[no-untyped-def]
        begun.append(span[0])
        if len(begun) == 2:
            raise MediaError("The disk was pulled out.")
        return inner(row, export, stand, target, span, *rest)

    monkeypatch.setattr(bench.works, "_range", counted)
    assert bench.finish(job).state == "failed"
    with bench.database.session() as session:
        row = session.get(JobRow, job)
        assert len(row.progress["parts"]) == 1
        row.state = "waiting"
    assert bench.finish(job).state == "done"
    assert begun == [0, 6, 6, 12]
    assert RANGE == 24


def test_an_export_is_made_of_the_shot_as_it_was(bench: Bench) -> None:
    bench.mark(0)
    job = start_export(bench, "matte-ffv1", last=0)
    was = bench.matte(0)
    bench.step("undo")
    done = bench.finish(job)
    found = Reader(path := bench.blobs.path(done.result["blob"]), probe(path)).frame(0)[..., 0]
    assert np.array_equal(found, np.round(was * 255))
