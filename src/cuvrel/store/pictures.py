"""Pictures from the store: open readers, matte frames, and the stand's sources."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core.media.cube import read_cube
from cuvrel.core.media.managed import fingerprint, of_scene
from cuvrel.core.media.probe import MediaInfo
from cuvrel.core.media.reader import PART, Reader, Wanted, as_grey, resized
from cuvrel.core.media.sound import Samples, Stored
from cuvrel.core.media.writer import read_grey
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import MediaError
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.reel import Reel
from cuvrel.core.sound.mix import Mix
from cuvrel.core.sound.pieces import PiecesSound
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Node, node
from cuvrel.core.tracks.path import Measured
from cuvrel.store.blobs import Blobs
from cuvrel.store.documents import document_of
from cuvrel.store.frames import stored_blobs
from cuvrel.store.lying import holds, number_of, states
from cuvrel.store.models import FootageRow, ShotRow

if TYPE_CHECKING:
    from cuvrel.store.db import Database


def _by_owner(frames: list[list[Any]], inside: int | None) -> dict[str, dict[int, str]]:
    """A snapshot's frames of the shot itself, or of one that lies in it."""
    out: dict[str, dict[int, str]] = {}
    for owner, frame, blob, *number in frames:
        if blob and number == ([] if inside is None else [inside]):
            out.setdefault(owner, {})[frame] = blob
    return out


class Readers:
    """Open readers by blob, the least recently used ones closed.

    room: bytes of decoded frames that all of them keep.
    """

    def __init__(self, blobs: Blobs, room: int = 192 << 20, most: int = 6) -> None:
        self._blobs, self._most, self._each = blobs, most, room // most
        self._open: OrderedDict[tuple[str, Wanted, tuple[tuple[str, str], ...]], Reader] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, blob: str, info: MediaInfo, wanted: Wanted = "screen") -> Reader:
        """A reader of this blob's frames (see Reader)."""
        key = blob, wanted, tuple(sorted(info.hand.items()))
        with self._lock:
            if key not in self._open:
                self._open[key] = Reader(self._blobs.path(blob), info, self._each, wanted)
                while len(self._open) > self._most:
                    # whoever still uses it keeps it alive; it is closed with its last user
                    self._open.popitem(last=False)
            self._open.move_to_end(key)
            return self._open[key]

    def clear(self) -> None:
        """Closes all of them."""
        with self._lock:
            self._open.clear()


def sounds_of(
    session: Session, shot: Shot, blobs: Blobs, shots: Mapping[str, Any] | None = None, within: tuple[int, ...] = ()
) -> dict[str, Samples]:
    """The recordings that a shot's sound is made of, by the id of their footage; of a reel, what its pieces sound like.

    shots: the documents of what lies in it, by number, in place of those of now. within: what it lies in.
    """
    ids = [int(one) for one in (shot.plate, shot.sound.under) if one and one.isdigit()]
    rows = session.scalars(select(FootageRow).where(FootageRow.id.in_(ids)))
    out: dict[str, Samples] = {
        str(row.id): Stored(blobs.path(row.sound["blob"]), bool(row.sound["deep"])) for row in rows if row.sound
    }
    if isinstance(shot, Reel):
        mixes: dict[str, Mix] = {}
        for entry in {piece.shot for piece in shot.pieces}:
            number = number_of(entry)
            inner = None if number is None or number in within else _shot_now(session, number, shots)
            if number is not None and inner is not None:
                mixes[entry] = Mix(inner, sounds_of(session, inner, blobs, shots, (*within, number)))
        pieces = PiecesSound(shot, mixes)
        if not pieces.silent:
            out[shot.plate] = pieces
    return out


def _shot_now(session: Session, number: int, shots: Mapping[str, Any] | None) -> Shot | None:
    """A shot that lies in another one, of a snapshot or as it is now; None where it is not there."""
    if shots is not None:
        return read_shot(shots[str(number)]) if str(number) in shots else None
    row = session.get(ShotRow, number)
    return None if row is None or row.trashed is not None else document_of(session, row).shot


