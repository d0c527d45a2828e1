"""Following and rendering files, without a server."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from cuvrel.core.follow.plan import Frame, Memory, clip
from cuvrel.core.follow.run import Settings
from cuvrel.core.media.probe import MediaInfo, pack_sequence, probe
from cuvrel.core.media.reader import Reader, as_grey
from cuvrel.core.media.writer import PngWriter, VideoFormat, VideoWriter, Writer, png_bytes, read_grey
from cuvrel.core.recipe.errors import CuvrelError, RecipeError
from cuvrel.core.recipe.hashing import hash_file
from cuvrel.core.recipe.models import Mark, Shot
from cuvrel.core.redaction.audit import Looked, audited, report, small_picture
from cuvrel.core.redaction.batch import redaction, unsure
from cuvrel.core.redaction.people import people
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.export import picture, write_range
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.portable import PortableShot
from cuvrel.core.stand.views import view
from cuvrel.core.tracks.follow import CanNotTrack, Tracker, tracked
from cuvrel.core.tracks.scenes import Scenes
from cuvrel.core.tracks.what import Wanted, as_json

__all__ = ["Settings", "audit", "follow", "footage", "read_marks", "redact", "render", "track"]
CACHE = 256 << 20  # bytes of pictures that are kept


@contextmanager
def footage(path: Path) -> Iterator[tuple[Reader, MediaInfo]]:
    """A reader of a video, a ZIP of PNG pictures or a folder of them. Raises MediaError."""
    with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
        if path.is_dir():
            packed = Path(folder) / "sequence.zip"
            pack_sequence([(p.name, p) for p in path.iterdir() if p.suffix.lower() == ".png"], packed)
            path = packed
        info = probe(path)
        reader = Reader(path, info)
        try:
            yield reader, info
        finally:
            reader.close()


def read_marks(raw: Any) -> list[Mark]:
    """Marks from plain JSON. Raises RecipeError with the place of the fault."""
    if not isinstance(raw, dict) or not isinstance(raw.get("marks"), list):
        raise RecipeError('The marks must be an object {"marks": [...]}.')
    marks = []
    for index, one in enumerate(raw["marks"]):
        try:
            marks.append(Mark.model_validate({"id": f"m{index}", **one} if isinstance(one, dict) else one))
        except ValidationError as fault:
            first = fault.errors()[0]
            where = ".".join(str(part) for part in first["loc"])
            raise RecipeError(f"Mark {index} is wrong at {where or 'its place'}: {first['msg']}.") from fault
    return marks


class OnDisk(Memory):
    """A trace's frames as small pictures in a folder, so that memory does not grow with the clip."""

    def __init__(self, folder: Path) -> None:
        super().__init__()
        self._folder = folder

    def grey(self, number: int) -> NDArray[np.uint8]:
        """A frame that there is, (H, W) uint8."""
        return read_grey((self._folder / f"{number}.png").read_bytes())

    def _away(self, number: int, matte: NDArray[np.float32]) -> NDArray[np.float32]:
        grey = np.round(np.clip(matte, 0, 1) * 255).astype(np.uint8)
        (self._folder / f"{number}.png").write_bytes(png_bytes(grey))
        return np.empty((0, 0), np.float32)

    def touch(self, number: int, matte: NDArray[np.float32]) -> Frame:
        """See `Frames`."""
        super().touch(number, self._away(number, matte))
        return Frame(number, matte, "touched", 0.0)

    def keep(self, frame: Frame) -> bool:
        """See `Frames`."""
        there = self.frames.get(frame.number)
        if there is not None and there.origin == "touched":
            return False
        return super().keep(replace(frame, matte=self._away(frame.number, frame.matte)))

    def matte(self, number: int) -> NDArray[np.float32] | None:
        """See `Frames`."""
        return self.grey(number).astype(np.float32) / np.float32(255) if number in self.frames else None


def follow(
    reader: Reader,
    info: MediaInfo,
    marks: list[Mark],
    settings: Settings,
    to: Path,
    halting: bool,
    tick: Callable[[], None],
) -> dict[str, Any]:
    """Follows a clip and writes its matte, complete or not at all; returns the report.

    Memory does not grow with the clip: frames come out of order and wait on disk as small pictures.
    """
    told: dict[int, dict[str, Any]] = {}
    halts: list[dict[str, Any]] = []
    with tempfile.TemporaryDirectory(prefix="cuvrel-", dir=to.parent if to.parent.is_dir() else None) as folder:
        kept = OnDisk(Path(folder))
        for frame in clip(reader.frame, info.frames, marks, settings, halting, kept):
            told[frame.number] = {
                "frame": frame.number,
                "origin": frame.origin,
                "doubt": round(frame.doubt, 4),
                "ms": round(frame.ms, 2),
            }
            if frame.halt:
                told[frame.number]["halt"] = asdict(frame.halt)
                if halting:
                    halts.append({"frame": frame.number, **asdict(frame.halt)})
            tick()
        for number in range(info.frames):
            told.setdefault(number, {"frame": number, "origin": "not reached", "doubt": 1.0, "ms": 0.0})
        beside = Path(folder) / "matte.mkv"
        writer = VideoWriter(beside, "ffv1-grey", info.width, info.height, info.fps)
        black = np.zeros((info.height, info.width), np.uint8)
        for number in range(info.frames):
            writer.write(kept.grey(number) if number in kept.frames else black)
        writer.close()
        beside.replace(to)
    return {"size": [info.width, info.height], "fps": info.fps, "frames": [told[n] for n in range(info.frames)],
            "halts": sorted(halts, key=lambda h: int(h["frame"]))}  # fmt: skip


