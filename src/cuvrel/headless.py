"""Following and rendering files, without a server."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any, Literal

import cv2
import numpy as np
from pydantic import ValidationError

from cuvrel.core.arrays import F32, F64, U8, Mask
from cuvrel.core.camera import interchange as camera
from cuvrel.core.camera.solve import NotSolved
from cuvrel.core.export.formats import How, how_of
from cuvrel.core.export.order import Order, ordered
from cuvrel.core.export.order import Settings as Ordering
from cuvrel.core.export.sound_track import sound_for
from cuvrel.core.export.write import write_frames
from cuvrel.core.follow.plan import Frame, FramesInMemory, trace_and_follow
from cuvrel.core.follow.run import Settings
from cuvrel.core.imaging.colour import decode, encode
from cuvrel.core.media.probe import MediaInfo, pack_sequence, probe
from cuvrel.core.media.reader import Reader, as_grey
from cuvrel.core.media.sound import Samples, Stored, extract
from cuvrel.core.media.stills import is_picture
from cuvrel.core.media.writer import VideoWriter, join_videos, png_bytes, read_grey
from cuvrel.core.motion.cuts import found_cuts, small
from cuvrel.core.recipe.errors import CuvrelError, MediaError, RecipeError
from cuvrel.core.recipe.hashing import hash_file
from cuvrel.core.recipe.models import Hush, Mark, Shot
from cuvrel.core.redaction.audit import AuditedFrame, audited, report, small_picture
from cuvrel.core.redaction.batch import redaction, unsure
from cuvrel.core.redaction.people import people
from cuvrel.core.sound.mix import Mix
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.portable import PortableShot
from cuvrel.core.stand.uncovered import Uncovered
from cuvrel.core.stand.view_kinds import ResultView
from cuvrel.core.stand.views import view
from cuvrel.core.takes.line_up import Kind, brought, covered, line_up
from cuvrel.core.takes.seam import middle_of_change, seam, seen
from cuvrel.core.takes.tone import Tone, tone, undone
from cuvrel.core.tracks.follow import CanNotTrack, Tracker, tracked
from cuvrel.core.tracks.interchange import Wanted, as_json
from cuvrel.core.tracks.pyramids import Scenes

__all__ = [
    "Ordering",
    "Settings",
    "audit",
    "cuts",
    "follow",
    "footage",
    "read_marks",
    "redact",
    "render",
    "take_lined_up",
    "track",
]
Voice = Literal["kept", "pitched", "silent", "none"]
SOFT = 24.0  # pixels on either side of a seam, at the most
CACHE = 256 << 20  # bytes of pictures that are kept


@contextmanager
def footage(path: Path) -> Iterator[tuple[Reader, MediaInfo]]:
    """A reader of a video, a ZIP of pictures or a folder of them. Raises MediaError."""
    with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
        if path.is_dir():
            packed = Path(folder) / "sequence.zip"
            pack_sequence([(p.name, p) for p in path.iterdir() if is_picture(p.name)], packed)
            path = packed
        info = probe(path)
        if not info.frames:
            raise MediaError("There is no picture in this file, only sound.")
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


class OnDisk(FramesInMemory):
    """A trace's frames as small pictures in a folder, so that memory does not grow with the clip."""

    def __init__(self, folder: Path) -> None:
        super().__init__()
        self._folder = folder

    def grey(self, number: int) -> U8:
        """A frame that there is, (H, W) uint8."""
        return read_grey((self._folder / f"{number}.png").read_bytes())

    def _away(self, number: int, matte: F32) -> F32:
        grey = np.round(np.clip(matte, 0, 1) * 255).astype(np.uint8)
        (self._folder / f"{number}.png").write_bytes(png_bytes(grey))
        return np.empty((0, 0), np.float32)

    def touch(self, number: int, matte: F32) -> Frame:
        """See `Frames`."""
        super().touch(number, self._away(number, matte))
        return Frame(number, matte, "touched", 0.0)

    def keep(self, frame: Frame) -> bool:
        """See `Frames`."""
        there = self.frames.get(frame.number)
        if there is not None and there.origin == "touched":
            return False
        return super().keep(replace(frame, matte=self._away(frame.number, frame.matte)))

    def matte(self, number: int) -> F32 | None:
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
        for frame in trace_and_follow(reader.frame, info.frames, marks, settings, halting, kept):
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


