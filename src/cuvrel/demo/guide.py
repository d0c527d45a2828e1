"""The page of treatments: written from what each declares, with a picture of each on the demo's signaller."""

from __future__ import annotations

import inspect
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from cuvrel.core import catalogue  # noqa: F401  (fills the registry)
from cuvrel.core.arrays import U8
from cuvrel.core.media.cube import read_cube
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.declared import Declared, all_declared
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.sources import FrameSources
from cuvrel.core.stand.view_kinds import ResultView
from cuvrel.core.stand.views import view

CLIPS = Path(__file__).parent / "clips"
FRAME = 44
FIRST = """# Treatments

A treatment is a step on a plane that changes its picture: **+ Treatment** on the bench, or A, opens the shelf, which
shows this very frame with each one laid on. All numbers, colours, places and curves can be keyed, driven, and made to
*arrive* from what changes nothing, or to *leave*. Treatments on a cut-out change the subject alone; on a glaze with a
gate, all but the subject.

This page is written by `cuvrel guide docs` from what the program declares; pictures show the demo's signaller.
"""
# what shows a treatment better than its default values
SHOWN: dict[str, dict[str, Any]] = {
    "cdl": {"slope_red": 1.25, "slope_blue": 0.8, "offset_blue": 0.06, "power_green": 1.15},
    "curves": {"all": [[0, 0.06], [0.3, 0.18], [0.7, 0.86], [1, 1]],
               "saturation": [[0, 1.8], [0.1, 1.6], [0.2, 0.3], [0.8, 0.3], [1, 1.8]]},
    "fringe": {"amount": 22},
    "grain": {"amount": 24, "size": 3},
    "glow": {"length": 0.6, "start": [0, -180], "start_frame": FRAME},
    "grade": {"exposure": 0.5, "contrast": 25, "saturation": 150, "temperature": 25},
    "ink": {"on": "paper"},
    "slide": {"frame": FRAME + 14},
    "table": {"table": "dusk"},
    "levels": {"black": 0.15, "white": 0.8, "gamma": 1.15},
    "selective": {"colour": [0.28, 0.42, 0.66], "width": 50, "hue": 150, "saturation": 150},
}  # fmt: skip
# shown on the plate, not on the cut-out alone
WHOLE = (
    "bloom", "vignette", "toning", "balance", "blur", "directional", "radial", "defocus", "grain", "posterise",
    "halftone", "churn", "ripple", "lens", "fringe", "shake", "diffuse", "edges", "ink", "differs", "hatch", "slide",
    "signal", "sort", "table",
)  # fmt: skip


class _Source(FrameSources):
    """The signaller and his true matte."""

    def __init__(self) -> None:
        film, cover = (
            Reader(CLIPS / name, probe(CLIPS / name), keep_bytes=0) for name in ("signaller.mp4", "signaller.alpha.mkv")
        )
        self.info = film.info
        super().__init__(lambda _, frame: film.frame(frame), lambda _, frame: cover.frame(frame)[..., 0],
                         tables={"dusk": read_cube(CLIPS / "dusk.cube")})  # fmt: skip


def treatments() -> list[Declared]:
    """All of them, by family and name."""
    found = [entry for entry in all_declared() if entry.family == "treatment"]
    return sorted(found, key=lambda entry: (entry.group, entry.label))


def page() -> str:
    """The page, as Markdown."""
    parts = [FIRST]
    for group in dict.fromkeys(entry.group for entry in treatments()):
        parts.append(f"## {group}\n")
        parts += [_about(entry) for entry in treatments() if entry.group == group]
    return "\n".join(parts)


def _about(entry: Declared) -> str:
    lines = [f"### {entry.label}\n", f"{entry.hint[0].upper()}{entry.hint[1:]}.\n",
             f"![{entry.label}](treatments/{entry.kind}.jpg)\n", "| | | |", "|---|---|---|"]  # fmt: skip
    for name, about in entry.params.fields().items():
        field = entry.params.model_fields[name]
        lines.append(f"| {field.title} | {_takes(about, field.default)} | {field.description or ''} |")
    if entry.starters:
        lines.append(f"\nStarters: {', '.join(name for name, _ in entry.starters)}.")
    told = (inspect.getdoc(entry.stages[-1].run) or "").split("\n\n", 1)
    if len(told) > 1:
        lines.append("\n" + " ".join(told[1].split()))
    return "\n".join(lines) + "\n"


def _takes(about: dict[str, Any], default: Any) -> str:
    control = about["control"]
    if control == "number":
        unit = f" {about['unit']}" if about["unit"] else ""
        return f"{about['low']:g} to {about['high']:g}{unit}, begins at {default:g}"
    if control == "choice":
        return f"{', '.join(about['options'])}; begins as {default}"
    if control == "colour":
        return "a colour, #" + "".join(f"{round(255 * n):02x}" for n in default)
    return {
        "curve": "a curve",
        "ramp": "colours by brightness",
        "point": "a place",
        "switch": "on or off",
        "matte": "a matte",
        "table": "a colour table",
    }[control]


def picture(entry: Declared, source: _Source, size: tuple[int, int] = (270, 480)) -> U8:
    """A treatment on the signaller, (H, W, 3) uint8 sRGB; on the plate where it is about the whole picture."""
    info = source.info
    values = SHOWN.get(entry.kind) or (dict(entry.starters[0][1]) if entry.starters else {})
    step = {"id": "shown", "kind": entry.kind, "params": values}
    whole = entry.kind in WHOLE
    top = {"id": "top", "name": "Top", "kind": "glaze" if whole else "cutout", "matte": None if whole else "m",
           "treatments": [step]}  # fmt: skip
    dim = {"id": "dim", "name": "Dim", "kind": "glaze",
           "treatments": [{"id": "g", "kind": "grade", "params": {"exposure": -0.6, "saturation": 45}}]}  # fmt: skip
    shot = read_shot({
        "name": "Guide", "plate": "1",
        "footage": [{"id": "1", "name": "signaller", "hash": "1" * 40, "width": info.width, "height": info.height,
                     "frames": info.frames, "fps": info.fps},
                    {"id": "dusk", "name": "dusk.cube", "hash": "2" * 40, "width": 0, "height": 0, "frames": 0,
                     "fps": 0}],
        "mattes": [{"id": "m", "name": "M", "pulls": [{"id": "t", "kind": "trace"}]}],
        "planes": [top, *([] if whole else [dim]), {"id": "plate", "name": "Plate", "kind": "plate"}],
    })  # fmt: skip
    stand = Stand(shot, source, size[1] / info.width)
    return np.asarray(work_out(view(stand, ResultView(), FRAME), Cache(1 << 28)), np.uint8)


def write(folder: Path, kinds: Sequence[str] | None = None) -> None:
    """Writes treatments.md into a folder, and the pictures beside it. kinds: only of these."""
    (folder / "treatments").mkdir(parents=True, exist_ok=True)
    (folder / "treatments.md").write_text(page())
    source = _Source()
    for entry in treatments():
        if kinds is None or entry.kind in kinds:
            rgb = picture(entry, source)
            file = folder / "treatments" / f"{entry.kind}.jpg"
            cv2.imwrite(str(file), cv2.cvtColor(rgb, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, 88])
