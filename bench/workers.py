"""One worker against two on the same export, each held to a core of its own as two small machines would be.

On one machine a worker's kernels use all cores already, and a second one gains little.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from tests.stack import Stack, wait_for


def run(frames: int = 96) -> None:
    """Prints the seconds that the same export takes of one worker and of two."""
    with tempfile.TemporaryDirectory(prefix="cuvrel-bench-") as name:
        stack = Stack(Path(name), demo=True)
        cores = sorted(os.sched_getaffinity(0))
        os.sched_setaffinity(0, cores[:1])  # what is started from here on has this core alone
        stack.start()
        try:
            shot = stack.ask("/api/projects")["projects"][0]["shots"][0]["id"]
            _export(stack, shot)  # what is compiled and opened once
            alone = _export(stack, shot)
            os.sched_setaffinity(0, cores[-1:])
            second = _worker(stack, Path(name) / "second")
            os.sched_setaffinity(0, cores)
            try:
                time.sleep(8)
                both = _export(stack, shot)
            finally:
                second.terminate()
                second.wait(30)
            print(f"{frames} frames of the demo's first shot, H.264: one worker {alone:.1f} s, two {both:.1f} s, "
                  f"{alone / both:.2f} times as fast, a core each")  # fmt: skip
        finally:
            stack.stop()


def _export(stack: Stack, shot: int) -> float:
    begun = time.monotonic()
    job = stack.ask(f"/api/shots/{shot}/exports", {"how": "h264"})["id"]
    done: Any = wait_for(lambda: (j := stack.ask(f"/api/jobs/{job}"))["state"] in ("done", "failed") and j, 600)
    assert done["state"] == "done", done["message"]
    return time.monotonic() - begun


def _worker(stack: Stack, var: Path) -> subprocess.Popen[bytes]:
    var.mkdir()
    from cuvrel.store.cluster import Cluster

    url = Cluster(stack.var / "postgres").url()
    env = {**os.environ, "CUVREL_DATABASE_URL": url, "CUVREL_BLOBS": str(stack.var / "blobs"), "CUVREL_VAR": str(var)}
    return subprocess.Popen([sys.executable, "-m", "cuvrel.cli", "worker"], env=env)