class StoredTrack(Mapping[int, Measured]):
    """A track's stored frames. blobs: where each lies, by frame."""

    def __init__(self, store: Blobs, blobs: Mapping[int, str]) -> None:
        self._store, self._blobs = store, blobs

    def __getitem__(self, frame: int) -> Measured:
        return _measured(self._store, self._blobs[frame])

    def __iter__(self) -> Iterator[int]:
        return iter(self._blobs)

    def __len__(self) -> int:
        return len(self._blobs)


@lru_cache(maxsize=20_000)
def _measured(store: Blobs, blob: str) -> Measured:
    """What a blob holds, which is the same for ever."""
    return Measured.unpacked(store.get(blob))


def _about(blob: str, info: MediaInfo, frame: int, size: tuple[int, int]) -> list[Any]:
    """What a picture of footage depends on."""
    managed = [fingerprint()] if info.hand.get("colour") else []
    return [blob, frame, size, *([info.hand] if info.hand else []), *managed]


@dataclass(frozen=True)
class _Known:
    """What pictures of footage depend on, as a row said it."""

    name: str
    state: str
    blob: str
    info: dict[str, Any]
    proxy: dict[str, Any]

    @property
    def key(self) -> tuple[Any, ...]:
        """The same for the same pictures: a file and how it is read tell what else is known of it."""
        return self.state, self.blob, self.info.get("hand"), self.proxy.get("blob"), self.proxy.get("config")


class Stands:
    """Stands that were built, by the shot as its row is and their scale: a question about one frame builds none anew.

    Safe to share; those last asked for are kept.
    """

    def __init__(self, most: int = 12) -> None:
        self._most = most
        self._kept: OrderedDict[Any, tuple[Stand, StoreSources]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Any, shot: Shot, sources: StoreSources) -> Stand:
        """The stand under a key, where its sources are still these; else a new one."""
        with self._lock:
            found = self._kept.get(key)
            if found is not None and found[0].shot is shot and sources.same(found[1]):
                self._kept.move_to_end(key)
                return found[0]
        made = Stand(shot, sources, key[-1])
        with self._lock:
            self._kept[key] = made, sources
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return made


