"""One supervisor for everything: database, server, worker. It stops all of them and leaves nothing running."""

from __future__ import annotations

import contextlib
import fcntl
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
from pathlib import Path

import psycopg
from sqlalchemy import select

from cuvrel import memory
from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.core.recipe.hashing import key_of
from cuvrel.logs import LogFile
from cuvrel.store.cluster import Cluster, close_to_others, free_port
from cuvrel.store.config import Config
from cuvrel.store.db import Database
from cuvrel.store.leases import store_of
from cuvrel.store.models import Project


class Child:
    """A process that is started again when it dies, more slowly each time it dies young."""

    def __init__(self, name: str, command: list[str], env: dict[str, str], log: Path) -> None:
        self.name, self._command, self._env, self._log = name, command, env, LogFile(log)
        self._process: subprocess.Popen[bytes] | None = None
        self._born, self._wait, self._next = 0.0, 0.2, 0.0

    @property
    def pid(self) -> int | None:
        """The process's id while it runs."""
        return self._process.pid if self._process and self._process.poll() is None else None

    def tend(self) -> None:
        """Starts the process when it is not running and it is time to."""
        if self.pid is not None:
            if time.monotonic() - self._born > 10:
                self._wait = 0.2
            return
        if self._process is not None and self._next == 0:
            say(f"The {self.name} ended (code {self._process.returncode}); starting it again.")
            self._next = time.monotonic() + self._wait
            self._wait = min(self._wait * 2, 10)
        if time.monotonic() < self._next:
            return
        self._process = subprocess.Popen(
            self._command,
            env=self._env,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            start_new_session=True,
            preexec_fn=_die_with_parent,
        )
        self._log.follow(self._process)
        self._born, self._next = time.monotonic(), 0.0

    def ask(self) -> None:
        """Asks the process group to end."""
        if self.pid is not None and self._process is not None:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(self._process.pid, signal.SIGTERM)

    def end(self, patience: float) -> None:
        """Waits for the end, then forces it."""
        if self._process is None:
            return
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._process.wait(patience)
        with contextlib.suppress(ProcessLookupError):
            os.killpg(self._process.pid, signal.SIGKILL)
        self._process.wait()


def _die_with_parent() -> None:
    """Linux: a supervisor that is killed outright takes its children along."""
    import ctypes

    ctypes.CDLL("libc.so.6", use_errno=True).prctl(1, signal.SIGTERM)  # PR_SET_PDEATHSIG


