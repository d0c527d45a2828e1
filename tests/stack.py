"""The whole program as `make demo` starts it, in a folder of its own."""

from __future__ import annotations

import atexit
import contextlib
import json
import os
import shutil
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from http.client import HTTPException
from pathlib import Path
from typing import Any

from cuvrel.store.cluster import Cluster, free_port
from cuvrel.supervise import state_of_code


def wait_for(check: Callable[[], Any], seconds: float = 60, what: str = "") -> Any:
    """The first truthy answer; asks again until then."""
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        with contextlib.suppress(OSError, ValueError, KeyError, urllib.error.URLError, HTTPException):
            if found := check():
                return found
        time.sleep(0.05)
    raise AssertionError(f"it never came to this: {what or check}")


def _copy(source: Path, to: Path) -> None:
    """A copy of a folder, of which every file has the owner that it had."""
    to.parent.mkdir(parents=True, exist_ok=True)
    subprocess.run(["cp", "-a", str(source), str(to)], check=True)


def forget(var: Path) -> None:
    """Removes, when the tests are through, a database that lies elsewhere than in its folder."""

    def remove() -> None:
        there = Cluster(var / "postgres").folder
        if not there.is_relative_to(var):
            shutil.rmtree(there, ignore_errors=True)

    atexit.register(remove)


class Stack:
    """Starts, asks, kills parts of, and stops the program.

    demo: whether it has the demo project; clips: which of its clips, with commas between, all of them for None.
    """

    def __init__(
        self, folder: Path, demo: bool, clips: str | None = "signaller", like: Path | None = None, compiled: bool = True
    ) -> None:
        """like: the var folder of a stack that has stopped, to begin with. compiled: its kernels have been compiled."""
        self.var, self._demo, self._clips = folder / "var", demo, clips
        forget(self.var)
        if like is not None:
            _copy(like, self.var)
            # root's cluster lies elsewhere where the server's own user can't get at this folder
            source, to = Cluster(like / "postgres").folder, Cluster(self.var / "postgres").folder
            if not to.exists():
                _copy(source, to)
        self.var.mkdir(parents=True, exist_ok=True)
        if compiled:
            (self.var / "compiled").write_text(state_of_code())
        self.process: subprocess.Popen[bytes] | None = None
        self.url = ""

    def start(self) -> None:
        args = [sys.executable, "-m", "cuvrel.cli", "up", "--port", str(free_port(0))]
        # two cores have enough to do: what is needed is loaded when it is
        env = {**os.environ, "CUVREL_VAR": str(self.var), "CUVREL_WARM": "0"}
        demo = [] if self._demo else ["--no-demo"]
        if self._demo and self._clips:
            demo = ["--demo-clips", self._clips]
        self.var.mkdir(parents=True, exist_ok=True)
        with (self.var / "up.log").open("ab") as log:
            self.process = subprocess.Popen(args + demo, env=env, stdout=log, stderr=log, start_new_session=True)
        try:
            about = wait_for(lambda: json.loads((self.var / "address.json").read_text()), 400, "an address")
        except AssertionError:
            self.stop()
            raise
        self.url = about["url"].rstrip("/")
        wait_for(lambda: self.pids(), 30, "processes")

    def stop(self) -> int:
        """As Ctrl+C does."""
        assert self.process is not None
        if self.process.poll() is None:
            self.process.send_signal(signal.SIGINT)
        return self.process.wait(60)

    def pids(self) -> dict[str, int]:
        found = json.loads((self.var / "processes.json").read_text())
        return found if all(found.values()) else {}

    def postmaster(self) -> int:
        cluster = Cluster(self.var / "postgres")
        return int((cluster.folder / "data/postmaster.pid").read_text().splitlines()[0])

    def kill_quietly(self, what: str) -> None:
        """Kills a process that may be gone already, and waits for nothing."""
        with contextlib.suppress(OSError, ValueError, LookupError):
            os.kill(self.postmaster() if what == "postgres" else self.pids()[what], signal.SIGKILL)

    def kill(self, what: str) -> None:
        pid = self.postmaster() if what == "postgres" else wait_for(self.pids, 30, "processes")[what]
        os.kill(pid, signal.SIGKILL)
        if what != "postgres":
            wait_for(lambda: self.pids().get(what) not in (None, pid), 30, f"a new {what}")

    def ask(self, path: str, body: Any = None, method: str | None = None) -> Any:
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(
            self.url + path, data, {"Content-Type": "application/json"}, method=method or ("POST" if data else "GET")
        )
        with urllib.request.urlopen(request, timeout=30) as answer:
            return json.loads(answer.read() or b"null")

    def post(self, path: str) -> Any:
        return self.ask(path, method="POST")

    def fetch(self, path: str) -> bytes:
        with urllib.request.urlopen(self.url + path, timeout=60) as answer:
            return bytes(answer.read())

    def upload(self, project: int, file: Path) -> dict[str, Any]:
        """Brings a video in and waits until it is ready."""
        edge = "quay-edge-5417"
        head = f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{file.name}"\r\n\r\n'
        body = head.encode() + file.read_bytes() + f"\r\n--{edge}--\r\n".encode()
        request = urllib.request.Request(
            f"{self.url}/api/projects/{project}/footage",
            body,
            {"Content-Type": f"multipart/form-data; boundary={edge}"},
        )
        with urllib.request.urlopen(request, timeout=60) as answer:
            footage = json.loads(answer.read())["footage"]["id"]

        def ready() -> Any:
            found = next(f for f in self.ask(f"/api/projects/{project}")["footage"] if f["id"] == footage)
            assert found["state"] != "refused", found["message"]
            return found if found["state"] == "ready" else None

        return wait_for(ready, 60, "ready footage")
