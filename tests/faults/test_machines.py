"""Several machines share an export: two workers that have nothing in common but the database and an object store."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import boto3
import numpy as np
import pytest
from moto.server import ThreadedMotoServer

from cuvrel.core.export.order import Settings, ordered
from cuvrel.core.media.probe import probe
from cuvrel.core.media.writer import VideoWriter
from cuvrel.core.recipe.check import read_shot
from cuvrel.jobs.queue import put
from cuvrel.store import shots
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database
from cuvrel.store.footage import entry, make_ready
from cuvrel.store.models import FootageRow, JobRow, Project
from tests.recipes import document
from tests.stack import wait_for

FRAMES = 240
URL = "s3://harbour/blobs"


@pytest.fixture(scope="module")
def bucket() -> Iterator[str]:
    """An object store on loopback; what everybody needs to reach it is in the environment."""
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    monkeypatch = pytest.MonkeyPatch()
    for name, value in {
        "AWS_ACCESS_KEY_ID": "school", "AWS_SECRET_ACCESS_KEY": "signals", "AWS_DEFAULT_REGION": "us-east-1",
        "AWS_ENDPOINT_URL": f"http://{host}:{port}", "FSSPEC_S3_ENDPOINT_URL": f"http://{host}:{port}",
    }.items():  # fmt: skip
        monkeypatch.setenv(name, value)
    boto3.client("s3").create_bucket(Bucket="harbour")
    yield URL
    monkeypatch.undo()
    server.stop()


def shot_on(database: Database, blobs: Blobs, folder: Path) -> tuple[int, int]:
    """A project and a shot that takes a while: each frame looks at many others."""
    folder.mkdir()
    writer = VideoWriter(folder / "long.mp4", "h264", 640, 360, 24)
    still = np.random.default_rng(4).integers(0, 255, (360, 640 + FRAMES, 3), np.uint8)
    for n in range(FRAMES):
        writer.write(np.ascontiguousarray(still[:, n : n + 640]))
    writer.close()
    with database.session() as session:
        project = Project(name="Many")
        session.add(project)
        session.flush()
        size = (folder / "long.mp4").stat().st_size
        row = FootageRow(project_id=project.id, name="long.mp4", size=size, blob=blobs.put_file(folder / "long.mp4"))
        session.add(row)
        session.flush()
        make_ready(session, row, blobs)
        blur = [{"id": "b", "kind": "defocus", "params": {"radius": 14.0}}, {"id": "t", "kind": "trail", "params": {}}]
        planes = [{"id": "p", "name": "Plate", "kind": "plate", "treatments": blur}]
        raw = document(plate=str(row.id), footage=[entry(row).model_dump(mode="json")], mattes=[], planes=planes)
        made = shots.create(session, project.id, read_shot(raw).model_dump(mode="json"))
        return project.id, made.id


def worker(database: str, var: Path) -> subprocess.Popen[bytes]:
    """A worker on a machine of its own: another folder, and nothing else."""
    var.mkdir()
    env = {**os.environ, "CUVREL_DATABASE_URL": database, "CUVREL_BLOBS": URL, "CUVREL_VAR": str(var)}
    with (var / "log").open("wb") as log:
        return subprocess.Popen([sys.executable, "-m", "cuvrel.cli", "worker"], env=env, stdout=log, stderr=log)


def test_two_workers_share_an_export_and_one_may_die(bucket: str, database: Database, tmp_path: Path) -> None:
    url = database.engine.url.render_as_string(hide_password=False)
    blobs = Blobs(bucket, tmp_path / "desk")
    project, shot = shot_on(database, blobs, tmp_path / "footage")
    with database.session() as session:
        row = shots.found(session, shot)
        order = ordered(shots.shot_of(session, row), Settings())
        frames = blobs.put(b"[]")
        args = {
            **order.as_json(),
            "name": "many",
            "frames": frames,
            "document": shots.document_of(session, row).document,
        }
        job = put(session, "export", project, "Many", shot_id=shot, args=args, total=FRAMES).id

    def state() -> tuple[str, list[str], set[str]]:
        """How the export stands, how its parts do, and who has done some."""
        with database.session() as session:
            whole = session.get(JobRow, job)
            assert whole is not None
            parts = session.query(JobRow).filter(JobRow.parent_id == job).all()
            by = {part.result["by"] for part in parts if part.state == "done"}
            return whole.state, [part.state for part in parts], by

    def both_at_work() -> bool:
        _, parts, by = state()
        return len(by) == 2 and parts.count("working") == 2

    workers = [worker(url, tmp_path / name) for name in ("one", "two")]
    try:
        # each has done a part, and both are at work on another one at one time
        wait_for(both_at_work, 180, "two workers at work")
        workers[0].send_signal(signal.SIGKILL)
        workers[0].wait(10)
        wait_for(lambda: state()[0] in ("done", "failed"), 240, "an end")
    finally:
        for one in workers:
            if one.poll() is None:
                one.send_signal(signal.SIGTERM)
                one.wait(30)
    with database.session() as session:
        whole = session.get(JobRow, job)
        assert whole is not None
        assert whole.state == "done", whole.message
        assert whole.message == "Ready; 2 workers had a part in it."
        found = blobs.path(whole.result["blob"])
    info = probe(found)
    assert (info.frames, info.width) == (FRAMES, 640)
    assert not (tmp_path / "one" / "blobs").exists()
    shutil.rmtree(tmp_path / "two")


def test_a_blob_is_whole_and_seen_by_others_at_once(bucket: str, tmp_path: Path) -> None:
    here, there = (Blobs(f"{bucket}/apart", tmp_path / name) for name in ("a", "b"))
    key = here.put(b"signals")
    assert not there.has("0" * 40)
    assert there.has(key)
    assert there.get(key) == b"signals"
    assert there.path(key).read_bytes() == b"signals"
    (tmp_path / "file").write_bytes(b"more signals")
    other = here.put_file(tmp_path / "file")
    assert not (tmp_path / "file").exists()
    assert there.size(other) == 12
    assert set(here.listed()) == {key, other}
    assert here.remove(other)
    assert not here.remove(other)
    assert there.has(key)
    assert not there.has(other)


def test_copies_that_are_not_used_make_room(bucket: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("cuvrel.store.blobs.FETCHED", 2500)
    blobs = Blobs(bucket, tmp_path / "a")
    keys = [blobs.put(bytes([n]) * 1000) for n in range(3)]
    for n, key in enumerate(keys):
        os.utime(blobs.path(key), (1_000_000 + n, 1_000_000 + n))
    assert sorted(p.name for p in (tmp_path / "a/fetched").iterdir()) == sorted(keys[1:])
    assert blobs.path(keys[0]).read_bytes() == bytes(1000)
