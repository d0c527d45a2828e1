"""Changes are told as they happen, and a server under strain answers with a sentence."""

import json
import queue
import threading
import time
from typing import Any

from cuvrel.store.config import Config
from cuvrel.web.app import create_app
from tests.web.conftest import Web, problem


def test_changes_are_told_as_they_happen(web: Web) -> None:
    shot = web.shot()
    mine = web.services.listener.subscribe()
    web.mark(shot)
    told: list[dict[str, Any]] = []
    deadline = time.monotonic() + 10
    while time.monotonic() < deadline and not {"shot", "frame"} <= {t["event"] for t in told}:
        try:
            told.append(json.loads(mine.get(timeout=1) or "{}"))
        except queue.Empty:
            continue
    frame = next(t for t in told if t["event"] == "frame")
    assert (frame["shot"], frame["pull"], frame["frame"], frame["origin"]) == (shot, "t1", 0, "touched")
    assert next(t for t in told if t["event"] == "shot")["revision"] == web.get(f"/api/shots/{shot}").json["revision"]
    web.services.listener.unsubscribe(mine)


def test_the_stream_begins_with_a_sign_of_life(web: Web) -> None:
    answer = web.client.get("/api/events", buffered=False)
    assert answer.mimetype == "text/event-stream"
    first = next(iter(answer.response))
    assert b"hello" in (first if isinstance(first, bytes) else first.encode())
    answer.close()


def test_a_listener_that_does_not_read_is_started_over(web: Web) -> None:
    listener = web.services.listener
    mine = listener.subscribe()
    for n in range(2100):
        listener._give(str(n))
    assert mine.get_nowait() is None
    listener.unsubscribe(mine)


def test_a_database_that_is_away_is_a_503_with_a_sentence(config: Config) -> None:
    away = Config("postgresql+psycopg://cuvrel@127.0.0.1:1/none", config.blobs, config.var)
    app = create_app(away)
    assert "away" in problem(app.test_client().get("/api/projects"), 503)


def test_many_requests_at_once_get_the_same_picture(web: Web) -> None:
    shot = web.shot()
    key = web.keys(shot)["keys"][2]
    path = f"/api/shots/{shot}/picture/{key}?view=result&frame=2&width=240"
    found: list[bytes] = []
    threads = [threading.Thread(target=lambda: found.append(web.app.test_client().get(path).data)) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    assert len(set(found)) == 1
    assert len(found) == 6