def up(var: Path, port: int = 8017, demo: bool = True, workers: int = 1, clips: list[str] | None = None) -> int:
    """Starts everything, prints the address, tends it until SIGINT or SIGTERM, stops everything."""
    os.umask(0o077)
    var.mkdir(parents=True, exist_ok=True)
    close_to_others(var)
    with (var / "lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            print(f"Cuvrel runs already from this folder: {_address(var)}")
            return 1
        return _run(var, port, demo, workers, clips)


def _address(var: Path) -> str:
    try:
        return str(json.loads((var / "address.json").read_text())["url"])
    except (OSError, ValueError, KeyError):
        return "its address is not known yet"


def _run(var: Path, port: int, demo: bool, workers: int, clips: list[str] | None) -> int:
    ending = False

    def end(*_: object) -> None:
        nonlocal ending
        ending = True

    signal.signal(signal.SIGINT, end)
    signal.signal(signal.SIGTERM, end)
    cluster, spare = Cluster(var / "postgres"), Spare(var / "spare")
    children: list[Child] = []
    for half_made in [var / "tmp", *var.glob("upload-*")]:  # by a process that was killed
        shutil.rmtree(half_made, ignore_errors=True)
    # kernels are compiled beside all else, once per state of the code, so that nobody waits for a first picture
    state, mark = state_of_code(), var / "compiled"
    compiling: list[subprocess.Popen[bytes]] = []
    if not mark.exists() or mark.read_text() != state:
        compiling = compilers()
    try:
        if not _started(cluster, spare, lambda: ending, first=True):
            return 0
        if cluster.folder.parent != var:
            say(f"The database lies in {cluster.folder}, as its own account can't get at {var}.")
        config = Config(database=cluster.url(), blobs=os.environ.get("CUVREL_BLOBS", str(var / "blobs")), var=var)
        database = Database(config.database)
        database.migrate()
        if demo and not ending and _empty(database):
            # heavy to load, and wanted once
            from cuvrel.demo.project import install

            install(database, store_of(config, database), _tell, clips)
        database.close()
        port = free_port(port)
        url = f"http://127.0.0.1:{port}/"
        env = {
            **os.environ,
            "CUVREL_DATABASE_URL": config.database,
            "CUVREL_BLOBS": config.blobs,
            "CUVREL_VAR": str(var),
            "TMPDIR": str(var / "tmp"),
            **memory.environment(),
        }
        (var / "tmp").mkdir(exist_ok=True)
        python = sys.executable
        children.append(
            Child(
                "server",
                [python, "-m", "cuvrel.cli", "serve", "--port", str(port)],
                env,
                var / "server.log",
            )
        )
        children += [
            Child(
                f"worker {n + 1}" if workers > 1 else "worker",
                [python, "-m", "cuvrel.cli", "worker"],
                env,
                var / "worker.log",
            )
            for n in range(workers)
        ]
        while any(one.poll() is None for one in compiling) and not ending:
            time.sleep(0.02)
        if compiling and all(one.poll() == 0 for one in compiling):
            _try(lambda: mark.write_text(state))
        for child in children:
            if not ending:
                child.tend()
        if not ending and _answers(url, lambda: ending):
            about = {"url": url, "database": config.database, "supervisor": os.getpid()}
            _try(lambda: _write(var / "address.json", about))
            say(f"\nCuvrel is ready at {url}\n{memory.told(workers)}\nStop it with Ctrl+C.\n")
        while not ending:
            if not cluster.running():
                say("The database went away; starting it again.")
                _started(cluster, spare, lambda: ending)
            for child in children:
                _try(child.tend)
            pids = {c.name: c.pid for c in children}
            _try(lambda pids=pids: _write(var / "processes.json", pids))  # type: ignore[misc]
            spare.keep()
            for _ in range(5):
                if not ending:
                    time.sleep(0.1)
    finally:
        for one in compiling:
            one.kill()
            one.wait()
        for child in children:
            child.ask()
        for child in children:
            child.end(4)
        _try(cluster.stop)
        _try(lambda: (var / "address.json").unlink(missing_ok=True))
        say("Stopped.")
    return 0


class Spare:
    """A file that takes up room, so that there is some for the database when all else of the disk is full.

    A database that can't write its log (WAL) stops, and needs room to start: the file goes then, and comes again when
    there is room.
    """

    def __init__(self, path: Path, size: int = 64 << 20) -> None:
        self._path, self._size = path, size

    def keep(self) -> None:
        """Makes the file where it is missing and there is ample room."""
        with contextlib.suppress(OSError):
            usage = shutil.disk_usage(self._path.parent)
            size = min(self._size, usage.total // 20)
            if self._path.exists() or usage.free < 4 * size:
                return
            with self._path.open("wb") as file:
                os.posix_fallocate(file.fileno(), 0, size)

    def give(self) -> bool:
        """Makes room by removing the file where the disk is full; says whether it did."""
        with contextlib.suppress(OSError):
            if self._path.exists() and shutil.disk_usage(self._path.parent).free < self._size // 2:
                self._path.unlink()
                return True
        return False


def say(text: str) -> None:
    """Prints, where that is possible: nobody may listen, and what is written to may be full."""
    _try(lambda: print(text, flush=True))


def _try(step: Callable[[], object]) -> bool:
    """Whether a step went well; the supervisor outlives what it can't write."""
    try:
        step()
    except (OSError, CuvrelError, psycopg.Error) as fault:
        with contextlib.suppress(OSError):
            print(str(fault).strip(), file=sys.stderr, flush=True)
        return False
    return True


def _started(cluster: Cluster, spare: Spare, ending: Callable[[], bool], first: bool = False) -> bool:
    """Starts the database; where it does not start, tries again, more slowly each time. False where all is to end.

    first: a fault that has nothing to do with room is a person's to mend, and raised.
    """
    wait, told = 0.5, ""
    while not ending():
        try:
            cluster.start()
            return True
        except (CuvrelError, psycopg.Error, OSError) as fault:
            full = shutil.disk_usage(cluster.folder.parent).free < 64 << 20
            if first and not full:
                raise
            sentence = "The disk is full; the database starts when there is room." if full else str(fault).strip()
            if sentence != told:
                say(sentence)
                told = sentence
            if spare.give():
                continue
        deadline = time.monotonic() + wait
        while time.monotonic() < deadline and not ending():
            time.sleep(0.1)
        wait = min(5.0, wait * 1.5)
    return False


def compilers() -> list[subprocess.Popen[bytes]]:
    """Processes that compile all kernels, each a part of them."""
    return [
        subprocess.Popen(
            [sys.executable, "-c", f"from cuvrel.core.warm import warm_up; warm_up([{part}])"],
            stdin=subprocess.DEVNULL,
            start_new_session=True,
            preexec_fn=_die_with_parent,
        )
        for part in (0, 1)
    ]


def state_of_code() -> str:
    """Changes whenever a file with kernels does."""
    files = sorted((Path(__file__).parent / "core").rglob("*.py"))
    return key_of([[file.name, file.stat().st_mtime_ns] for file in files], sys.version)


def _empty(database: Database) -> bool:
    """Whether there is no project yet."""
    with database.session() as session:
        return session.scalar(select(Project.id).limit(1)) is None


def _tell(text: str) -> None:
    """The first start takes a minute or two: say what is going on."""
    say(f"Making the {text} ...")


def _write(path: Path, about: dict[str, object]) -> None:
    """The file whole or as it was: others read it meanwhile."""
    beside = path.with_suffix(".new")
    beside.write_text(json.dumps(about) + "\n")
    beside.replace(path)


def _answers(url: str, ending: Callable[[], bool], seconds: float = 60) -> bool:
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline and not ending():
        try:
            with urllib.request.urlopen(url + "api/health", timeout=2):
                return True
        except (urllib.error.URLError, OSError):
            time.sleep(0.05)
    return False
