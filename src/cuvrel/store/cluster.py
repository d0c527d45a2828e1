"""The project's own PostgreSQL server on loopback, from Debian's packages."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import tempfile
import time
from hashlib import blake2b
from pathlib import Path

import psycopg

from cuvrel.core.recipe.errors import CuvrelError


def binaries() -> Path:
    """The folder of the newest installed server. Raises CuvrelError when there is none."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda p: int(p.parts[-3]))
    if found:
        return found[-1].parent
    if there := shutil.which("initdb"):
        return Path(there).resolve().parent
    raise CuvrelError("PostgreSQL's server is not installed.", "Run 'make setup', or install the package 'postgresql'.")


def free_port(wanted: int) -> int:
    """`wanted` when nothing listens there, else one that the system picks."""
    for port in (wanted, 0):
        with socket.socket() as sock:
            sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                sock.bind(("127.0.0.1", port))
            except OSError:
                continue
            return int(sock.getsockname()[1])
    raise CuvrelError("There is no free port on this machine.")


class Cluster:
    """A database cluster in a folder. Root starts it as the user postgres, anyone else as themselves."""

    def __init__(self, folder: Path, port: int = 54817) -> None:
        self._as = ["runuser", "-u", "postgres", "--"] if os.geteuid() == 0 else []
        self.folder = self._reachable(folder)
        self.log = self.folder / "server.log"
        self.port = port

    def _reachable(self, folder: Path) -> Path:
        """A folder that the server's user can get at: `folder`, or one under the system's temporary folder."""
        if not self._as:
            folder.mkdir(parents=True, exist_ok=True)
            return folder
        folder.parent.mkdir(parents=True, exist_ok=True)
        if subprocess.run([*self._as, "test", "-x", str(folder.parent)], capture_output=True).returncode == 0:
            return folder
        mark = blake2b(str(folder).encode(), digest_size=6).hexdigest()
        return Path(tempfile.gettempdir()) / f"cuvrel-postgres-{mark}"

    def _run(self, program: str, *args: str) -> subprocess.CompletedProcess[str]:
        done = subprocess.run([*self._as, str(binaries() / program), *args], capture_output=True, text=True, cwd="/")
        if done.returncode:
            more = self.log.read_text(errors="replace")[-600:] if self.log.exists() else ""
            raise CuvrelError(
                f"PostgreSQL: {program} failed.", f"{(done.stderr or done.stdout).strip()}\n{more}".strip()
            )
        return done

    def url(self, database: str = "cuvrel") -> str:
        """SQLAlchemy's URL of a database in this cluster."""
        return f"postgresql+psycopg://cuvrel@127.0.0.1:{self.port}/{database}"

    def running(self) -> bool:
        """Whether this folder's server is up; takes over the port it listens on."""
        pid_file = self.folder / "data" / "postmaster.pid"
        try:
            lines = pid_file.read_text().splitlines()
            os.kill(int(lines[0]), 0)
            self.port = int(lines[3])
        except (OSError, IndexError, ValueError):
            return False
        try:
            psycopg.connect(
                host="127.0.0.1", port=self.port, user="cuvrel", dbname="postgres", connect_timeout=2
            ).close()
        except psycopg.Error:
            return False
        return True

    def start(self) -> None:
        """Makes the cluster when it is new, starts the server when it is down, makes the database."""
        data = self.folder / "data"
        if not (data / "PG_VERSION").exists():
            if self._as:
                self.folder.mkdir(parents=True, exist_ok=True)
                shutil.chown(self.folder, "postgres", "postgres")
            self._run("initdb", "-D", str(data), "-U", "cuvrel", "--auth=trust", "-E", "UTF8", "--locale=C.UTF-8")
        if not self.running():
            self._forget_dead()
            self._listen(data)
        self._ensure("cuvrel")

    def _listen(self, data: Path) -> None:
        """Starts the server on the wanted port, or on another one where that is taken."""
        while True:
            self.port = free_port(self.port)
            options = (
                f"-p {self.port} -c listen_addresses=127.0.0.1 -c unix_socket_directories='' "
                "-c max_connections=120 -c shared_buffers=64MB"
            )
            try:
                self._run("pg_ctl", "-D", str(data), "-o", options, "-l", str(self.log), "-w", "start")
                return
            except CuvrelError:
                # another program that starts at the same time may have taken the port that was free a moment ago
                if free_port(self.port) == self.port:
                    raise

    def _forget_dead(self) -> None:
        """A killed server that nobody has reaped yet looks alive to the next one: its lock file goes."""
        lock = self.folder / "data" / "postmaster.pid"
        try:
            state = Path(f"/proc/{int(lock.read_text().split()[0])}/stat").read_text().rsplit(")", 1)[1].split()[0]
        except (OSError, ValueError, IndexError):
            return
        if state == "Z":
            lock.unlink(missing_ok=True)

    def _ensure(self, database: str) -> None:
        deadline = time.monotonic() + 30
        while True:
            try:
                with psycopg.connect(
                    host="127.0.0.1", port=self.port, user="cuvrel", dbname="postgres", autocommit=True
                ) as c:
                    if not c.execute("SELECT 1 FROM pg_database WHERE datname = %s", (database,)).fetchone():
                        c.execute(psycopg.sql.SQL("CREATE DATABASE {}").format(psycopg.sql.Identifier(database)))
                return
            except psycopg.OperationalError:
                # recovering after a crash: it takes connections in a moment
                if time.monotonic() > deadline:
                    raise
                time.sleep(0.1)

    def stop(self) -> None:
        """Stops the server when it runs."""
        if (self.folder / "data" / "postmaster.pid").exists():
            self._run("pg_ctl", "-D", str(self.folder / "data"), "-m", "fast", "-w", "stop")
