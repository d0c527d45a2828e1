"""What an edit and a picture's key take on a long shot: 2,000 marks and 60 planes, by the server on a real database."""

from __future__ import annotations

import random
import shutil
import tempfile
from pathlib import Path
from statistics import median
from time import perf_counter
from typing import Any

import numpy as np

from bench.speed import say, timed
from cuvrel.core.media.writer import VideoWriter, png_bytes
from cuvrel.demo.project import CLIPS
from cuvrel.store import shots
from cuvrel.store.cluster import Cluster
from cuvrel.store.config import Config
from cuvrel.store.db import Database
from cuvrel.store.footage import entry, make_ready
from cuvrel.store.leases import store_of
from cuvrel.store.models import FootageRow, MatteFrame, Project
from cuvrel.web.app import create_app

MARKS, PLANES, POINTS = 2000, 60, 24


def long_document(footage: dict[str, Any]) -> dict[str, Any]:
    """A traced matte with many marks, and many planes with a treatment and a keyed placement each."""
    rng = random.Random(1)

    def mark(n: int) -> dict[str, Any]:
        points = [[rng.uniform(0, 1280), rng.uniform(0, 720)] for _ in range(POINTS)]
        return {"id": f"k{n}", "frame": n % 96, "kind": "in", "radius": 6, "points": points}

    keys = {"keys": [{"frame": 0, "value": 0.0}, {"frame": 40, "value": 80.0}]}
    planes = [
        {"id": f"p{n}", "name": f"Plane {n}", "kind": "cutout", "matte": "m", "opacity": 0.5,
         "placement": {"x": keys, "angle": n}, "treatments": [{"id": f"s{n}", "kind": "grade", "params": {}}]}
        for n in range(PLANES - 1)
    ]  # fmt: skip
    pull = {"id": "t", "kind": "trace", "marks": [mark(n) for n in range(MARKS)]}
    return {"name": "Long", "plate": footage["id"], "footage": [footage],
            "mattes": [{"id": "m", "name": "M", "pulls": [pull]}],
            "planes": [*planes, {"id": "plate", "name": "Plate", "kind": "plate"}]}  # fmt: skip


def run() -> None:
    """Prints the medians with their goals."""
    with tempfile.TemporaryDirectory(prefix="cuvrel-bench-") as name:
        folder = Path(name)
        folder.chmod(0o755)
        cluster = Cluster(folder / "postgres")
        cluster.start()
        try:
            _measure(Config(cluster.url(), str(folder / "blobs"), folder / "var"), folder)
        finally:
            cluster.stop()


def _measure(config: Config, folder: Path) -> None:
    database = Database(config.database)
    database.migrate()
    blobs = store_of(config, database)
    shutil.copyfile(CLIPS / "signaller.mp4", folder / "clip.mp4")
    with database.session() as session:
        project = Project(name="Bench")
        session.add(project)
        session.flush()
        row = FootageRow(project_id=project.id, name="clip.mp4", size=1, blob=blobs.put_file(folder / "clip.mp4"))
        session.add(row)
        session.flush()
        make_ready(session, row, blobs)
        shot = shots.create(session, project.id, long_document(entry(row).model_dump(mode="json"))).id
        blob = blobs.put(png_bytes(np.zeros((720, 1280), np.uint8)))
        session.add_all(MatteFrame(shot_id=shot, owner="t", frame=n, origin="followed", blob=blob) for n in range(96))
    client = create_app(config).test_client()
    revision = 0

    def edit(ops: list[dict[str, Any]], gesture: str | None = None) -> None:
        nonlocal revision
        body = {"revision": revision, "ops": ops, "label": "x", "gesture": gesture}
        answer = client.post(f"/api/shots/{shot}/edits", json=body)
        assert answer.status_code == 200, answer.json
        revision = answer.json["revision"]

    def drag(n: int) -> None:
        edit([{"op": "replace", "path": "/planes/20/opacity", "value": n / 100}], "drag")

    def key(width: int) -> None:
        answer = client.get(f"/api/shots/{shot}/keys?view=%7B%22kind%22:%22result%22%7D&first=24&last=24&width={width}")
        assert answer.status_code == 200, answer.json

    drag(0)
    print(f"A shot of {MARKS} marks and {PLANES} planes, by HTTP on a real database")
    say("a step of a slider's drag, median", median(timed(lambda n=n: drag(n)) for n in range(1, 61)), "ms", "10")
    names = [f"Name {n}" for n in range(30)]
    rename = median(timed(lambda n=n: edit([{"op": "replace", "path": "/name", "value": n}])) for n in names)
    say("another edit, median", rename, "ms", "10")
    key(640)
    say("a picture's key, median", median(timed(lambda: key(640)) for _ in range(30)), "ms", "5")
    times = []
    for n in range(20):
        drag(n)
        times.append(timed(lambda: key(640)))
    say("a picture's key after an edit, median", median(times), "ms", "5")
    for frames in (100, 1000, 5000):
        _slider(client, database, blobs, config, frames)


PIECE = 32  # frames whose keys the desk asks for together


def _slider(client: Any, database: Database, blobs: Any, config: Config, frames: int) -> None:
    """What a slider costs on a shot of so many frames: a step of its drag, and what a rest of the hand asks for."""
    config.var.mkdir(parents=True, exist_ok=True)
    film = config.var / f"film-{frames}.mkv"
    writer = VideoWriter(film, "proxy", 64, 48, 24)
    for n in range(frames):
        writer.write(np.full((48, 64, 3), n % 200, np.uint8))
    writer.close()
    with database.session() as session:
        row = FootageRow(project_id=1, name=film.name, size=1, blob=blobs.put_file(film))
        session.add(row)
        session.flush()
        make_ready(session, row, blobs)
        document = long_document(entry(row).model_dump(mode="json"))
        document["planes"] = document["planes"][-12:]
        shot = shots.create(session, 1, document).id
    view, revision, drags, rests = "%7B%22kind%22:%22result%22%7D", 0, [], []

    def keys(first: int, last: int) -> None:
        found = client.get(f"/api/shots/{shot}/keys?view={view}&first={first}&last={last}&width=64")
        assert found.status_code == 200, found.json

    for n in range(12):
        ops = [{"op": "replace", "path": "/planes/3/opacity", "value": n / 100}]
        begun = perf_counter()
        answer = client.post(f"/api/shots/{shot}/edits", json={"revision": revision, "ops": ops, "gesture": "drag"})
        revision = answer.json["revision"]
        keys(10, 10)
        rested = perf_counter()
        keys(0, min(frames, PIECE) - 1)
        drags.append(1000 * (rested - begun))
        rests.append(1000 * (perf_counter() - rested))
    say(f"a slider on {frames} frames: a step with its key", median(drags), "ms", "-")
    say(f"a slider on {frames} frames: the hand at rest", median(rests), "ms", "-")
