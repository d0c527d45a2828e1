"""The database server of the project's own: who gets in, and what an earlier release left."""

from __future__ import annotations

import os
import pwd
import stat
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.store.cluster import OWNER, Cluster
from cuvrel.store.db import Database
from cuvrel.store.models import Project
from tests.conftest import cluster_folder


@pytest.fixture
def folder() -> Iterator[Path]:
    with cluster_folder() as found:
        yield found


@pytest.fixture
def server(folder: Path) -> Iterator[Cluster]:
    found = Cluster(folder)
    found.start()
    yield found
    found.stop()


def test_the_owner_is_no_superuser_and_nothing_listens_on_a_port(server: Cluster) -> None:
    assert server.running()
    with server.connect("cuvrel", OWNER) as c:
        assert c.execute("SELECT rolsuper, rolcreatedb FROM pg_roles WHERE rolname = current_user").fetchone() == (
            False,
            False,
        )
        assert c.execute("SHOW listen_addresses").fetchone() == ("",)
        with pytest.raises(psycopg.errors.InsufficientPrivilege):
            c.execute("COPY (SELECT 1) TO PROGRAM 'true'")
    assert stat.S_IMODE(server.socket.stat().st_mode) == 0o700


@pytest.mark.skipif(os.geteuid() != 0, reason="only root can become another account")
def test_another_account_is_refused(server: Cluster) -> None:
    """Even one that gets at the socket: its folder is opened for the test."""
    nobody = pwd.getpwnam("nobody")
    server.socket.chmod(0o777)
    (server.socket / ".s.PGSQL.5432").chmod(0o777)
    server.folder.chmod(0o755)
    script = (
        "import os, psycopg\n"
        f"os.setgid({nobody.pw_gid}); os.setuid({nobody.pw_uid})\n"
        "for user in ('cuvrel', 'postgres'):\n"
        f"    try: psycopg.connect(host={str(server.socket)!r}, user=user, dbname='cuvrel'); print('in')\n"
        "    except psycopg.OperationalError as fault: print('Peer authentication failed' in str(fault))\n"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=60)
    assert done.stdout.split() == ["True", "True"], done.stderr


def test_what_an_earlier_release_made_belongs_to_the_owner_now(folder: Path) -> None:
    old = Cluster(folder)
    old._own(old.folder)
    old._run("initdb", "-D", str(old.data), "-U", "cuvrel", "--auth=trust", "-E", "UTF8", "--locale=C.UTF-8")
    listens = f"-p 5432 -c listen_addresses='' -c unix_socket_directories='{old.folder}'"
    old._run("pg_ctl", "-D", str(old.data), "-o", listens, "-l", str(old.log), "-w", "start")
    with psycopg.connect(host=str(old.folder), user="cuvrel", dbname="postgres", autocommit=True) as c:
        c.execute("CREATE DATABASE cuvrel")
    database = Database(f"postgresql+psycopg://cuvrel@/cuvrel?host={old.folder}")
    database.migrate()
    with database.session() as session:
        session.add(Project(name="Kept"))
    database.close()

    new = Cluster(folder)
    new.start()  # takes it over from the one that runs
    try:
        database = Database(new.url())
        database.migrate()
        with database.session() as session:
            assert session.query(Project).one().name == "Kept"
            session.add(Project(name="New"))
        database.close()
        with new.connect("cuvrel", OWNER) as c:
            assert c.execute("SELECT rolsuper FROM pg_roles WHERE rolname = current_user").fetchone() == (False,)
            c.execute("ALTER TABLE projects ADD COLUMN later int")
    finally:
        new.stop()


def test_a_server_that_cannot_start_says_why(folder: Path) -> None:
    server = Cluster(folder)
    server.start()
    server.stop()
    assert not server.running()
    (folder / "data" / "postgresql.conf").write_text("no such setting\n")
    with pytest.raises(CuvrelError, match="pg_ctl failed") as raised:
        server.start()
    assert "postgresql.conf" in raised.value.hint


def test_a_socket_whose_path_would_be_too_long_lies_elsewhere(folder: Path) -> None:
    far = Cluster(folder / ("far-" * 30))
    assert len(str(far.socket)) < 100
    assert Cluster(folder / ("far-" * 30)).socket == far.socket
