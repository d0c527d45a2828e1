"""Bringing footage in: checked, indexed, with a proxy and a film strip, or refused whole."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core.media import proxy
from cuvrel.core.media.apart import probe_apart
from cuvrel.core.media.by_hand import still_good
from cuvrel.core.media.container import open_media, open_video, picture_of
from cuvrel.core.media.cube import is_cube, read_cube
from cuvrel.core.media.managed import fingerprint
from cuvrel.core.media.probe import MediaInfo
from cuvrel.core.media.sound import extract
from cuvrel.core.media.stills import check_size
from cuvrel.core.recipe.errors import MediaError
from cuvrel.core.recipe.models import Footage, Shot
from cuvrel.store.blobs import Blobs
from cuvrel.store.models import FootageRow

FILM_HEIGHT = 72
MOST_NAME = 255
FILM_MOST = 120
Progress = Callable[[int, int], None]
FILM_WIDEST = 500  # a JPEG is at most 65,500 pixels wide


def first_look(path: Path) -> None:
    """A quick check of an uploaded file: it opens and its first frame decodes. Raises MediaError."""
    with path.open("rb") as file:
        start = file.read(8192)
    if start[:4] == b"PK\x03\x04":
        return
    if is_cube(start):
        read_cube(path)
        return
    with open_media(path) as container:
        if not container.streams.video:
            return  # sound alone
    with open_video(path) as container:
        stream = picture_of(container)
        check_size(stream.codec_context.width, stream.codec_context.height)
        try:
            if next(container.decode(stream), None) is None:
                raise MediaError("The file has no frames.", "Export it again.")
        except (av.FFmpegError, OSError, ValueError) as fault:
            raise MediaError("The first frame of the file can't be read.", "Copy or export it again.") from fault


def clean_name(name: str) -> str:
    """A name to show: no folders, no control characters, at most 255 characters."""
    base = "".join(c for c in os.path.basename(name.replace("\\", "/")) if c.isprintable()).strip()
    stem, suffix = os.path.splitext(base)
    if len(base) > MOST_NAME and len(suffix) < 20:
        base = stem[: MOST_NAME - len(suffix)].rstrip() + suffix
    return base[:MOST_NAME].strip() or "footage"


def read_by_hand(session: Session, shot: Shot) -> dict[str, dict[str, str]]:
    """How footage of a shot is read where that was set by hand, by its id."""
    ids = [int(one.id) for one in shot.footage if one.id.isdigit()]
    rows = session.scalars(select(FootageRow).where(FootageRow.id.in_(ids)).order_by(FootageRow.id))
    return {str(row.id): dict(row.info["hand"]) for row in rows if row.info.get("hand")}


@dataclass(frozen=True)
class Small:
    """What is made of footage once, so that it can be worked with: what it is, proxy, film strip and samples.

    asked: how it was to be read by hand; what of that there is not is not in `info`.
    """

    info: MediaInfo
    proxy: dict[str, Any]
    film: dict[str, Any]
    sound: dict[str, Any]
    asked: dict[str, str]


def prepare(blobs: Blobs, blob: str, hand: dict[str, str], progress: Progress = lambda done, total: None) -> Small:
    """Indexes a file and makes its proxy, film strip and samples, as it is read by `hand`. Raises MediaError."""
    path = blobs.path(blob)
    with tempfile.TemporaryDirectory(prefix="cuvrel-") as name:
        folder = Path(name)
        info = probe_apart(path, lambda seen: progress(0, max(1, seen)), hand=hand, small=folder / "proxy.mkv")
        good, lost = still_good(hand, info)
        info = replace(info, hand=good, said=[*info.said, *lost])
        small, film = _small(path, info, folder, blobs, progress) if info.frames else ({}, {})
        sound: dict[str, Any] = {}
        if info.sound is not None:
            samples = folder / "samples"
            blobs.room.hold(info.sound.samples * (8 if info.sound.deep else 4))
            count = extract(path, info.sound, samples)
            sound = {"blob": blobs.put_file(samples), "deep": info.sound.deep, "count": count} if count else {}
    if info.sound is not None and not sound:
        info = replace(info, sound=None)
    return Small(info, small, film, sound, hand)


def say_ready(session: Session, row: FootageRow, made: Small) -> None:
    """Says of footage that it is ready, by what was made of it. What somebody set by hand for it meanwhile stays set;
    the job that came of it makes the small pictures of it.
    """
    session.refresh(row, ["info"], with_for_update=True)
    now = dict(row.info.get("hand", {}))
    info = made.info if now == made.asked else replace(made.info, hand=now)
    row.info, row.proxy, row.film, row.sound = info.to_json(), made.proxy, made.film, made.sound
    row.state, row.message = "ready", ""
    session.flush()


def make_ready(
    session: Session, row: FootageRow, blobs: Blobs, progress: Progress = lambda done, total: None
) -> None:  # fmt: skip
    """Both in one transaction, for footage that comes with others. Raises MediaError; the row is unchanged then."""
    say_ready(session, row, prepare(blobs, row.blob, dict(row.info.get("hand", {})), progress))


def _small(
    path: Path, info: MediaInfo, folder: Path, blobs: Blobs, progress: Progress
) -> tuple[dict[str, Any], dict[str, Any]]:
    """What a row says of its proxy and of its film strip."""
    file = folder / "proxy.mkv"
    if not file.exists():
        proxy.write(path, info, file, lambda done: progress(done, info.frames))
    step = max(1, -(-info.frames // FILM_MOST))
    wide = min(FILM_WIDEST, max(8, round(info.width / info.height * FILM_HEIGHT)))
    small, pictures = proxy.look_at(file, step, (FILM_HEIGHT, wide))
    if small.frames != info.frames:
        raise MediaError("The small film did not come out whole.", "Bring the footage in again.")
    strip = np.hstack(pictures)
    data = cv2.imencode(".jpg", strip[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 86])[1].tobytes()
    count = -(-info.frames // step)
    film = {"blob": blobs.put(data), "step": step, "width": strip.shape[1] // count, "height": strip.shape[0],
            "count": count}  # fmt: skip
    about = {"width": small.width, "height": small.height, "info": small.to_json(), "hand": info.hand}
    if info.hand.get("colour"):
        about["config"] = fingerprint()
    progress(info.frames, info.frames)
    return {"blob": blobs.put_file(file), **about}, film


def entry(row: FootageRow) -> Footage:
    """What a shot's document says of this footage."""
    return Footage(id=str(row.id), name=row.name, hash=row.blob, width=row.info["width"], height=row.info["height"],
                   frames=row.info["frames"], fps=row.info["fps"], timecode=row.info.get("timecode", ""),
                   reel=row.info.get("reel", ""))  # fmt: skip