class StoreSources:
    """The stand's sources for one shot, as the rows are now."""

    def __init__(
        self, session: Session, shot_id: int, shot: Shot, blobs: Blobs, readers: Readers, *,
        proxies: bool = True,
        frames: list[list[Any]] | None = None,
        shots: dict[str, dict[str, Any]] | None = None,
        within: tuple[int, ...] = (),
    ) -> None:  # fmt: skip
        """proxies: small pictures may come from the proxy. frames, shots: a snapshot to use in place of the rows (see
        lying.Whole); a snapshot of frames alone, as a version's, has the shots that lie in it as they are now. within:
        the shots that this one lies in, the outermost first.
        """
        self._blobs, self._readers, self._proxies = blobs, readers, proxies
        self._database: Database = session.info["database"]
        self._within, self._snapshot = (*within, shot_id), None if shots is None else (frames or [], shots)
        self._inside = {} if shots is not None else states(session, holds(shot))
        self._shots: dict[str, tuple[Shot, StoreSources]] = {}
        self._lock = threading.Lock()
        ids = [int(f.id) for f in shot.footage if f.id.isdigit()]
        rows = session.scalars(select(FootageRow).where(FootageRow.id.in_(ids)))
        # not the rows themselves: these are kept for longer than their session lasts
        self._footage = {str(r.id): _Known(r.name, r.state, r.blob, dict(r.info), dict(r.proxy)) for r in rows}
        inside = shot_id if within else None
        self._frames = stored_blobs(session, shot_id) if frames is None else _by_owner(frames, inside)

    def same(self, other: StoreSources) -> bool:
        """Whether these are the same footage, read the same way, and the same stored frames as of another one."""
        mine, theirs = ({ident: one.key for ident, one in of._footage.items()} for of in (self, other))
        if mine != theirs or self._inside != other._inside or self._frames.keys() != other._frames.keys():
            return False
        # lists that have not changed are not read again: they are the same objects
        return all(self._frames[owner] is other._frames[owner] for owner in self._frames)

    def inside(self, footage_id: str) -> tuple[Shot, StoreSources]:
        """See Sources; each is opened when it is first asked for."""
        with self._lock:
            if footage_id not in self._shots:
                self._shots[footage_id] = self._opened(number_of(footage_id))
            return self._shots[footage_id]

    def _opened(self, number: int | None) -> tuple[Shot, StoreSources]:
        if number is None or number in self._within:
            raise MediaError("A shot that lies in this one is not there.")
        more: dict[str, Any] = {"proxies": self._proxies, "within": self._within}
        with self._database.session() as session:
            if self._snapshot is not None:
                frames, shots = self._snapshot
                if str(number) not in shots:
                    raise MediaError("A shot that lies in this one is not there.")
                shot = read_shot(shots[str(number)])
                more |= {"frames": frames, "shots": shots}
            else:
                row = session.get(ShotRow, number)
                if row is None or row.trashed is not None:
                    raise MediaError("A shot that lies in this one is in the trash.")
                shot = document_of(session, row).shot
            return shot, StoreSources(session, number, shot, self._blobs, self._readers, **more)

    def picture(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        """A node of (H, W, 3) uint8 sRGB at `size`, from the proxy where that is large enough."""
        row = self._ready(footage_id)
        proxy = row.proxy
        if (
            self._proxies
            and proxy.get("hand", {}) == row.info.get("hand", {})
            and (not row.info.get("hand", {}).get("colour") or proxy.get("config") == fingerprint())
            and size[0] <= proxy["height"]
            and size[1] <= proxy["width"]
        ):
            blob, info = proxy["blob"], MediaInfo.from_json(proxy["info"])
        else:
            blob, info = row.blob, MediaInfo.from_json(row.info)
        readers = self._readers
        return node("footage", _about(blob, info, frame, size), [],
                    lambda: resized(readers.get(blob, info).frame(frame), size))  # fmt: skip

    def deep(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node | None:
        """See Sources; always from the footage itself."""
        row = self._ready(footage_id)
        info, blob, readers = MediaInfo.from_json(row.info), row.blob, self._readers
        if not info.deep:
            return None
        return node("deep", _about(blob, info, frame, size), [],
                    lambda: resized(readers.get(blob, info, "light").frame(frame), size))  # fmt: skip

    def _ready(self, footage_id: str) -> _Known:
        row = self._footage.get(footage_id)
        if row is None or row.state != "ready":
            raise MediaError("The footage of this shot is not there (yet).")
        return row

    def alpha(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        """A node of (H, W) float32, 0 to 1, at `size`, always from the footage itself."""
        row = self._ready(footage_id)
        blob, info, readers = row.blob, MediaInfo.from_json(row.info), self._readers
        return node("alpha", _about(blob, info, frame, size), [],
                    lambda: as_grey(readers.get(blob, info, "alpha").frame(frame), size))  # fmt: skip

    def part(self, footage_id: str, frame: int, part: str, size: tuple[int, int]) -> Node:
        """See Sources."""
        row = self._ready(footage_id)
        blob, info, readers = row.blob, MediaInfo.from_json(row.info), self._readers
        if part not in info.parts:
            raise MediaError(f"'{row.name}' has no part '{part}'.", "Choose another one.")
        return node("part", [blob, frame, part, size], [],
                    lambda: resized(readers.get(blob, info, PART + part).frame(frame), size))  # fmt: skip

    def table(self, footage_id: str) -> Node:
        """See Sources."""
        row = self._ready(footage_id)
        if row.info.get("kind") != "table":
            raise MediaError(f"'{row.name}' is no colour table.", "Bring in a .cube file.")
        blob, blobs = row.blob, self._blobs
        return node("table", blob, [], lambda: read_cube(blobs.path(blob)))

    def of_scene(self, footage_id: str) -> bool:
        """See Sources."""
        row = self._footage.get(footage_id)
        colour = "" if row is None else row.info.get("hand", {}).get("colour", "")
        return bool(colour) and of_scene(colour)

    def measured(self, track: str) -> Mapping[int, Measured]:
        """What is stored of a track, by frame; each frame is read when it is asked for."""
        return StoredTrack(self._blobs, self._frames.get(track, {}))

    def stored(self, owner: str, frame: int, size: tuple[int, int]) -> Node | None:
        """A node of a stored frame, (H, W) float32; None where there is none."""
        blob = self._frames.get(owner, {}).get(frame)
        if blob is None:
            return None
        blobs = self._blobs
        return node("stored", [blob, size], [],
                    lambda: as_grey(read_grey(blobs.get(blob)), size))  # fmt: skip
