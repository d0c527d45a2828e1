"""The web service through its test client, on a real database; jobs run in the test's own process."""

from __future__ import annotations

import io
import json
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from urllib.parse import quote

import cv2
import numpy as np
import pytest
import uvicorn
from werkzeug.test import TestResponse

from cuvrel.core.stand.view_kinds import View
from cuvrel.store.cluster import Cluster, free_port
from cuvrel.store.config import Config
from cuvrel.store.db import Database
from cuvrel.web import serving
from cuvrel.web.app import create_app
from cuvrel.web.services import Services
from tests.brought_in import BroughtIn
from tests.conftest import Clip, fresh
from tests.recipes import RESULT, drawn
from tests.shared import Hand, shared


class Web:
    """A client with the journeys that many tests share."""

    def __init__(self, config: Config, clip: Clip, brought_in: BroughtIn) -> None:
        self.app = create_app(config)
        self.client = self.app.test_client()
        self.config, self.clip, self.brought_in = config, clip, brought_in
        self.services: Services = self.app.extensions["cuvrel"]
        self.database = Database(config.database)
        self.hand = Hand(self.database, self.services.blobs)
        self.works = self.hand.works

    def get(self, path: str) -> TestResponse:
        return self.client.get(path)

    def post(self, path: str, body: Any = None) -> TestResponse:
        return self.client.post(path, json=body) if body is not None else self.client.post(path)

    def upload(self, project: int, *files: tuple[str, bytes]) -> TestResponse:
        data = {"file": [(io.BytesIO(content), name) for name, content in files]}
        return self.client.post(f"/api/projects/{project}/footage", data=data, content_type="multipart/form-data")

    def work(self, job: int) -> dict[str, Any]:
        self.hand.do(job)
        return self.get(f"/api/jobs/{job}").json

    def project(self, name: str = "Quay") -> int:
        return self.post("/api/projects", {"name": name}).json["id"]

    def shot(self) -> int:
        """A shot on the clip with one traced matte."""
        project = self.project()
        with self.database.session() as session:
            footage = self.brought_in.add(session, self.services.blobs, project).id
        shot = self.post(f"/api/projects/{project}/shots", {"name": "Shot 01", "footage": footage}).json
        matte = {"id": "m1", "name": "Signaller", "pulls": [{"id": "t1", "kind": "trace"}]}
        self.edit(shot["id"], 0, [{"op": "add", "path": "/mattes/-", "value": matte}])
        return shot["id"]

    def edit(self, shot: int, revision: int, ops: list[dict[str, Any]], **more: Any) -> TestResponse:
        return self.post(f"/api/shots/{shot}/edits", {"revision": revision, "ops": ops, **more})

    def mark(self, shot: int) -> dict[str, Any]:
        """All strokes of the clip on frame 0, in one edit."""
        revision = self.get(f"/api/shots/{shot}").json["revision"]
        answer = self.edit(shot, revision, drawn(self.clip.marks()), label="marks")
        assert answer.status_code == 200, answer.json
        return answer.json

    def keys(self, shot: int, view: View = RESULT, width: int = 240) -> dict[str, Any]:
        return self.get(f"/api/shots/{shot}/keys?view={said(view)}&first=0&last=15&width={width}").json

    def fetch(self, shot: int, frame: int = 0, view: View = RESULT, width: int = 240) -> TestResponse:
        key = self.keys(shot, view, width)["keys"][frame]
        return self.get(f"/api/shots/{shot}/picture/{key}?view={said(view)}&frame={frame}&width={width}")


def said(of: Any) -> str:
    """A view, or what things are laid on, as a part of an address; a model, or what an answer had of one."""
    return quote(json.dumps(of) if isinstance(of, dict) else of.model_dump_json())


SEEN = f"view={said(RESULT)}"


@contextmanager
def served(config: Config, clip: Clip, brought_in: BroughtIn) -> Iterator[Web]:
    """A client of a server on this database, which is let go of at the end."""
    found = Web(config, clip, brought_in)
    yield found
    found.services.database.close()
    found.database.close()


@pytest.fixture
def web(config: Config, clip: Clip, brought_in: BroughtIn) -> Iterator[Web]:
    with served(config, clip, brought_in) as found:
        yield found


class Server:
    """The whole server on a port, in a thread of the test's own."""

    def __init__(self, config: Config) -> None:
        self.url = f"http://127.0.0.1:{free_port(0)}"
        settings = serving.configured(serving.create(config), "127.0.0.1", int(self.url.rpartition(":")[2]))
        settings.timeout_graceful_shutdown = 1
        self._server = uvicorn.Server(settings)
        self._thread = threading.Thread(target=self._server.run, daemon=True)

    def __enter__(self) -> Server:
        self._thread.start()
        while not self._server.started:
            time.sleep(0.01)
        return self

    def __exit__(self, *_: object) -> None:
        self._server.should_exit = True
        self._thread.join(10)


@pytest.fixture
def server(config: Config) -> Iterator[Server]:
    with Server(config) as found:
        yield found


MadeOnce = Callable[[str, Callable[[Web], bytes]], bytes]


@pytest.fixture(scope="session")
def made_once(
    tmp_path_factory: pytest.TempPathFactory, cluster: Cluster, clip: Clip, brought_in: BroughtIn
) -> MadeOnce:
    """Bytes that a server makes, by a name; made once in a test run, on a database of their own."""

    def made(name: str, make: Callable[[Web], bytes]) -> bytes:
        def fill(folder: Path) -> None:
            with fresh(cluster) as url:
                config = Config(url, str(folder / "blobs"), folder / "var", max_upload=64 << 20)
                with served(config, clip, brought_in) as web:
                    (folder / "bytes").write_bytes(make(web))

        return (shared(tmp_path_factory, name, fill) / "bytes").read_bytes()

    return made


def problem(answer: TestResponse, status: int) -> str:
    """The answer is a problem document (RFC 9457) with this status; its words."""
    assert answer.status_code == status, answer.get_data(as_text=True)[:400]
    assert answer.content_type == "application/problem+json"
    body = json.loads(answer.get_data())
    assert body["status"] == status
    assert body["title"].endswith(".")
    return f"{body['title']} {body['detail']}"


def stored(config: Config) -> list[Path]:
    """Every file in the blob store and the upload folder."""
    return [p for root in (Path(config.blobs), config.var) for p in root.rglob("*") if p.is_file()]


def decoded(data: bytes) -> np.ndarray:
    """A picture's pixels, (H, W) or (H, W, C), blue first."""
    return cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
