"""The project's own PostgreSQL server, from Debian's packages, behind a socket that only its owner gets at.

It listens on no port. The folder of its socket is closed to everybody else, and the kernel tells the server who is at
the other end (peer authentication): the account that runs Cuvrel may be `cuvrel`, who owns the database and nothing
more, or `postgres`, for making databases; any other account is refused.
"""

from __future__ import annotations

import os
import pwd
import shutil
import socket
import subprocess
import tempfile
import time
from hashlib import blake2b
from pathlib import Path
from urllib.parse import quote

import psycopg
from psycopg import sql

from cuvrel.core.recipe.errors import CuvrelError

OWNER, ADMIN, FORMER = "cuvrel", "postgres", "cuvrel_upgrade"
_PORT = 5432  # names the socket; nothing listens there
_LARGEST_LOG = 4 << 20  # bytes after which the server's log goes on in a new file
_LONGEST = 100  # characters of a socket's path; the kernel takes 107
_SETTINGS = {
    "listen_addresses": "''", "unix_socket_permissions": "0700", "max_connections": "120", "shared_buffers": "64MB",
    "log_checkpoints": "off",
}  # fmt: skip
_OWNED = """
DO $$ DECLARE one record; BEGIN
  FOR one IN SELECT c.oid::regclass AS name, c.relkind FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
      WHERE n.nspname = 'public' AND c.relkind IN ('r', 'v', 'S', 'p')
      AND NOT EXISTS (SELECT 1 FROM pg_depend d WHERE d.objid = c.oid AND d.deptype IN ('a', 'i')) LOOP
    EXECUTE format('ALTER %s %s OWNER TO cuvrel',
                   CASE one.relkind WHEN 'S' THEN 'SEQUENCE' WHEN 'v' THEN 'VIEW' ELSE 'TABLE' END, one.name);
  END LOOP;
  FOR one IN SELECT t.oid::regtype AS name FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace
      WHERE n.nspname = 'public' AND (t.typtype IN ('e', 'd') OR t.typtype = 'c' AND EXISTS
      (SELECT 1 FROM pg_class c WHERE c.oid = t.typrelid AND c.relkind = 'c')) LOOP
    EXECUTE format('ALTER TYPE %s OWNER TO cuvrel', one.name);
  END LOOP;
  FOR one IN SELECT p.oid::regprocedure AS name FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace
      WHERE n.nspname = 'public' LOOP
    EXECUTE format('ALTER ROUTINE %s OWNER TO cuvrel', one.name);
  END LOOP;
END $$
"""
"""Gives all that an earlier release made, as superuser, to who owns it now."""


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


def close_to_others(folder: Path) -> None:
    """Closes a folder to everybody but its owner; the server's own user may still go through it where it must."""
    if os.geteuid() != 0:
        folder.chmod(0o700)
        return
    os.chown(folder, -1, pwd.getpwnam(ADMIN).pw_gid)
    folder.chmod(0o710)


def _works_in(process: Path, folder: Path) -> bool:
    """Whether a process (of /proc) is at work in a folder, as every process of a database server is in its data."""
    try:
        return (process / "cwd").readlink() == folder and (process / "stat").read_text().rpartition(")")[2][1] != "Z"
    except OSError:
        return False


