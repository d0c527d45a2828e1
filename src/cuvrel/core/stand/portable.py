"""The portable shot: one JSON file beside its footage and matte frames, readable without a database.

    {"cuvrel": 1, "shot": {the document},
     "files": {FOOTAGE_ID: "footage/NAME"},
     "shots": {FOOTAGE_ID: "shot-01.json"},
     "read": {FOOTAGE_ID: {"range": "full"}},
     "frames": {OWNER: {"12": {"file": "mattes/KEY.png", "origin": "touched", "doubt": 0.0, "base": {...},
                               "lessons": {...}}}},
     "history": {"cursor": 3, "edits": [{"label": ..., "gesture": null, "ops": [...], "inverse": [...]}]}}

`shots` says of footage that is another shot, or a reel, in which portable file that is; one that is not named is not
there, and shows nothing. A reel is written in the same way.

OWNER is the id of a pull, or the key of a settled matte. A touched frame has, in `base`, what following had brought
before it was touched, and in `lessons` what it teaches following. A frame without a file is touched, but not solved.
`read` says of footage how it is read by hand (media/by_hand.py), where it is.

Paths are relative to the JSON file and may not leave its folder.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from cuvrel.core import catalogue
from cuvrel.core.arrays import F32
from cuvrel.core.media.by_hand import checked_hand
from cuvrel.core.media.cube import read_cube
from cuvrel.core.media.managed import of_scene
from cuvrel.core.media.probe import MediaInfo, probe
from cuvrel.core.media.reader import PART, Reader, Wanted, as_grey, resized
from cuvrel.core.media.sound import Samples, Stored, extract
from cuvrel.core.media.writer import read_grey
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import MediaError, RecipeError
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.reel import Reel
from cuvrel.core.sound.mix import Mix
from cuvrel.core.sound.pieces import PiecesSound
from cuvrel.core.stand.nodes import Node, node
from cuvrel.core.tracks.path import Measured

FORMAT = 1


def within(folder: Path, name: str) -> Path:
    """A path inside the folder. Raises RecipeError for one that leaves it."""
    path = (folder / name).resolve()
    if not path.is_relative_to(folder.resolve()):
        raise RecipeError(f"The path '{name}' leaves the portable project's folder.")
    return path


class PortableShot:
    """A portable shot as the stand's sources."""

    def __init__(self, path: Path, above: tuple[Path, ...] = ()) -> None:
        """Raises RecipeError or MediaError when it can't be read whole. above: the files of what it lies in."""
        catalogue.load()
        try:
            raw = json.loads(path.read_text())
        except (OSError, ValueError) as fault:
            raise RecipeError(f"'{path.name}' can't be read as a portable shot: {fault}.") from fault
        if not isinstance(raw, dict) or raw.get("cuvrel") != FORMAT or not isinstance(raw.get("files"), dict):
            raise RecipeError(f"'{path.name}' is not a portable shot of format {FORMAT}.")
        self.shot: Shot = read_shot(raw.get("shot"))
        self._folder = path.parent
        self._frames: dict[str, dict[str, dict[str, Any]]] = raw.get("frames") or {}
        self._readers: dict[str, Reader] = {}
        self._scratch = TemporaryDirectory(prefix="cuvrel-")  # goes with this object
        self._others: dict[tuple[str, Wanted], Reader] = {}
        self._within = (*above, path.resolve())
        self._inside: dict[str, tuple[Shot, PortableShot]] = {}
        for footage in self.shot.footage:
            if footage.shot:
                self._open(footage.id, (raw.get("shots") or {}).get(footage.id))
                continue
            if footage.id not in raw["files"]:
                raise RecipeError(f"The portable shot does not say where the footage '{footage.name}' is.")
            file = within(self._folder, str(raw["files"][footage.id]))
            if not file.exists():
                raise MediaError(f"The footage '{file.name}' is not there.")
            hand = {str(k): str(v) for k, v in (raw.get("read") or {}).get(footage.id, {}).items()}
            info = probe(file, hand=hand)
            self._readers[footage.id] = Reader(file, replace(info, hand=checked_hand(hand, info)))

    def _open(self, footage_id: str, name: str | None) -> None:
        """Opens a shot that lies in this one, if its file is named."""
        if name is None:
            return
        file = within(self._folder, str(name))
        if file in self._within:
            raise RecipeError(f"There is a circle: '{file.name}' and '{self._within[-1].name}' lie in each other.")
        inner = PortableShot(file, self._within)
        self._inside[footage_id] = inner.shot, inner

    def inside(self, footage_id: str) -> tuple[Shot, PortableShot]:
        """See Sources."""
        if footage_id not in self._inside:
            raise MediaError("A shot that lies in this one is not there.")
        return self._inside[footage_id]

    def sounds(self) -> dict[str, Samples]:
        """The recordings that the shot's sound is made of, by the id of their footage; of a reel, its pieces' sound.

        Raises MediaError.
        """
        out: dict[str, Samples] = {}
        if isinstance(self.shot, Reel):
            mixes = {name: Mix(shot, source.sounds()) for name, (shot, source) in self._inside.items()}
            pieces = PiecesSound(self.shot, mixes)
            if not pieces.silent:
                out[self.shot.plate] = pieces
        for footage_id in {self.shot.plate, self.shot.sound.under or self.shot.plate} - {""}:
            reader = self._readers[footage_id]
            if reader.info.sound is not None:
                to = Path(self._scratch.name) / footage_id
                extract(reader.path, reader.info.sound, to)
                out[footage_id] = Stored(to, reader.info.sound.deep)
        return out

    def recorded(self) -> tuple[Path, MediaInfo] | None:
        """The plate's file, and what it is; None of a reel."""
        if isinstance(self.shot, Reel):
            return None
        reader = self._readers[self.shot.plate]
        return reader.path, reader.info

    def picture(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        """A node of (H, W, 3) uint8 sRGB."""
        reader = self._readers[footage_id]
        return node("footage", [footage_id, frame, size], [], lambda: resized(reader.frame(frame), size))

    def alpha(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
        """A node of (H, W) float32, 0 to 1."""
        reader = self._other(footage_id, "alpha")
        return node("alpha", [footage_id, frame, size], [], lambda: as_grey(reader.frame(frame), size))

    def deep(self, footage_id: str, frame: int, size: tuple[int, int]) -> Node | None:
        """See Sources."""
        if not self._readers[footage_id].info.deep:
            return None
        reader = self._other(footage_id, "light")
        return node("deep", [footage_id, frame, size], [], lambda: resized(reader.frame(frame), size))

    def part(self, footage_id: str, frame: int, part: str, size: tuple[int, int]) -> Node:
        """See Sources."""
        reader = self._other(footage_id, PART + part)
        return node("part", [footage_id, frame, part, size], [], lambda: resized(reader.frame(frame), size))

    def table(self, footage_id: str) -> Node:
        """See Sources."""
        reader = self._readers[footage_id]
        if reader.info.kind != "table":
            raise MediaError("This footage is no colour table.", "Name a .cube file.")
        return node("table", footage_id, [], lambda: read_cube(reader.path))

    def of_scene(self, footage_id: str) -> bool:
        """See Sources."""
        colour = self._readers[footage_id].info.hand.get("colour", "")
        return bool(colour) and of_scene(colour)

    def _other(self, footage_id: str, wanted: Wanted) -> Reader:
        """A reader of something else of the footage than what a screen shows."""
        key = footage_id, wanted
        if key not in self._others:
            colours = self._readers[footage_id]
            self._others[key] = Reader(colours.path, colours.info, wanted=wanted)
        return self._others[key]

    def measured(self, track: str) -> Mapping[int, Measured]:
        """What is stored of a track, by frame. Raises MediaError."""
        out = {}
        for frame, entry in self._frames.get(track, {}).items():
            file = within(self._folder, str(entry.get("file")))
            try:
                out[int(frame)] = Measured.unpacked(file.read_bytes())
            except (OSError, ValueError, KeyError) as fault:
                raise MediaError(f"The frame '{file.name}' of a track can't be read.") from fault
        return out

    def stored(self, owner: str, frame: int, size: tuple[int, int]) -> Node | None:
        """A node of (H, W) float32, 0 to 1; None where there is no such frame."""
        entry = self._frames.get(owner, {}).get(str(frame))
        if entry is None or not entry.get("file"):
            return None
        file = within(self._folder, str(entry["file"]))

        def load() -> F32:
            try:
                grey = read_grey(file.read_bytes())
            except (OSError, ValueError) as fault:
                raise MediaError(f"The matte frame '{file.name}' can't be read.") from fault
            return as_grey(grey, size)

        return node("stored", [str(entry["file"]), size], [], load)
