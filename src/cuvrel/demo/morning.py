"""The morning reel: four camera shots in one file, with a clapper before them and the harbour's sound; and a harbour
bell by itself. A clapper for tests is made here, too: one white frame and one click."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32, F64, U8
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.sound import RATE, SoundFormat, SoundWriter
from cuvrel.core.media.writer import Encoding, VideoFormat, VideoWriter, join_videos
from cuvrel.demo.sounds import bell, click, gull, laid, waves, write_wav

SIZE = 640, 360
FPS = 24
WHITE = 6
"""The frame of the clapper."""
PIECES = (("signaller", 0, 42), ("gull", 6, 36), ("porters", 10, 40), ("flag-drill", 0, 40))
"""Clips, their first frame and how many."""
MIX = 8
"""Frames of the mix between the last two."""


class Played:
    """Samples that go with a video that is joined."""

    def __init__(self, samples: F32, form: SoundFormat) -> None:
        self._samples, self._form, self._at = samples, form, 0
        self._writer: SoundWriter | None = None

    def begin(self, container: object) -> None:
        """See Accompanies."""
        self._writer = SoundWriter(container, self._form)

    def until(self, seconds: float | None) -> None:
        """See Accompanies."""
        assert self._writer is not None
        end = len(self._samples) if seconds is None else min(len(self._samples), round((seconds + 0.5) * RATE))
        if end > self._at:
            self._writer.write(self._samples[self._at : end])
            self._at = end
        if seconds is None:
            self._writer.close()


def written(
    path: Path, frames: Sequence[U8], samples: F64, fps: float = FPS, sound: SoundFormat = "aac",
    encoding: Encoding | None = None,
) -> Path:  # fmt: skip
    """A video of frames, (H, W, 3) uint8, with a sound of one channel."""
    height, width = frames[0].shape[:2]
    plain: VideoFormat | Encoding
    silent = path.with_name(f"silent-{path.name}")
    plain = Encoding("ffv1", "yuv420p") if path.suffix == ".mkv" else "h264-small"
    writer = VideoWriter(silent, encoding or plain, width, height, fps)
    for frame in frames:
        writer.write(frame)
    writer.close()
    both = np.repeat(samples[:, None], 2, axis=1).astype(np.float32)
    join_videos([(silent, len(frames))], path, Played(both, sound))
    silent.unlink()
    return path


def clapper(
    path: Path, frames: int = 48, at: int = 20, fps: float = FPS, sound: SoundFormat = "pcm",
    encoding: Encoding | None = None,
) -> Path:  # fmt: skip
    """A dark clip with one white frame, and a click with its beginning."""
    pictures = [np.full((36, 64, 3), 255 if n == at else 20, np.uint8) for n in range(frames)]
    samples = np.zeros(round(frames / fps * RATE))
    laid(samples, click(), at / fps)
    return written(path, pictures, samples, fps, sound, encoding)


def morning(clips: Path, path: Path) -> Path:
    """The reel, from the clips in a folder."""
    taken = []
    for name, first, count in PIECES:
        reader = Reader(clips / f"{name}.mp4", probe(clips / f"{name}.mp4"), keep_bytes=0)
        taken.append([cv2.resize(reader.frame(first + n), SIZE, interpolation=cv2.INTER_AREA) for n in range(count)])
    taken[0][WHITE] = np.full_like(taken[0][WHITE], 255)
    frames: list[U8] = [frame for piece in taken[:3] for frame in piece]
    for n, into in enumerate(taken[3][:MIX]):
        share = (n + 1) / (MIX + 1)
        from_ = frames[len(frames) - MIX + n]
        frames[len(frames) - MIX + n] = np.asarray(cv2.addWeighted(from_, 1 - share, into, share, 0), np.uint8)
    frames += taken[3][MIX:]
    samples = waves(len(frames) / FPS)
    laid(samples, click(), WHITE / FPS)
    for at, pitch in ((1.9, 900.0), (2.35, 1010.0), (2.9, 840.0)):
        laid(samples, gull(pitch=pitch), at)
    laid(samples, bell(), 4.2)
    return written(path, frames, samples)


def harbour_bell(path: Path) -> Path:
    """Four strokes of the bell over the water."""
    samples = waves(8.0, seed=9) * 0.6
    for n in range(4):
        laid(samples, bell(), 0.5 + 1.6 * n)
    write_wav(path, samples, samples)
    return path


def morning_document(reel: dict[str, Any], bell_: dict[str, Any]) -> dict[str, Any]:
    """The shot on the reel: the bell under it, quieter, a word hushed, and the cuts marked. reel, bell_: footage."""
    ends = [sum(count for _, _, count in PIECES[: n + 1]) for n in range(len(PIECES) - 1)]
    cuts = [{"frame": end, "to": None} for end in ends[:-1]] + [{"frame": ends[-1] - MIX, "to": ends[-1] - 1}]
    return {
        "version": 2, "name": "Shot 30 · Morning reel", "plate": reel["id"], "footage": [reel, bell_],
        "planes": [{"id": "plate", "name": "Plate", "kind": "plate"}], "cuts": cuts,
        "sound": {"under": bell_["id"], "under_level": -14.0, "under_offset": 24,
                  "hushes": [{"first": 66, "last": 72, "how": "silent"}]},
    }  # fmt: skip


MADE: dict[str, Callable[[Path, Path], Path]] = {
    "morning reel.mp4": morning,
    "harbour bell.wav": lambda clips, path: harbour_bell(path),
}
"""Footage of the demo project that is made when it is, from the clips in a folder."""
