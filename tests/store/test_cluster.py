"""The database server of the project's own."""

from __future__ import annotations

import socket
from collections.abc import Iterator
from pathlib import Path

import pytest

from cuvrel.core.recipe.errors import CuvrelError
from cuvrel.store import cluster
from cuvrel.store.cluster import Cluster, free_port
from tests.conftest import cluster_folder


@pytest.fixture
def folder() -> Iterator[Path]:
    with cluster_folder() as found:
        yield found


def test_a_port_that_is_taken_while_the_server_starts_is_left_to_who_took_it(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with socket.create_server(("127.0.0.1", 0)) as other:
        taken = other.getsockname()[1]
        looks = iter([taken])  # at first it still looks free
        monkeypatch.setattr(cluster, "free_port", lambda wanted: next(looks, None) or free_port(wanted))
        server = Cluster(folder, taken)
        server.start()
        try:
            assert server.running()
            assert server.port != taken
        finally:
            server.stop()


def test_a_server_that_cannot_start_says_why(folder: Path) -> None:
    server = Cluster(folder, free_port(0))
    server.start()
    server.stop()
    (folder / "data" / "postgresql.conf").write_text("no such setting\n")
    with pytest.raises(CuvrelError, match="pg_ctl failed") as raised:
        server.start()
    assert "postgresql.conf" in raised.value.hint
