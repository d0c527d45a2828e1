"""Pictures that move and that FFmpeg does not read (WebP): written anew, without loss, as a film."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np

from cuvrel.core.media.still_heads import webp, webp_frames
from cuvrel.core.media.stills import check_size
from cuvrel.core.recipe.errors import MediaError

MOST = 1 << 30  # bytes of all pictures, which are decoded at once


def as_film(path: Path, to: Path) -> None:
    """Writes a moving WebP as FFV1 in Matroska, with its alpha and its times in milliseconds. Raises MediaError."""
    data = path.read_bytes()
    try:
        head, count = webp(data), webp_frames(data)
    except (LookupError, ValueError) as fault:
        raise MediaError("The moving picture is broken.", "Export it again.") from fault
    check_size(head.width, head.height)
    if head.width * head.height * 4 * count > MOST:
        raise MediaError(f"The moving picture holds {count} pictures, which is more than can be unpacked at once.",
                         "Bring it in as a video.")  # fmt: skip
    good, animation = cv2.imdecodeanimation(np.frombuffer(data, np.uint8))
    if not good or not len(animation.frames):
        raise MediaError("The moving picture is broken.", "Export it again.")
    base = Fraction(1, 1000)
    opened: Any = av
    with opened.open(str(to), "w", format="matroska") as container:
        stream: Any = container.add_stream("ffv1", rate=1000, options={"level": "3", "slicecrc": "1"})
        height, width = animation.frames[0].shape[:2]
        stream.width, stream.height, stream.pix_fmt = width, height, "bgra"
        stream.codec_context.time_base = stream.time_base = base
        at = 0
        for picture, lasts in zip(animation.frames, animation.durations, strict=True):
            whole = picture if picture.shape[2] == 4 else cv2.cvtColor(picture, cv2.COLOR_BGR2BGRA)
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(whole), format="bgra")
            frame.pts, frame.time_base = at, base
            container.mux(stream.encode(frame))
            at += max(1, int(lasts))
        container.mux(stream.encode(None))