def _range(text: str | None, count: int) -> tuple[int, int]:
    if text is None:
        return 0, count - 1
    first, _, last = text.partition("-")
    try:
        begin, end = int(first), int(last or first)
    except ValueError:
        raise CuvrelError(f"'{text}' is not a range of frames.", "Write it as A-B, such as 0-47.") from None
    if not 0 <= begin <= end < count:
        raise CuvrelError(f"Frames {begin} to {end} are not a part of this shot, which has {count} (from 0).")
    return begin, end


def _by_name(items: list[Any], name: str, what: str) -> str:
    for item in items:
        if name in (item.id, item.name):
            return str(item.id)
    known = ", ".join(f"'{item.name}'" for item in items) or "none"
    raise CuvrelError(f"There is no {what} '{name}' in this shot.", f"Known: {known}.")


_FORMATS: dict[str, VideoFormat] = {".mp4": "h264", ".mov": "prores4444", ".mkv": "ffv1-grey"}


def render(
    path: Path, what: Literal["result", "matte", "plane"], name: str | None, to: Path, frames: str | None, scale: float,
    alpha: str, progress: Callable[[int, int], None],
) -> None:  # fmt: skip
    """Renders a portable shot to a file or a folder of PNG pictures; a file is complete or absent."""
    source = PortableShot(path)
    shot: Shot = source.shot
    target = None if name is None else _by_name(shot.mattes if what == "matte" else shot.planes, name, what)
    first, last = _range(frames, shot.plate_footage().frames)
    stand = Stand(shot, source, scale)
    _written(stand, what, target, to, alpha, range(first, last + 1), progress)


def _written(
    stand: Stand, what: Literal["result", "matte", "plane"], target: str | None, to: Path, alpha: str, frames: range,
    progress: Callable[[int, int], None],
) -> None:  # fmt: skip
    """Writes frames of a stand to a file or a folder of PNG pictures. Raises CuvrelError."""
    form = _FORMATS.get(to.suffix.lower())
    if form == "ffv1-grey" and what != "matte":
        raise CuvrelError("A .mkv holds a matte.", "Use .mp4 for the result, .mov for a plane, or a folder for PNG.")
    if form == "h264" and what == "plane":
        raise CuvrelError("A .mp4 can't hold alpha.", "Use .mov (ProRes 4444) for a plane, or a folder for PNG.")
    beside = to.with_name(f".{to.name}.part{to.suffix}")
    writer: Writer
    if form is None:
        writer = PngWriter(to, "frame", stand.shot.first_number + frames[0])
    else:
        writer = VideoWriter(beside, form, stand.size[1], stand.size[0], stand.fps)
    shaped = _shape(form, what)

    class Shaped:
        """Gives the format the channels it wants."""

        def write(self, picture: NDArray[np.uint8]) -> None:
            writer.write(shaped(picture))

        def close(self) -> None:
            writer.close()

    done = 0

    def tick() -> bool:
        nonlocal done
        done += 1
        progress(done, len(frames))
        return True

    try:
        nodes = (picture(stand, what, target, alpha, f) for f in frames)
        write_range(nodes, Shaped(), Cache(CACHE), tick)
        if form is not None:
            beside.replace(to)
    finally:
        if form is not None:
            beside.unlink(missing_ok=True)


def _shape(form: VideoFormat | None, what: str) -> Callable[[NDArray[np.uint8]], NDArray[np.uint8]]:
    def opaque(rgb: NDArray[np.uint8]) -> NDArray[np.uint8]:
        return np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8)])

    def three(grey: NDArray[np.uint8]) -> NDArray[np.uint8]:
        return np.dstack([grey] * 3)

    if form == "h264" and what == "matte":
        return three
    if form == "prores4444" and what != "plane":
        return lambda p: opaque(three(p) if p.ndim == 2 else p)
    return lambda p: p