def take_lined_up(
    first: Path, second: Path, at: tuple[int, int], kind: Kind, leave_out: Path | None, frames: int = 1
) -> dict[str, Any]:
    """How a frame of one take lies on a frame of another one, and how its light differs, as the document that is
    written. leave_out: a grey video or picture of what of the first take is not looked at. frames: from there on, on
    which the seam around what the second alone shows is looked for; as many as both takes have, at the most.

    Raises RecipeError or MediaError.
    """
    pictures: list[U8] = []
    for path, frame in zip((first, second), at, strict=True):
        with footage(path) as (reader, info):
            if frame >= info.frames:
                raise RecipeError(f"'{path.name}' has no frame {frame}; it has {info.frames}.")
            pictures.append(reader.frame(frame))
    size = pictures[0].shape[0], pictures[0].shape[1]
    without = None
    if leave_out is not None:
        with footage(leave_out) as (reader, info):
            grey = reader.frame(min(at[0], info.frames - 1))[..., 0]
            without = as_grey(np.ascontiguousarray(grey), size)
    found = line_up(pictures[0], pictures[1], kind, without)
    own = pictures[1].shape[0], pictures[1].shape[1]
    there = covered(found.matrix, size, own)
    if without is not None:
        there &= without < 0.1
    light = tone(pictures[0], brought(pictures[1], found.matrix, size), there)
    left = None if found.error is None else round(found.error, 4)
    return {
        "matrix": found.matrix.tolist(), "error_px": left, "still": round(found.still, 4),
        "gain": list(light.gain), "offset": list(light.offset), "left": round(light.spread, 3),
        "seam": _seams(first, second, at, found.matrix, light, there, frames),
    }  # fmt: skip


