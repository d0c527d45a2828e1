"""One shot at one size: what mattes and planes are both made from."""

from __future__ import annotations

from cuvrel.core.camera.path import CameraPath
from cuvrel.core.imaging.colour import decode, encode
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.needs import Need
from cuvrel.core.recipe.reel import Reel
from cuvrel.core.recipe.values import Env
from cuvrel.core.stand.nodes import Node, node
from cuvrel.core.stand.pieces import InnerAt, Pieces
from cuvrel.core.stand.sources import Sources
from cuvrel.core.stand.working import Working
from cuvrel.core.tracks.path import Path


class Setting:
    """A shot, its sources and its sizes.

    scale: the pictures' size over the plate's. plate_size: rows and columns of the plate and of all mattes; size: those
    of the frame, which may be another one. frames: how many the plate has. fps: the shot's. motions: where each track
    is, by its id. working: the space that planes are worked on in. pieces: of a reel, what stands for its plate.
    """

    def __init__(self, shot: Shot, sources: Sources, scale: float, inner: InnerAt) -> None:
        self.shot, self.sources, self.scale = shot, sources, scale
        plate = shot.plate_footage()
        self.working = Working(shot.working)
        self.frames, self.fps = plate.frames, shot.fps
        plate_size = plate.width, plate.height
        self.motions: dict[str, Path | CameraPath] = {
            track.id: CameraPath(track, sources.measured(track.id), plate_size) if track.kind == "camera"
            else Path(track, sources.measured(track.id)) for track in shot.tracks
        }  # fmt: skip
        self.plate_size = _scaled(plate.height, scale), _scaled(plate.width, scale)
        wide, high = shot.size
        self.size = _scaled(high, scale), _scaled(wide, scale)
        self.pieces = None
        if isinstance(shot, Reel):
            self.pieces = Pieces(shot, lambda entry: sources.inside(entry)[0], inner, self.plate_size, scale)

    def env(self, time: float) -> Env:
        """Where values are read at a time, in frames."""
        return self.shot.env(time, self.motions)

    def plate(self, frame: int) -> Node:
        """The plate's bytes, (H, W, 3) uint8 sRGB."""
        if self.pieces is not None:
            return node("seen", None, [self.pieces.light(frame)], encode)
        return self.sources.picture(self.shot.plate, frame, self.plate_size)

    def light(self, frame: int) -> Node:
        """The plate as (H, W, 4) float32 linear RGBA, as deep as it came; of a reel, its pieces."""
        if self.pieces is not None:
            return self.pieces.light(frame)
        return lit(self.sources, self.shot.plate, frame, self.plate_size)

    def other(self, need: Need) -> Node:
        """Other footage of the shot, its alpha or a part of it; its first and its last frame hold. Raises KeyError."""
        entry = self.shot.footage_by_id(need.id or "")
        if need.what == "table":
            return self.sources.table(entry.id)
        own = _scaled(entry.height, self.scale), _scaled(entry.width, self.scale)
        if need.what == "part":
            return self.sources.part(entry.id, held(need.frame, entry.frames), need.part, own)
        take = self.sources.alpha if need.what == "alpha" else self.sources.picture
        return take(entry.id, held(need.frame, entry.frames), own if need.whole else self.plate_size)


def lit(sources: Sources, footage_id: str, frame: int, size: tuple[int, int]) -> Node:
    """A picture of footage as (H, W, 4) opaque float32 linear light, as deep as it came."""
    deep = sources.deep(footage_id, frame, size)
    return node("decode", None, [sources.picture(footage_id, frame, size)], decode) if deep is None else deep


def held(frame: int, count: int) -> int:
    """The frame itself, or the nearest one that there is: the first and the last frame hold."""
    return max(0, min(count - 1, frame))


def _scaled(length: int, scale: float) -> int:
    return max(2, round(length * scale))
