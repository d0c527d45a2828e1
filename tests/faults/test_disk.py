"""A disk that fills up, for real: new work is refused, the program lives, and all comes back when there is room."""

from __future__ import annotations

import contextlib
import os
import subprocess
import tempfile
import time
import urllib.error
from collections.abc import Iterator
from pathlib import Path

import httpx
import numpy as np
import pytest

from tests.conftest import Clip
from tests.faults.test_faults import edit, rename, state
from tests.stack import Stack, wait_for

SIZE = 700  # megabytes
FILLS = int(os.environ.get("CUVREL_FILLS", "5"))
MOST = 400  # edits that are tried on a full disk


@pytest.fixture(scope="module")
def small() -> Iterator[Path]:
    """A small disk of its own."""
    folder = Path(tempfile.mkdtemp(prefix="cuvrel-disk-"))
    folder.chmod(0o755)
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={SIZE}m", "tmpfs", str(folder)], capture_output=True)
    if mounted.returncode:
        folder.rmdir()
        pytest.skip("this account may not mount a disk")
    folder.chmod(0o755)
    yield folder
    subprocess.run(["umount", "-l", str(folder)], check=True)
    folder.rmdir()


@pytest.fixture(scope="module")
def stack(small: Path) -> Iterator[Stack]:
    found = Stack(small, demo=False)
    found.start()
    yield found
    found.stop()


def fill(folder: Path, leave: int) -> Path:
    """A file that leaves so many bytes of the disk free."""
    to = folder / "filler"
    with to.open("wb") as file:
        free = os.statvfs(folder).f_bavail * os.statvfs(folder).f_frsize
        with contextlib.suppress(OSError):
            os.posix_fallocate(file.fileno(), 0, max(1, free - leave))
    return to


def answers(stack: Stack, shot: int) -> int:
    """The status with which an edit is answered."""
    try:
        rename(stack, shot, f"Named {time.monotonic()}")
    except urllib.error.HTTPError as fault:
        return fault.code
    except (urllib.error.URLError, OSError):
        return 0
    return 200


def test_a_full_disk_ends_nothing_for_good(stack: Stack, small: Path, clip: Clip) -> None:
    project = stack.ask("/api/projects", {"name": "Tide"})["id"]
    footage = stack.upload(project, clip.path)
    shot = stack.ask(f"/api/projects/{project}/shots", {"name": "Shot 01", "footage": footage["id"]})["id"]
    edit(stack, shot, [{"op": "replace", "path": "/name", "value": "Before"}])

    # nearly full: new work is refused with a sentence, edits are saved
    filler = fill(small, 20 << 20)
    health = stack.ask("/api/health")
    assert health["disk"]["low"]
    with pytest.raises(urllib.error.HTTPError) as refused:
        stack.upload(project, clip.path)
    assert refused.value.code == 507
    rename(stack, shot, "Nearly full")
    before = state(stack, shot)

    # full: whatever is acknowledged stays, whatever is not is said
    filler.unlink()
    filler = fill(small, 0)
    acknowledged = 0
    for _ in range(MOST):  # what the database has set aside lasts for some
        if answers(stack, shot) != 200:
            break
        acknowledged += 1
    stack.kill_quietly("postgres")  # it needs room to come back
    wait_for(lambda: answers(stack, shot) != 200, 60, "an edit that can't be saved")
    assert stack.process is not None
    assert stack.process.poll() is None, "the supervisor lives"

    # room again: all is back by itself
    filler.unlink()
    after = wait_for(lambda: state(stack, shot), 120, "an answer")
    assert after[0] >= before[0] + acknowledged
    assert wait_for(lambda: answers(stack, shot) == 200, 30, "an edit")
    assert not stack.ask("/api/health")["disk"]["low"]
    assert wait_for(lambda: (stack.var / "spare").exists(), 30, "the spare room")
    assert stack.upload(project, clip.path)["state"] == "ready"


@pytest.mark.long
def test_a_disk_that_is_full_again_and_again_loses_nothing_and_all_goes_on(
    stack: Stack, small: Path, clip: Clip
) -> None:
    """At random points of footage that comes in, an export and edits; what stopped goes on when there is room."""
    rng = np.random.default_rng(1867)
    project = stack.ask("/api/projects", {"name": "Storm"})["id"]
    footage = stack.upload(project, clip.path)
    shot = stack.ask(f"/api/projects/{project}/shots", {"name": "Shot 01", "footage": footage["id"]})["id"]
    for _ in range(FILLS):
        before = stack.ask(f"/api/shots/{shot}")["revision"]
        jobs = [stack.ask(f"/api/shots/{shot}/exports", {"how": "ffv1"})["id"]]
        acknowledged = 0
        with httpx.Client(base_url=stack.url, timeout=60) as client, clip.path.open("rb") as file:
            sent = client.post(f"/api/projects/{project}/footage", files={"file": ("clip.mp4", file)})
            jobs.append(sent.json()["job"]["id"])
        time.sleep(2 * rng.random())
        filler = fill(small, int(rng.integers(40 << 20)))
        until = time.monotonic() + 3
        while time.monotonic() < until:
            acknowledged += answers(stack, shot) == 200
        filler.unlink()
        assert wait_for(lambda: answers(stack, shot) == 200, 120, "an edit")
        assert stack.ask(f"/api/shots/{shot}")["revision"] >= before + acknowledged
        for job in jobs:
            wait_for(lambda job=job: stack.ask(f"/api/jobs/{job}")["state"] == "done", 120, "the end of a job")
            stack.ask(f"/api/jobs/{job}", method="DELETE")
            stack.ask(f"/api/jobs/{job}?for_good=true", method="DELETE")
