"""What a rough world does to the program: streams, kills, odd calls, hostile files, a full disk, memory. One table."""

from __future__ import annotations

import asyncio
import contextlib
import json
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.error
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from tests.stack import Stack, wait_for

from bench.hostile import SEED, written
from cuvrel.demo.project import CLIPS

Rows = list[tuple[str, str]]
STREAMS, CLIENTS, ROUNDS = 500, 20, 30
KILLS = 12
DISK = 700  # megabytes
NOW, PEAK = "VmRSS", "VmHWM"  # what the system calls a process's memory now, and the most that it has had
RESULT = "view=%7B%22kind%22:%22result%22%7D"  # how an address says that all planes are to be seen


def run(only: str | None = None) -> None:
    """Runs all parts, or those whose names are given with commas between, and prints one table."""
    parts: dict[str, Callable[[], Rows]] = {
        "streams": streams, "kills": kills, "calls": calls, "files": files, "disk": disk, "memory": memory,
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


def kills() -> Rows:
    """Whether an edit that was acknowledged is ever lost, whatever is killed."""
    rng = np.random.default_rng(SEED)
    acknowledged, lost, slowest = 0, 0, 0.0
    with _program() as stack:
        shot = _shot(stack)
        name, revision = "Shot", 0
        for _ in range(KILLS):
            deadline = time.monotonic() + 1.5
            while time.monotonic() < deadline:
                name = f"Named {acknowledged}"
                ops = [{"op": "replace", "path": "/name", "value": name}]
                with contextlib.suppress(urllib.error.URLError, OSError):
                    revision = stack.ask(f"/api/shots/{shot}/edits", {"revision": revision, "ops": ops})["revision"]
                    acknowledged += 1
            victim = ("server", "worker", "postgres")[int(rng.integers(3))]
            begun = time.monotonic()
            stack.kill_quietly(victim)
            about: Any = wait_for(lambda: stack.ask(f"/api/shots/{shot}"), 120, "an answer")
            slowest = max(slowest, time.monotonic() - begun)
            lost += about["revision"] < revision
            revision = about["revision"]
    return [("kills", str(KILLS)), ("edits acknowledged", str(acknowledged)), ("times some were lost", str(lost)),
            ("longest until an answer", f"{slowest:.1f} s")]  # fmt: skip


def calls() -> Rows:
    """Calls made from the API's own document, by a fixed seed: the suite's own test of it."""
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "tests/web/test_described.py"],
        capture_output=True, text=True,
    )  # fmt: skip
    return [("2,000 calls and more", "all as described" if done.returncode == 0 else done.stdout.strip()[-300:])]


def _memory(pid: int, field: str) -> float:
    """A process's memory in megabytes. field: NOW or PEAK."""
    lines = Path(f"/proc/{pid}/status").read_text().splitlines()
    return int(next(line for line in lines if line.startswith(field)).split()[1]) / 1024


def files() -> Rows:
    """Hostile files: how they end, and what memory they take."""
    ends = {"ready": 0, "refused at once": 0, "refused by the job": 0, "other": 0}
    with tempfile.TemporaryDirectory() as name, _program() as stack:
        before = {what: _memory(pid, PEAK) for what, pid in stack.pids().items()}
        project = stack.ask("/api/projects", {"name": "Storm"})["id"]
        for what, shown, path in written(Path(name), flips=25):
            with path.open("rb") as file, httpx.Client(base_url=stack.url, timeout=120) as client:
                answer = client.post(f"/api/projects/{project}/footage", files={"file": (shown, file)})
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
        after = {what: _memory(pid, PEAK) for what, pid in stack.pids().items()}
    rows = [(what, str(count)) for what, count in ends.items()]
    return rows + [(f"the {what}'s peak", f"{before[what]:.0f} to {after[what]:.0f} MB") for what in before]


def disk() -> Rows:
    """A small disk that fills up, by the suite's own test of it."""
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-rs", "tests/faults/test_disk.py"],
        capture_output=True, text=True,
    )  # fmt: skip
    ended = "skipped: no disk may be mounted" if "SKIPPED" in done.stdout else "all came back, nothing was lost"
    return [(f"a disk of {DISK} MB", ended if done.returncode == 0 else done.stdout.strip()[-300:])]


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
