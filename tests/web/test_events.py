"""Changes are told as they happen, on streams that cost no request anything."""

from __future__ import annotations

import asyncio
import json
import threading
import time
from collections.abc import Iterator
from typing import Any

import httpx
import pytest

from cuvrel.store.config import Config
from cuvrel.store.db import MOST_TOLD, notify
from cuvrel.web import serving
from cuvrel.web.app import create_app
from cuvrel.web.listen import AGAIN, WAITING, Listener
from tests.shared import alone
from tests.web.conftest import SEEN, Server, Web, problem


def told(lines: Iterator[str]) -> Iterator[dict[str, Any]]:
    return (json.loads(line.removeprefix("data: ")) for line in lines if line.startswith("data: "))


def test_changes_are_told_as_they_happen(web: Web, server: Server) -> None:
    shot = web.shot()
    with httpx.stream("GET", f"{server.url}/api/events", timeout=20) as answer:
        assert answer.headers["content-type"].startswith("text/event-stream")
        assert answer.headers["cross-origin-resource-policy"] == "same-origin"
        events = told(answer.iter_lines())
        assert next(events)["event"] == "hello"
        web.mark(shot)
        seen: dict[str, dict[str, Any]] = {}
        while not {"shot", "frame"} <= seen.keys():
            event = next(events)
            seen[event["event"]] = event
    frame = seen["frame"]
    assert (frame["shot"], frame["pull"], frame["frame"], frame["origin"]) == (shot, "t1", 0, "touched")
    assert seen["shot"]["revision"] == web.get(f"/api/shots/{shot}").json["revision"]


def test_more_streams_than_threads_and_requests_are_answered_all_the_same(server: Server) -> None:
    async def crowd() -> list[float]:
        limits = httpx.Limits(max_connections=None)
        async with httpx.AsyncClient(base_url=server.url, limits=limits, timeout=30) as client:
            streams = [client.stream("GET", "/api/events") for _ in range(3 * serving.THREADS)]
            answers = [await one.__aenter__() for one in streams]
            assert {answer.status_code for answer in answers} == {200}
            for answer in answers:
                async for line in answer.aiter_lines():
                    if "hello" in line:
                        break
            took = []
            for _ in range(20):
                begun = time.perf_counter()
                assert (await client.get("/api/projects")).status_code == 200
                took.append(time.perf_counter() - begun)
            for one in streams:
                await one.__aexit__(None, None, None)
            return took

    assert max(alone(crowd())) < 10  # with a thread for each stream none of these was ever answered


@pytest.mark.parametrize(
    ("headers", "status"), [({"Host": "evil.example"}, 400), ({"Sec-Fetch-Site": "cross-site"}, 403)]
)
def test_a_stranger_hears_nothing(server: Server, headers: dict[str, str], status: int) -> None:
    answer = httpx.get(f"{server.url}/api/events", headers=headers)
    assert answer.status_code == status
    assert answer.headers["content-type"] == "application/problem+json"


def test_a_listener_that_does_not_read_is_started_over(config: Config) -> None:
    async def sleepy() -> str:
        listener = Listener(config.conninfo)
        async with listener.subscribed() as mine:
            for n in range(WAITING + 1):
                listener.give(str(n))
            first = mine.get_nowait()
            assert mine.empty()
        await listener.close()
        return first

    assert alone(sleepy()) == AGAIN


def test_what_is_too_long_for_a_notice_makes_everybody_look_anew(web: Web) -> None:
    async def heard() -> list[str]:
        listener = Listener(web.config.conninfo)
        async with listener.subscribed() as mine:
            with web.database.session() as session:
                notify(session, "job", job={"result": "x" * MOST_TOLD})
                notify(session, "job", job={"result": "x"})
            found = [await asyncio.wait_for(mine.get(), 10) for _ in range(2)]
        await listener.close()
        return found

    long, short = map(json.loads, alone(heard()))
    assert long == {"event": "again"}
    assert short == {"event": "job", "job": {"result": "x"}}


def test_a_database_that_is_away_is_a_503_with_a_sentence(config: Config) -> None:
    away = Config("postgresql+psycopg://cuvrel@127.0.0.1:1/none", config.blobs, config.var)
    app = create_app(away)
    assert "away" in problem(app.test_client().get("/api/projects"), 503)


def test_many_requests_at_once_get_the_same_picture(web: Web) -> None:
    shot = web.shot()
    key = web.keys(shot)["keys"][2]
    path = f"/api/shots/{shot}/picture/{key}?{SEEN}&frame=2&width=240"
    found: list[bytes] = []
    threads = [threading.Thread(target=lambda: found.append(web.app.test_client().get(path).data)) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    assert len(set(found)) == 1
    assert len(found) == 6
