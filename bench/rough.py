"""What a rough world does to the program: streams, kills, odd calls, hostile files, a full disk, memory. One table."""

from __future__ import annotations

import asyncio
import contextlib
import json
import os
import resource
import socket
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.error
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from http.client import HTTPException
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from tests.stack import Stack, wait_for

from bench.hostile import SEED, written
from bench.mutants import mutants
from cuvrel.demo.project import CLIPS

Rows = list[tuple[str, str]]
STREAMS, CLIENTS, ROUNDS = 500, 20, 30
KILLS, WRITERS, SECONDS = 100, 4, 3.0
STALLED = 1000
MUTANTS = 1000
FILLS = 20
NOW, PEAK = "VmRSS", "VmHWM"  # what the system calls a process's memory now, and the most that it has had
RESULT = "view=%7B%22kind%22:%22result%22%7D"  # how an address says that all planes are to be seen


def run(only: str | None = None) -> None:
    """Runs all parts, or those whose names are given with commas between, and prints one table."""
    parts: dict[str, Callable[[], Rows]] = {
        "streams": streams, "clients": clients, "kills": kills, "calls": calls, "files": files, "mutants": changed,
        "disk": disk, "memory": memory,
    }  # fmt: skip
    wanted = only.split(",") if only else list(parts)
    for name in wanted:
        begun = time.monotonic()
        for what, figure in parts[name]():
            print(f"| {name} | {what} | {figure} |", flush=True)
        print(f"| {name} | seconds | {time.monotonic() - begun:.0f} |", flush=True)


@contextmanager
def _program(folder: Path | None = None, demo: bool = False) -> Iterator[Stack]:
    with tempfile.TemporaryDirectory(prefix="cuvrel-bench-") as name:
        stack = Stack(folder or Path(name), demo=demo, clips=None, compiled=False)
        stack.start()
        try:
            yield stack
        finally:
            stack.stop()


def _shot(stack: Stack, clip: str = "signaller") -> int:
    project = stack.ask("/api/projects", {"name": "Storm"})["id"]
    footage = stack.upload(project, CLIPS / f"{clip}.mp4")["id"]
    return int(stack.ask(f"/api/projects/{project}/shots", {"name": "Shot", "footage": footage})["id"])


def streams() -> Rows:
    """What requests take with and without so many event streams."""

    async def asked(client: httpx.AsyncClient, shot: int, count: int) -> list[float]:
        took = []
        for n in range(count):
            begun = time.perf_counter()
            answer = await client.get(f"/api/shots/{shot}/keys?{RESULT}&first={n}&last={n + 8}&width=480")
            answer.raise_for_status()
            took.append(time.perf_counter() - begun)
        return took

    async def both(url: str, shot: int) -> tuple[float, float, int]:
        limits = httpx.Limits(max_connections=None)
        async with httpx.AsyncClient(base_url=url, limits=limits, timeout=60) as client:

            async def median() -> float:
                all_ = await asyncio.gather(*(asked(client, shot, ROUNDS) for _ in range(CLIENTS)))
                return statistics.median(one for took in all_ for one in took)

            await median()
            without = await median()
            waiting = [client.stream("GET", "/api/events") for _ in range(STREAMS)]
            answers = [await one.__aenter__() for one in waiting]
            opened = sum(answer.status_code == 200 for answer in answers)
            with_ = await median()
            for one in waiting:
                await one.__aexit__(None, None, None)
            return without, with_, opened

    with _program() as stack:
        without, with_, opened = asyncio.run(both(stack.url, _shot(stack)))
    return [("streams open", str(opened)), (f"a request's median, {CLIENTS} clients", f"{1000 * without:.0f} ms"),
            ("the same with the streams", f"{1000 * with_:.0f} ms, {with_ / without:.2f} times"),
            ]  # fmt: skip


