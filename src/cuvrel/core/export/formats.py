"""How results are written: one table of declared formats."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from cuvrel.core.media.sound import SoundFormat
from cuvrel.core.recipe.errors import RecipeError

Quality = Literal["smaller", "good", "best"]
What = Literal["result", "cutout", "matte", "plane", "layers"]
Alpha = Literal["none", "straight", "premultiplied"]
Form = Literal["video", "pictures", "still", "sheet", "loop"]
Depth = Literal["8", "16", "half", "float"]
"""What pictures are handed to a writer: uint8, display-encoded float32, or linear float32 to be half or float."""

_NO_MBTREE = {"bf": "2", "x264-params": "mbtree=0"}  # see media/writer.py


@dataclass(frozen=True)
class How:
    """A format. form: a video, numbered pictures, one still, a sheet of many frames, or a short loop that plays itself.

    depth: of what the writer is given. codec and pixels: FFmpeg's names of the codec and of the pixel formats without
    alpha, with alpha (where it can), and of a matte alone. quality: the codec's options by the plain word that asks for
    them. sound: in which format it takes sound. layers: several planes go into one file or folder. weight: bytes that a
    pixel takes, or a little more, by experience: for asking whether there is room.
    """

    kind: str
    label: str
    hint: str
    form: Form
    suffix: str
    depth: Depth
    codec: str = ""
    pixels: str = ""
    pixels_alpha: str = ""
    pixels_grey: str = ""
    options: Mapping[str, str] = field(default_factory=dict)
    quality: Mapping[Quality, Mapping[str, str]] = field(default_factory=dict)
    sound: SoundFormat | None = None
    layers: bool = False
    plays: bool = False
    weight: float = 1.0

    @property
    def alpha(self) -> bool:
        """Whether it holds alpha."""
        return bool(self.pixels_alpha) or self.form in ("pictures", "still")

    @property
    def split(self) -> bool:
        """Whether ranges of frames can be written one by one and joined."""
        return self.form in ("video", "pictures")


def _crf(smaller: int, good: int, best: int) -> dict[Quality, dict[str, str]]:
    return {"smaller": {"crf": str(smaller)}, "good": {"crf": str(good)}, "best": {"crf": str(best)}}


HOWS: dict[str, How] = {
    one.kind: one
    for one in (
        How("h264", "H.264 video", "MP4, plays everywhere", "video", ".mp4", "8", "libx264", "yuv420p",
            options={"preset": "veryfast", **_NO_MBTREE}, quality=_crf(24, 17, 12), sound="aac", plays=True,
            weight=0.3),
        How("hevc", "HEVC video", "MP4, 10 bit, smaller than H.264", "video", ".mp4", "16", "libx265", "yuv420p10le",
            options={"preset": "fast", "tag": "hvc1", "x265-params": "log-level=none"}, quality=_crf(28, 21, 15),
            sound="aac", weight=0.25),
        How("vp9", "VP9 video", "WebM, plays in browsers, with alpha if asked for", "video", ".webm", "8",
            "libvpx-vp9", "yuv420p", "yuva420p", options={"b": "0", "cpu-used": "4", "row-mt": "1", "deadline": "good"},
            quality=_crf(38, 29, 20), sound="opus", plays=True, weight=0.3),
        How("av1", "AV1 video", "MP4, 10 bit, plays in browsers, smallest", "video", ".mp4", "16", "libsvtav1",
            "yuv420p10le", options={"preset": "9", "svtav1-params": "lp=2"}, quality=_crf(44, 33, 22), sound="aac",
            plays=True, weight=0.2),
        How("prores422", "ProRes 422 HQ video", "MOV, 10 bit, for editing", "video", ".mov", "16", "prores_ks",
            "yuv422p10le", options={"profile": "hq", "vendor": "apl0"}, sound="pcm", weight=1.2),
        How("prores4444", "ProRes 4444 video", "MOV, 10 bit, with alpha", "video", ".mov", "16", "prores_ks",
            "yuv444p10le", "yuva444p10le", options={"profile": "4444", "vendor": "apl0"}, sound="pcm", weight=2.5),
        How("ffv1", "FFV1 video", "MKV, lossless, with alpha; a matte is grey", "video", ".mkv", "16", "ffv1",
            "gbrp16le", "gbrap16le", "gray", options={"level": "3", "slices": "4", "slicecrc": "1"}, sound="pcm",
            weight=5),
        How("png8", "PNG pictures, 8 bit", "ZIP of numbered pictures", "pictures", ".png", "8", layers=True, weight=3),
        How("png16", "PNG pictures, 16 bit", "ZIP of numbered pictures", "pictures", ".png", "16", layers=True,
            weight=7),
        How("tiff8", "TIFF pictures, 8 bit", "ZIP of numbered pictures", "pictures", ".tif", "8", layers=True,
            weight=4),
        How("tiff16", "TIFF pictures, 16 bit", "ZIP of numbered pictures", "pictures", ".tif", "16", layers=True,
            weight=8),
        How("exr-half", "EXR pictures, half", "ZIP; linear light, layers as named channels", "pictures", ".exr", "half",
            layers=True, weight=7),
        How("exr-float", "EXR pictures, float", "ZIP; linear light, layers as named channels", "pictures", ".exr",
            "float", layers=True, weight=14),
        How("still", "One still", "PNG of the first frame of the range, 16 bit", "still", ".png", "16", weight=7),
        How("sheet", "Contact sheet", "PNG of every nth frame with its number", "sheet", ".png", "8", weight=0.3),
        How("loop", "Animated WebP", "a short loop for a page or a message", "loop", ".webp", "8", "libwebp_anim",
            "yuv420p", "bgra", options={"loop": "0"},
            quality={"smaller": {"quality": "50"}, "good": {"quality": "75"}, "best": {"quality": "95"}}, plays=True,
            weight=0.5),
    )
}  # fmt: skip
WHATS: dict[What, str] = {
    "result": "Result",
    "cutout": "Cut-out",
    "matte": "Matte alone",
    "plane": "One plane alone",
    "layers": "Several planes as layers",
}
_FORMER = {
    "result-h264": ("result", "h264", "none"),
    "cutout-prores": ("cutout", "prores4444", "straight"),
    "cutout-png-straight": ("cutout", "png8", "straight"),
    "cutout-png-premultiplied": ("cutout", "png8", "premultiplied"),
    "matte-ffv1": ("matte", "ffv1", "none"),
}
"""What exports that were waiting when this table came were called."""


def how_of(kind: str) -> How:
    """A format by its name. Raises RecipeError."""
    if kind not in HOWS:
        raise RecipeError(f"There is no format '{kind}'.", f"Known: {', '.join(HOWS)}.")
    return HOWS[kind]


def former(args: Mapping[str, object]) -> dict[str, object]:
    """What an export was asked for, in today's words."""
    if "how" in args:
        return dict(args)
    what, how, alpha = _FORMER[str(args["kind"])]
    target = args.get("target")
    return {**args, "what": what, "how": how, "alpha": alpha, "targets": [] if target is None else [target]}
