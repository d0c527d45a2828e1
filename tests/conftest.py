"""What all tests share: a small clip with its truth, and a database server of their own."""

from __future__ import annotations

import json
import shutil
import tempfile
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from footage.render import render
from hypothesis import settings

from cuvrel.core import catalogue
from cuvrel.core.media.probe import MediaInfo, probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.recipe.models import Mark
from cuvrel.store.blobs import Blobs
from cuvrel.store.cluster import Cluster
from cuvrel.store.config import Config
from cuvrel.store.db import Database
from cuvrel.store.leases import store_of
from cuvrel.supervise import compilers
from tests.brought_in import BroughtIn, bring_in
from tests.shared import shared

catalogue.load()

# a first example may wait for a kernel to be compiled, which says nothing about it
settings.register_profile("compiles", deadline=None)
settings.load_profile("compiles")


LONGEST = ("faults", "ui")  # folders of tests that mostly wait


def pytest_configure(config: pytest.Config) -> None:
    """Compiles all kernels before the workers start, on all cores, so that each is not compiled by every one."""
    if hasattr(config, "workerinput") or config.option.collectonly:
        return
    if getattr(config.option, "numprocesses", None):
        for one in compilers():
            assert one.wait() == 0, "a kernel does not compile"


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Puts the longest tests first, so that cores that share all of them end together.

    Tests that start a program of their own stay together by file, all others are shared out one by one.
    """
    items.sort(key=lambda item: LONGEST.index(name) if (name := item.path.parent.name) in LONGEST else len(LONGEST))
    for item in items:
        if item.path.parent.name in ("faults", "demo", "training"):
            item.add_marker(pytest.mark.xdist_group(item.path.stem))


class Clip:
    """A rendered clip: its files, any frame of it, and its true matte."""

    def __init__(self, folder: Path, name: str) -> None:
        self.path, self.alpha = folder / f"{name}.mp4", folder / f"{name}.alpha.mkv"
        self.about: dict[str, Any] = json.loads((folder / f"{name}.json").read_text())
        self.info: MediaInfo = probe(self.path)
        self._pictures, self._truth = Reader(self.path, self.info), Reader(self.alpha, probe(self.alpha))

    def frame(self, number: int) -> np.ndarray:
        return self._pictures.frame(number)

    def truth(self, number: int) -> np.ndarray:
        return self._truth.frame(number)[..., 0].astype(np.float32) / 255

    def marks(self, frame: int | None = None) -> list[Mark]:
        """The clip's strokes, on the frame that they are of or on another."""
        at, more = (self.about["frame"], "") if frame is None else (frame, f"f{frame}")
        return [Mark(id=f"s{i}{more}", frame=at, **stroke) for i, stroke in enumerate(self.about["strokes"])]


@pytest.fixture(scope="session")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Clip:
    """The signaller at 480 x 270, 16 frames."""

    def make(folder: Path) -> None:
        render(folder, "signaller", scale=0.375, frames=16, samples=3, instants=4, to="small")

    return Clip(shared(tmp_path_factory, "clip", make), "small")


@contextmanager
def cluster_folder() -> Iterator[Path]:
    """A temporary folder that the server's own user can get at."""
    folder = Path(tempfile.mkdtemp(prefix="cuvrel-test-"))
    folder.chmod(0o755)
    try:
        yield folder / "postgres"
    finally:
        shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """A PostgreSQL server in a temporary folder, with a migrated database to copy from."""
    with cluster_folder() as folder:
        server = Cluster(folder)
        server.start()
        database = Database(server.url())
        database.migrate()
        database.close()
        try:
            yield server
        finally:
            server.stop()


@contextmanager
def fresh(cluster: Cluster) -> Iterator[str]:
    """The URL of a database of its own."""
    name = f"t{uuid.uuid4().hex[:12]}"
    with cluster.connect() as connection:
        connection.execute(f"CREATE DATABASE {name} TEMPLATE cuvrel OWNER cuvrel")
    yield cluster.url(name)
    with cluster.connect() as connection:
        connection.execute(f"DROP DATABASE {name} WITH (FORCE)")


@pytest.fixture(scope="session")
def brought_in(tmp_path_factory: pytest.TempPathFactory, cluster: Cluster, clip: Clip) -> BroughtIn:
    """The clip as footage that is ready."""

    def make(folder: Path) -> None:
        with fresh(cluster) as url:
            database = Database(url)
            bring_in(database, clip.path, folder)
            database.close()

    return BroughtIn(shared(tmp_path_factory, "brought-in", make))


@pytest.fixture
def config(cluster: Cluster, tmp_path: Path) -> Iterator[Config]:
    """A fresh database and an empty blob store."""
    with fresh(cluster) as url:
        yield Config(url, str(tmp_path / "blobs"), tmp_path / "var", max_upload=64 << 20)


@pytest.fixture
def database(config: Config) -> Iterator[Database]:
    found = Database(config.database)
    yield found
    found.close()


@pytest.fixture
def blobs(config: Config, database: Database) -> Blobs:
    return store_of(config, database)