def clients() -> Rows:
    """What health takes beside so many connections that stall: in a head, in a body, in an answer that is not read."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (min(hard, max(soft, 4 * STALLED)), hard))
    with _program() as stack, contextlib.ExitStack() as opened:
        project = stack.ask("/api/projects", {"name": "Storm"})["id"]
        footage = stack.upload(project, CLIPS / "signaller.mp4")
        shot = stack.ask(f"/api/projects/{project}/shots", {"name": "Shot", "footage": footage["id"]})["id"]
        job = stack.ask(f"/api/shots/{shot}/exports", {"how": "ffv1"})["id"]
        wait_for(lambda: stack.ask(f"/api/jobs/{job}")["state"] == "done", 300, "an export")
        host, _, port = stack.url.removeprefix("http://").partition(":")
        sent = [
            b"GET /api/projects HTTP/1.1\r\nHost: local",
            f"POST /api/projects/{project}/footage HTTP/1.1\r\nHost: {host}\r\nContent-Length: 900000\r\n\r\n".encode(),
            f"GET /api/jobs/{job}/file HTTP/1.1\r\nHost: {host}\r\n\r\n".encode(),
        ]

        def asked(count: int) -> list[float]:
            took = []
            for _ in range(count):
                begun = time.perf_counter()
                stack.ask("/api/health")
                took.append(1000 * (time.perf_counter() - begun))
                time.sleep(0.05)
            return took

        without = asked(20)
        for n in range(STALLED):
            client = opened.enter_context(socket.socket())
            client.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
            client.connect((host, int(port)))
            client.sendall(sent[n % len(sent)])
        coming = asked(40)
        beside = asked(100)
    medians = statistics.median(without), statistics.median(beside)
    return [("connections that stall", str(STALLED)), ("health without them, median", f"{medians[0]:.0f} ms"),
            ("the longest while they come, a third of them answers that begin", f"{max(coming):.0f} ms"),
            ("health beside them, median and longest of 100", f"{medians[1]:.0f} and {max(beside):.0f} ms"),
            ]  # fmt: skip


def kills() -> Rows:
    """Whether an edit that was acknowledged is ever lost, whatever is killed; several people edit all the while."""
    rng = np.random.default_rng(SEED)
    lost, slowest = 0, 0.0
    with _program() as stack:
        project = stack.ask("/api/projects", {"name": "Storm"})["id"]
        footage = stack.upload(project, CLIPS / "signaller.mp4")["id"]
        shots = [int(stack.ask(f"/api/projects/{project}/shots", {"name": f"Shot {n}", "footage": footage})["id"])
                 for n in range(WRITERS)]  # fmt: skip
        revisions, acknowledged = dict.fromkeys(shots, 0), dict.fromkeys(shots, 0)

        def write(shot: int) -> None:
            deadline = time.monotonic() + SECONDS
            while time.monotonic() < deadline:
                ops = [{"op": "replace", "path": "/name", "value": f"Named {acknowledged[shot]}"}]
                body = {"revision": revisions[shot], "ops": ops}
                with contextlib.suppress(urllib.error.URLError, OSError, HTTPException):
                    revisions[shot] = stack.ask(f"/api/shots/{shot}/edits", body)["revision"]
                    acknowledged[shot] += 1

        for _ in range(KILLS):
            victim = ("server", "worker", "postgres")[int(rng.integers(3))]
            with ThreadPoolExecutor(WRITERS) as pool:
                writing = [pool.submit(write, shot) for shot in shots]
                time.sleep(SECONDS * rng.random())
                begun = time.monotonic()
                wait_for(stack.pids, 120, "processes")
                stack.kill_quietly(victim)
                for one in writing:
                    one.result()
            for shot in shots:
                about: Any = wait_for(lambda shot=shot: stack.ask(f"/api/shots/{shot}"), 120, "an answer")
                lost += about["revision"] < revisions[shot]
                revisions[shot] = about["revision"]
            slowest = max(slowest, time.monotonic() - begun - SECONDS)
    return [("kills", str(KILLS)), ("edits acknowledged", str(sum(acknowledged.values()))),
            ("times some were lost", str(lost)), ("longest until an answer", f"{slowest:.1f} s")]  # fmt: skip


def calls() -> Rows:
    """Calls made from the API's own document, by a fixed seed: the suite's own test of it, at length."""
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-m", "", "tests/web/test_described.py", "-k", "thousands"],
        capture_output=True, text=True, env={**os.environ, "CUVREL_CALLS": "10000"},
    )  # fmt: skip
    return [("10,000 calls", "all as described" if done.returncode == 0 else done.stdout.strip()[-300:])]


def _memory(pid: int, field: str) -> float:
    """A process's memory in megabytes. field: NOW or PEAK."""
    lines = Path(f"/proc/{pid}/status").read_text().splitlines()
    return int(next(line for line in lines if line.startswith(field)).split()[1]) / 1024