class Cluster:
    """A database cluster in a folder. Root starts it as the user postgres, anyone else as themselves."""

    def __init__(self, folder: Path) -> None:
        self._as = ["runuser", "-u", ADMIN, "--"] if os.geteuid() == 0 else []
        self.folder = self._reachable(folder.absolute())
        self.log = self.folder / "server.log"
        self.data = self.folder / "data"
        self.socket = self._socket()

    def _reachable(self, folder: Path) -> Path:
        """A folder that the server's user can get at: `folder`, or one in that user's home."""
        if not self._as:
            return folder
        folder.parent.mkdir(parents=True, exist_ok=True)
        if (folder / "data/PG_VERSION").exists() or self._may_enter(folder.parent.parent):
            return folder
        mark = blake2b(str(folder).encode(), digest_size=6).hexdigest()
        former = Path(tempfile.gettempdir()) / f"cuvrel-postgres-{mark}"  # where earlier releases had it
        return former if (former / "data").exists() else Path(pwd.getpwnam(ADMIN).pw_dir) / f"cuvrel-{mark}"

    def _may_enter(self, folder: Path) -> bool:
        return subprocess.run([*self._as, "test", "-x", str(folder)], capture_output=True).returncode == 0

    def _socket(self) -> Path:
        """The folder of the socket, which lies elsewhere where its path would be too long for the kernel."""
        wanted = self.folder / "socket"
        if len(str(wanted / f".s.PGSQL.{_PORT}")) <= _LONGEST:
            return wanted
        mark = blake2b(str(self.folder).encode(), digest_size=8).hexdigest()
        return Path(tempfile.gettempdir()) / f"cuvrel-{mark}"

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
        return f"postgresql+psycopg://{OWNER}@/{database}?host={quote(str(self.socket), safe='')}&port={_PORT}"

    def connect(self, database: str = "postgres", user: str = ADMIN) -> psycopg.Connection:
        """A connection that commits each statement; as ADMIN it may make and drop databases."""
        return psycopg.connect(
            host=str(self.socket), port=_PORT, user=user, dbname=database, autocommit=True, connect_timeout=10
        )

    def _postmaster(self) -> list[str]:
        """The lines of the running server's own file: process, data, start, port, socket, address, memory, state."""
        try:
            lines = (self.data / "postmaster.pid").read_text().splitlines()
            name, _, rest = Path(f"/proc/{int(lines[0])}/stat").read_text().partition("(")[2].rpartition(")")
        except (OSError, IndexError, ValueError):
            return []
        # its number may have gone to another program, and a killed one that nobody has reaped yet still has its own
        alive = name.startswith("postgres") and rest.split()[0] != "Z"
        return [line.strip() for line in lines] if alive else []

    def _forget_dead(self) -> None:
        """Removes the file of a killed server, which may look alive to the next one, once none of its processes is."""
        lock = self.data / "postmaster.pid"
        if not lock.exists():
            return
        deadline = time.monotonic() + 20
        while any(_works_in(pid, self.data) for pid in Path("/proc").glob("[0-9]*")):
            if time.monotonic() > deadline:
                return  # the next one will see it, and say so
            time.sleep(0.05)
        lock.unlink(missing_ok=True)

    def running(self) -> bool:
        """Whether this folder's server is up and takes connections, as it says itself."""
        lines = self._postmaster()
        return len(lines) >= 8 and lines[7] == "ready"

    def start(self) -> None:
        """Makes the cluster when it is new, starts the server when it is down, makes the database."""
        self._own(self.folder)
        self._own(self.socket)
        if not (self.data / "PG_VERSION").exists():
            self._run("initdb", "-D", str(self.data), "-U", ADMIN, "--auth=peer", "-E", "UTF8", "--locale=C.UTF-8")
        self._admit()
        lines = self._postmaster()
        if lines and (len(lines) < 5 or lines[4] != str(self.socket)):
            self.stop()  # an earlier release's, which listens on a port
            lines = []
        if not lines:
            self._forget_dead()
            options = " ".join(f"-c {name}={value}" for name, value in _SETTINGS.items())
            options += f" -p {_PORT} -c unix_socket_directories='{self.socket}'"
            if self.log.exists() and self.log.stat().st_size > _LARGEST_LOG:
                self.log.replace(self.log.with_suffix(".log.1"))
            self._run("pg_ctl", "-D", str(self.data), "-o", options, "-l", str(self.log), "-w", "-t", "120", "start")
        self._ensure()

    def _own(self, folder: Path) -> None:
        """Makes a folder that belongs to the server's user and is closed to all others."""
        folder.mkdir(parents=True, exist_ok=True)
        mine = os.geteuid() if not self._as else pwd.getpwnam(ADMIN).pw_uid
        if folder.stat().st_uid not in (mine, os.geteuid()):
            raise CuvrelError(f"The folder {folder} belongs to another account.", "Move it away.")
        if self._as:
            shutil.chown(folder, ADMIN, ADMIN)
        folder.chmod(0o700)

    def _admit(self) -> None:
        """Says who may connect: this account and the server's own, and nobody over the network."""
        me, server = pwd.getpwuid(os.geteuid()).pw_name, ADMIN if self._as else pwd.getpwuid(os.geteuid()).pw_name
        allowed = [(me, OWNER), (me, ADMIN), (me, FORMER), (server, ADMIN)]
        lines = "".join(f'cuvrel "{account}" {role}\n' for account, role in dict.fromkeys(allowed))
        for name, text in (("pg_hba.conf", "local all all peer map=cuvrel\n"), ("pg_ident.conf", lines)):
            text = f"# written by Cuvrel whenever it starts\n{text}"
            if (self.data / name).read_text() != text:
                (self.data / name).write_text(text)

    def _ensure(self) -> None:
        """Makes the owner and the database, once the server takes connections."""
        deadline = time.monotonic() + 120
        while True:
            try:
                with self._admin() as c:
                    if not c.execute("SELECT 1 FROM pg_roles WHERE rolname = %s", (OWNER,)).fetchone():
                        c.execute(sql.SQL("CREATE ROLE {} LOGIN").format(sql.Identifier(OWNER)))
                    c.execute(sql.SQL("DROP ROLE IF EXISTS {}").format(sql.Identifier(FORMER)))
                    found = c.execute(
                        "SELECT pg_get_userbyid(datdba) FROM pg_database WHERE datname = %s", (OWNER,)
                    ).fetchone()
                    if found is None:
                        c.execute("CREATE DATABASE cuvrel OWNER cuvrel")
                    elif found[0] != OWNER:
                        with self.connect("cuvrel") as theirs:
                            theirs.execute(_OWNED)
                        c.execute("ALTER DATABASE cuvrel OWNER TO cuvrel")
                return
            except psycopg.OperationalError:
                # recovering after a crash: it takes connections in a moment
                if time.monotonic() > deadline:
                    raise
                time.sleep(0.1)

    def _admin(self) -> psycopg.Connection:
        """A connection as ADMIN. In an earlier release's cluster the superuser has the owner's name: it is renamed."""
        try:
            return self.connect()
        except psycopg.OperationalError as fault:
            if f'role "{ADMIN}" does not exist' not in str(fault):
                raise
        with self.connect(user=OWNER) as c:
            c.execute(sql.SQL("DROP ROLE IF EXISTS {}").format(sql.Identifier(FORMER)))
            c.execute(sql.SQL("CREATE ROLE {} SUPERUSER LOGIN").format(sql.Identifier(FORMER)))
        with self.connect(user=FORMER) as c:
            c.execute(sql.SQL("ALTER ROLE {} RENAME TO {}").format(sql.Identifier(OWNER), sql.Identifier(ADMIN)))
        return self.connect()

    def stop(self) -> None:
        """Stops the server when it runs."""
        if self._postmaster():
            self._run("pg_ctl", "-D", str(self.data), "-m", "fast", "-w", "-t", "60", "stop")