def _seams(first: Path, second: Path, at: tuple[int, int], matrix: F64, light: Tone, there: Mask, frames: int) -> Any:
    """The seam of each frame: the line as its corners, in pixels of the first take, and how much it is seen; no line
    where both show the same.
    """
    out = []
    with footage(first) as (here, info), footage(second) as (over, other):
        for n in range(min(frames, info.frames - at[0], other.frames - at[1])):
            plate = here.frame(at[0] + n)
            lies = undone(decode(brought(over.frame(at[1] + n), matrix, plate.shape[:2])), light)
            taken = encode(lies)
            change = middle_of_change(plate, taken, there)
            cover = np.zeros(plate.shape[:2], np.float32)
            if change is not None:
                cover = seam(plate, taken, change[0], 1.1 * change[1], SOFT, there)
            lines, _ = cv2.findContours((cover > 0.5).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
            line = max(lines, key=cv2.contourArea)[:, 0].tolist() if lines else []
            shown = encode(lies * cover[..., None] + decode(plate) * (1 - cover[..., None]))
            out.append({"frame": at[0] + n, "line": line, "seen": round(seen(shown, plate, taken, cover), 3)})
    return out


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


_BY_SUFFIX = {".mp4": "h264", ".mov": "prores4444", ".mkv": "ffv1", ".webm": "vp9", ".webp": "loop", ".png": "still"}


def how_for(to: Path, how: str | None) -> How:
    """The format that is asked for, or that a file's ending stands for. Raises CuvrelError where they don't agree."""
    suffix = to.suffix.lower()
    if how is None:
        return how_of(_BY_SUFFIX.get(suffix, "png8"))
    found = how_of(how)
    if found.form != "pictures" and suffix != found.suffix:
        raise CuvrelError(f"{found.label} goes into a {found.suffix} file.", f"Name it {to.stem}{found.suffix}.")
    return found


def render(
    path: Path, settings: Ordering, name: str | None, to: Path, frames: str | None, scale: float,
    progress: Callable[[int, int], None],
) -> None:  # fmt: skip
    """Renders a portable shot to a file or a folder of pictures; a file is complete or absent.

    settings: without targets; name: that of the matte or plane, if one is meant. scale: the size over the shot's, where
    settings say nothing of it.
    """
    source = PortableShot(path)
    shot: Shot = source.shot
    if name is not None:
        of_matte = settings.what in ("matte", "cutout")
        target = _by_name(shot.mattes if of_matte else shot.planes, name, "matte" if of_matte else "plane")
        settings = settings.model_copy(update={"targets": [target]})
    order = ordered(shot, settings)
    if frames is not None:
        first, last = _range(frames, shot.plate_footage().frames)
        order = replace(order, first=first, last=last)
    stand = Stand(shot, source, order.scale(shot) if settings.lines else scale)
    _written(stand, order, to, progress, source.sounds() if order.how.sound else {}, source.recorded())


def _written(
    stand: Stand, order: Order, to: Path, progress: Callable[[int, int], None], sounds: Mapping[str, Samples],
    recording: tuple[Path, MediaInfo] | None,
) -> None:  # fmt: skip
    """Writes an order to a file or a folder of pictures. Raises CuvrelError."""
    frames, done = order.frames, 0
    pictures = order.how.form == "pictures"
    beside = to.with_name(f".{to.name}.part{to.suffix}")
    heard = to.with_name(f".{to.name}.heard{to.suffix}")
    number = stand.shot.first_number + order.first

    def tick() -> bool:
        nonlocal done
        done += 1
        progress(done, len(frames))
        return True

    try:
        write_frames(stand, order, frames, to if pictures else beside, "frame", number, Cache(CACHE), tick)
        sound = None if pictures else sound_for(order, Mix(stand.shot, sounds), recording)
        code = order.timecode(stand.shot)
        if sound is not None or (code and order.how.form == "video"):
            join_videos([(beside, len(frames))], heard, sound, code, stand.shot.plate_footage().reel)
            heard.replace(to)
        elif not pictures:
            beside.replace(to)
    finally:
        if not pictures:
            beside.unlink(missing_ok=True)
            heard.unlink(missing_ok=True)


def cuts(source: Path, told: Callable[[int, int], None] = lambda done, total: None) -> list[int | dict[str, int]]:
    """The frames of footage that begin another camera shot, counted from 0; a mix as {"from": ..., "to": ...}."""
    with footage(source) as (reader, info):
        seen = (small(reader.frame(n)) for n in range(info.frames))
        return [one.as_json() for one in found_cuts(seen, lambda done: told(done, info.frames))]


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
                if one.kind == "camera":
                    tracks.append(_camera(one, reader, info, without, begin, end, told))
                    continue
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


def _camera(
    wanted: Wanted, reader: Reader, info: MediaInfo, without: Callable[[int], F32] | None, begin: int, end: int,
    told: Callable[[str], None],
) -> dict[str, Any]:  # fmt: skip
    """A camera over frames of a clip. Raises RecipeError."""
    size = info.width, info.height
    try:
        scene, followed = camera.solved(reader.frame, without, size, begin, end)
    except NotSolved as fault:
        raise RecipeError(f"Camera '{wanted.id}': {fault.message}", fault.hint) from fault
    places = camera.anchored(scene, followed, reader.frame, wanted.frame, wanted.anchors or [])
    if places is None:
        raise RecipeError(f"Camera '{wanted.id}': frame {wanted.frame}, on which its anchors are, could not be solved.")
    told(f"{wanted.id}: {len(scene.views)} frames, {scene.error:.2f} pixels off. {scene.says}".rstrip())
    return camera.as_json(wanted.id, scene, places, info.frames, max(size) / 960)


@contextmanager
def _left_out(wanted: Wanted, beside: Path, info: MediaInfo) -> Iterator[Callable[[int], F32] | None]:
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

        def plate(frame: int) -> U8:
            return np.ascontiguousarray(work_out(stand.plate(frame), cache))

        def shown(frame: int) -> U8:
            return np.ascontiguousarray(work_out(view(stand, ResultView(), frame), cache)[..., :3])

        hiding = Uncovered(stand)
        looked = list(audited(plate, lambda n: work_out(hiding.hidden(n), cache), list(stand.shot.frames), shown,
                              stand.corner))  # fmt: skip
        return _audited(looked, plate, shot.shot.name, told)
    if cover is None:
        raise RecipeError("An audit of footage needs --cover, a grey video of what is covered.")
    with footage(source) as (reader, info), footage(cover) as (over, mask):
        if mask.frames != info.frames:
            raise RecipeError(f"'{cover.name}' has {mask.frames} frames, and the footage {info.frames}.")
        size = info.height, info.width

        def covered(frame: int) -> F32:
            return as_grey(np.ascontiguousarray(over.frame(frame)[..., 0]), size)

        looked = list(audited(reader.frame, covered, range(info.frames)))
        return _audited(looked, reader.frame, source.name, told)


def _audited(
    looked: list[AuditedFrame], picture_: Callable[[int], U8], name: str, told: Callable[[str], None]
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
    source: Path, to: Path, values: dict[str, Any], voice: Voice, told: Callable[[str], None] = lambda line: None
) -> dict[str, Any]:
    """Covers every face of footage, writes it, and audits what came out. Raises RecipeError or MediaError.

    voice: what becomes of the sound. The report says what could not be sure of, and has the hash of the file.
    """
    with footage(source) as (reader, info):
        found = people(reader.frame, range(info.frames))
        told(f"{len(found)} people found")
        shot, sources = redaction(info, reader.frame, found, values)
        stand, cache = Stand(shot, sources), Cache(CACHE)
        _write_redacted(stand, to, voice, source, info)
        with footage(to) as (written, _):
            hiding = Uncovered(stand)
            looked = list(audited(reader.frame, lambda n: work_out(hiding.hidden(n), cache), range(info.frames),
                                  written.frame))  # fmt: skip
        tracks = {track.id: sources.measured(track.id) for track in shot.tracks}
        return report(looked, source=source.name, file=to.name, hash=hash_file(to),
                      unsure=unsure(found, tracks, info.frames))  # fmt: skip


def _write_redacted(stand: Stand, to: Path, voice: Voice, source: Path, info: MediaInfo) -> None:
    """Writes the covered clip with its sound, as `voice` says."""
    how = how_for(to, None)
    if voice in ("silent", "pitched"):
        hush = Hush(first=0, last=info.frames - 1, how=voice)
        sound = stand.shot.sound.model_copy(update={"hushes": [hush]})
        stand = Stand(stand.shot.model_copy(update={"sound": sound}), stand.sources)
    order = ordered(stand.shot, Ordering(how=how.kind, sound=voice != "none"))
    with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
        sounds: dict[str, Samples] = {}
        if info.sound is not None and how.sound and voice != "none":
            extract(source, info.sound, Path(folder) / "samples")
            sounds[stand.shot.plate] = Stored(Path(folder) / "samples", info.sound.deep)
        _written(stand, order, to, lambda done, total: None, sounds, (source, info))