def files() -> Rows:
    """Hostile files: how they end, and what memory they take."""
    with tempfile.TemporaryDirectory() as name:
        return _sent((what, shown, path.read_bytes()) for what, shown, path in written(Path(name), flips=25))


def changed() -> Rows:
    """So many files of every kind, changed where their structure is: how they end, and what memory they take."""
    return _sent((name, name, data) for name, data in mutants(MUTANTS))


def _sent(files: Iterable[tuple[str, str, bytes]]) -> Rows:
    ends = {"ready": 0, "refused at once": 0, "refused by the job": 0, "other": 0}
    longest = 0.0
    with _program() as stack:
        before = {what: _memory(pid, PEAK) for what, pid in stack.pids().items()}
        project = stack.ask("/api/projects", {"name": "Storm"})["id"]
        for what, shown, data in files:
            begun = time.monotonic()
            with httpx.Client(base_url=stack.url, timeout=120) as client:
                answer = client.post(f"/api/projects/{project}/footage", files={"file": (shown, data)})
            if answer.status_code in (413, 422):
                ends["refused at once"] += 1
                continue
            if answer.status_code != 202:
                ends["other"] += 1
                print(f"{what}: {answer.status_code} {answer.text[:200]}")
                continue
            job = answer.json()["job"]["id"]
            ended: Any = wait_for(
                lambda job=job: (j := stack.ask(f"/api/jobs/{job}"))["state"] in ("done", "failed") and j, 120
            )
            good = ended["state"] == "done" or "inside the program" not in ended["message"]
            ends["other" if not good else "ready" if ended["state"] == "done" else "refused by the job"] += 1
            longest = max(longest, time.monotonic() - begun)
        after = {what: _memory(pid, PEAK) for what, pid in stack.pids().items()}
    rows = [*((what, str(count)) for what, count in ends.items()), ("the longest took", f"{longest:.1f} s")]
    return rows + [(f"the {what}'s peak", f"{before[what]:.0f} to {after[what]:.0f} MB") for what in before]


def disk() -> Rows:
    """A small disk that fills up at random points, by the suite's own test of it."""
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-rs", "-m", "", "tests/faults/test_disk.py"],
        capture_output=True, text=True, env={**os.environ, "CUVREL_FILLS": str(FILLS)},
    )  # fmt: skip
    ended = "skipped: no disk may be mounted" if "SKIPPED" in done.stdout else "all came back, nothing was lost"
    return [(f"{FILLS} times full", ended if done.returncode == 0 else done.stdout.strip()[-300:])]


def memory() -> Rows:
    """The demo looked at and exported: what server and worker take at the most, and at rest."""
    with _program(demo=True) as stack:
        pids = stack.pids()
        rows = [(f"the {what} begins with", f"{_memory(pid, 'VmRSS'):.0f} MB") for what, pid in pids.items()]
        shots = [shot["id"] for project in stack.ask("/api/projects")["projects"] for shot in project["shots"]]

        def look(shot: int) -> None:
            keys = json.loads(stack.fetch(f"/api/shots/{shot}/keys?{RESULT}&first=0&last=400&width=960"))["keys"]
            for n, key in list(enumerate(keys))[::4]:
                stack.fetch(f"/api/shots/{shot}/picture/{key}?{RESULT}&frame={n}&width=960")

        with ThreadPoolExecutor(8) as pool:
            list(pool.map(look, shots))
        jobs = [stack.ask(f"/api/shots/{shot}/exports", {"how": "h264"})["id"] for shot in shots[:6]]
        for job in jobs:
            wait_for(lambda job=job: stack.ask(f"/api/jobs/{job}")["state"] == "done", 900, "an export")
        rows += [(f"the {what}'s peak", f"{_memory(pid, 'VmHWM'):.0f} MB") for what, pid in pids.items()]
        time.sleep(30)
        return rows + [(f"the {what} at rest", f"{_memory(pid, 'VmRSS'):.0f} MB") for what, pid in pids.items()]