def track(
    source: Path,
    wanted: list[Wanted],
    beside: Path,
    first: int | None = None,
    last: int | None = None,
    told: Callable[[str], None] = lambda line: None,
) -> dict[str, Any]:
    """Tracks over a whole clip, or its frames `first` to `last`, as the document that is written.

    beside: the folder that mattes to leave out are named from. Raises RecipeError or MediaError.
    """
    tracks = []
    with footage(source) as (reader, info):
        begin, end = first or 0, info.frames - 1 if last is None else last
        if not 0 <= begin <= end < info.frames:
            raise RecipeError(f"There are no frames {begin} to {end}; the footage has {info.frames}.")
        for one in wanted:
            if not begin <= one.frame <= end:
                raise RecipeError(f"Track '{one.id}' is marked on frame {one.frame}, which is not looked at.")
            with _left_out(one, beside, info) as without:
                scenes = Scenes(reader.frame, without)
                try:
                    tracker = Tracker(scenes, one.start)
                except CanNotTrack as fault:
                    raise RecipeError(f"Track '{one.id}': {fault.message}", fault.hint) from fault
                found = tracked(tracker, begin, end)
            doubtful = sum(each.doubt > 0.5 for each in found)
            told(f"{one.id}: {len(found)} frames, {doubtful} in doubt")
            tracks.append(as_json(one, tracker, found, info.frames))
    return {"tracks": tracks}


@contextmanager
def _left_out(wanted: Wanted, beside: Path, info: MediaInfo) -> Iterator[Callable[[int], NDArray[np.float32]] | None]:
    """What a track does not look at on each frame. Raises RecipeError or MediaError."""
    if wanted.without is None:
        yield None
        return
    path = beside / wanted.without
    if not path.exists():
        raise RecipeError(f"Track '{wanted.id}': there is no file '{wanted.without}'.")
    with footage(path) as (reader, mask):
        if mask.frames != info.frames:
            raise RecipeError(f"'{wanted.without}' has {mask.frames} frames, and the footage {info.frames}.")
        size = info.height, info.width
        yield lambda frame: as_grey(np.ascontiguousarray(reader.frame(frame)[..., 0]), size)


def audit(
    source: Path, cover: Path | None, told: Callable[[str], None] = lambda line: None
) -> tuple[dict[str, Any], dict[int, bytes]]:
    """The audit of footage under a cover, or of a portable shot; and pictures of exposed frames, as JPEG.

    Raises RecipeError or MediaError.
    """
    if source.suffix.lower() == ".json":
        if cover is not None:
            raise RecipeError("A portable shot knows its covers; --cover is for footage.")
        shot = PortableShot(source)
        stand, cache = Stand(shot.shot, shot), Cache(CACHE)

        def plate(frame: int) -> NDArray[np.uint8]:
            return np.ascontiguousarray(work_out(stand.plate(frame), cache))

        def shown(frame: int) -> NDArray[np.uint8]:
            return np.ascontiguousarray(work_out(view(stand, "result", frame), cache)[..., :3])

        looked = list(audited(plate, lambda n: work_out(stand.hidden(n), cache), list(stand.shot.frames), shown))
        return _audited(looked, plate, shot.shot.name, told)
    if cover is None:
        raise RecipeError("An audit of footage needs --cover, a grey video of what is covered.")
    with footage(source) as (reader, info), footage(cover) as (over, mask):
        if mask.frames != info.frames:
            raise RecipeError(f"'{cover.name}' has {mask.frames} frames, and the footage {info.frames}.")
        size = info.height, info.width

        def covered(frame: int) -> NDArray[np.float32]:
            return as_grey(np.ascontiguousarray(over.frame(frame)[..., 0]), size)

        looked = list(audited(reader.frame, covered, range(info.frames)))
        return _audited(looked, reader.frame, source.name, told)


def _audited(
    looked: list[Looked], picture_: Callable[[int], NDArray[np.uint8]], name: str, told: Callable[[str], None]
) -> tuple[dict[str, Any], dict[int, bytes]]:
    found = report(looked, source=name)
    pictures = {}
    for run in found["exposed"]:
        at = min((one for one in looked if run["first"] <= one.frame <= run["last"]),
                 key=lambda one: min((seen.covered for seen in one.seen), default=1.0))  # fmt: skip
        pictures[at.frame] = small_picture(picture_(at.frame))
    told(f"{len(looked)} frames looked at, {sum(one.exposed for one in looked)} with a face that is open")
    return found, pictures


def redact(
    source: Path, to: Path, values: dict[str, Any], told: Callable[[str], None] = lambda line: None
) -> dict[str, Any]:
    """Covers every face of footage, writes it, and audits what came out. Raises RecipeError or MediaError.

    The report says what could not be sure of, and has the hash of the file.
    """
    with footage(source) as (reader, info):
        found = people(reader.frame, range(info.frames))
        told(f"{len(found)} people found")
        shot, clip = redaction(info, reader.frame, found, values)
        stand, cache = Stand(shot, clip), Cache(CACHE)
        _written(stand, "result", None, to, "straight", range(info.frames), lambda done, total: None)
        with footage(to) as (written, _):
            looked = list(audited(reader.frame, lambda n: work_out(stand.hidden(n), cache), range(info.frames),
                                  written.frame))  # fmt: skip
        tracks = {track.id: clip.measured(track.id) for track in shot.tracks}
        return report(looked, source=source.name, file=to.name, hash=hash_file(to),
                      unsure=unsure(found, tracks, info.frames))  # fmt: skip
