"""Blobs under the hash of their content: a folder, or any object store that fsspec knows."""

from __future__ import annotations

import contextlib
import os
import re
import shutil
import time
import uuid
from collections.abc import Callable, Iterator
from pathlib import Path

import fsspec
from fsspec.implementations.local import LocalFileSystem

from cuvrel.core.recipe.hashing import hash_bytes, hash_file
from cuvrel.store.disk_space import Room

FETCHED = int(os.environ.get("CUVREL_FETCHED", 20 << 30))
"""Bytes that copies of remote blobs may take on this machine."""
_KEY = re.compile(r"^[0-9a-f]{40}$")
_HALF = re.compile(r"^\.new-([0-9a-f]{40})-")
Lease = Callable[[str], None]


def is_key(text: str) -> bool:
    """Whether this may be the key of a blob."""
    return _KEY.match(text) is not None


class Blobs:
    """A write is complete or absent: it is made beside its place and then moved there.

    url: a folder or an fsspec URL. scratch: a local folder for copies of remote blobs. lease: called with a key before
    it is looked for or written, so that nothing removes it until a row names it (store/leases.py).
    """

    def __init__(self, url: str, scratch: Path, lease: Lease = lambda key: None) -> None:
        # what another machine has just written must be seen: no list of what lies there is kept
        self.fs, self.root = fsspec.core.url_to_fs(url, **({"use_listings_cache": False} if "://" in url else {}))
        self._local = isinstance(self.fs, LocalFileSystem)
        # an object store shows an object whole or not at all; moving one there would copy it once more
        self._whole = url.startswith(("s3://", "gs://", "gcs://", "az://", "abfs://"))
        self.scratch, self._lease = scratch, lease
        self.room = Room([Path(self.root), scratch] if self._local else [scratch])
        if not self._whole:
            self.fs.makedirs(self.root, exist_ok=True)

    def _place(self, key: str) -> str:
        if not is_key(key):
            raise ValueError(f"not a blob key: {key!r}")
        return f"{self.root}/{key[:2]}/{key}"

    def put(self, data: bytes, by_hand: bool = False) -> str:
        """Keeps the bytes and returns their key. by_hand: they come of an edit (see Room.hold). Raises NoRoom."""
        key = hash_bytes(data)
        place = self._place(key)
        self._lease(key)
        if self.fs.exists(place):
            return key
        self.room.hold(len(data), by_hand)
        if self._whole:
            self.fs.pipe_file(place, data)
            return key
        beside = self._beside(place)
        if self._local:
            written(Path(beside), data)
        else:
            with self.fs.open(beside, "wb") as file:
                file.write(data)
        self._move(beside, place)
        return key

    def put_file(self, path: Path) -> str:
        """Takes the file in (it is moved where that is possible) and returns its key. Raises NoRoom."""
        key = hash_file(path)
        place = self._place(key)
        self._lease(key)
        if self.fs.exists(place):
            path.unlink()
            return key
        self.room.hold(0)
        if self._whole:
            self.fs.put_file(str(path), place)
            path.unlink()
            return key
        beside = self._beside(place)
        if self._local:
            shutil.move(path, beside)
            flushed(Path(beside))
        else:
            self.fs.put_file(str(path), beside)
            path.unlink()
        self._move(beside, place)
        return key

    def _beside(self, place: str) -> str:
        folder, key = place.rsplit("/", 1)
        if self._local:
            make_folder(Path(folder))
        else:
            self.fs.makedirs(folder, exist_ok=True)
        return f"{folder}/.new-{key}-{uuid.uuid4().hex}"

    def _move(self, beside: str, place: str) -> None:
        if self._local:
            os.replace(beside, place)
            flushed(Path(place).parent)
        else:
            self.fs.mv(beside, place)

    def get(self, key: str) -> bytes:
        """The bytes. Raises FileNotFoundError."""
        return bytes(self.fs.cat_file(self._place(key)))

    def has(self, key: str) -> bool:
        """Whether the blob is there."""
        return bool(self.fs.exists(self._place(key)))

    def size(self, key: str) -> int:
        """Bytes of the blob; 0 where it is not there."""
        try:
            return int(self.fs.size(self._place(key)) or 0)
        except FileNotFoundError:
            return 0

    def path(self, key: str) -> Path:
        """A local file with the blob's content; a remote blob is fetched once."""
        place = self._place(key)
        if self._local:
            return Path(place)
        local = self.scratch / "fetched" / key
        if local.exists():
            os.utime(local)  # it is of use: it goes later than what is not
        else:
            local.parent.mkdir(parents=True, exist_ok=True)
            self._make_room(local.parent, self.size(key))
            beside = local.with_suffix(f".{uuid.uuid4().hex}")
            self.fs.get_file(place, str(beside))
            beside.replace(local)
        return local

    def _make_room(self, folder: Path, coming: int) -> None:
        """Lets go of copies that were not used for longest, once all of them take more than FETCHED bytes."""
        there = sorted((file.stat().st_mtime, file.stat().st_size, file) for file in folder.iterdir())
        room = FETCHED - coming - sum(size for _, size, _ in there)
        for used, size, file in there:
            if room >= 0 or time.time() - used < 60:
                return
            file.unlink(missing_ok=True)
            room += size

    def listed(self) -> Iterator[str]:
        """The keys of all blobs that are there, whole or half-made; a key may come more than once."""
        for place in self.fs.find(self.root):
            if (key := key_of(place.rsplit("/", 1)[-1])) is not None:
                yield key

    def remove(self, key: str) -> bool:
        """Removes a blob, and what a write of it that was cut off has left; whether there was any."""
        place = self._place(key)
        gone = 0
        for one in self._parts(place):
            with contextlib.suppress(FileNotFoundError):
                self.fs.rm_file(one)
                gone += 1
        return gone > 0

    def _parts(self, place: str) -> list[str]:
        """The blob of this place and half-made ones of it, those that are there."""
        if self._whole:  # what is half-made is not seen there
            return [place] if self.fs.exists(place) else []
        folder, key = place.rsplit("/", 1)
        try:
            there = self.fs.ls(folder, detail=False)
        except FileNotFoundError:
            return []
        names = (str(one).rsplit("/", 1)[-1] for one in there)
        return [f"{folder}/{name}" for name in names if key_of(name) == key]


def key_of(name: str) -> str | None:
    """Which blob a file is, or was to become; None for what no blob is called."""
    if is_key(name):
        return name
    half = _HALF.match(name)
    return half[1] if half else None


def written(path: Path, data: bytes) -> None:
    """Writes a new file, and returns once it outlasts a loss of power, all but its name (see `flushed`)."""
    with path.open("wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())


def make_folder(path: Path) -> None:
    """Makes a folder, and those above it, so that their names outlast a loss of power."""
    if not path.is_dir():
        make_folder(path.parent)
        path.mkdir(exist_ok=True)
        flushed(path.parent)


def flushed(path: Path) -> None:
    """Returns once a file's content, or the names in a folder, outlast a loss of power (fsync of POSIX)."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
