"""Whether pictures are what they were: a hash of every picture of the demo's shots, to be held against another run's.

`python -m bench same --to before.json` on one state of the code, `--against before.json` on the other.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from cuvrel.core import catalogue
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.hashing import hash_bytes
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.sources import FrameSources
from cuvrel.core.stand.view_kinds import (
    ChangeView,
    MatteView,
    OnionView,
    PlaneView,
    ResultView,
    UnrollView,
    VeilView,
    View,
)
from cuvrel.core.stand.views import view
from cuvrel.demo import followed
from cuvrel.demo.looks import SHOTS, demo_document, fan_document
from cuvrel.demo.project import CLIPS, clip_marks

Doc = dict[str, Any]
WIDTH = 480


def entry(ident: str, name: str) -> Doc:
    """What a document says of a clip."""
    info = probe(CLIPS / f"{name}.mp4")
    return {"id": ident, "name": name, "hash": ident * 40, "width": info.width, "height": info.height,
            "frames": info.frames, "fps": info.fps}  # fmt: skip


def shipped(clips: dict[str, str], plate: str) -> FrameSources:
    """The demo's clips by the ids of a document, and the mattes that ship with the plate's."""
    readers = {ident: Reader(CLIPS / f"{name}.mp4", probe(CLIPS / f"{name}.mp4")) for ident, name in clips.items()}
    mattes = {one.number: one.matte for one in followed.read(CLIPS, clips[plate])}
    return FrameSources(
        lambda ident, frame: readers[ident].frame(frame),
        lambda _, frame: mattes[frame],
        lambda _, frame: frame in mattes,
    )


def trial(plate: Doc, other: Doc) -> Doc:
    """A shot that uses what the demo's do not: keys by difference and by footage, every edge step, a rim, borders."""
    shape = {"id": "h", "name": "Box", "kind": "box", "keys": [
        {"frame": 0, "x": 400, "y": 300, "width": 300, "height": 200, "outer": 30},
        {"frame": 20, "x": 700, "y": 360, "width": 200, "height": 260, "angle": 30}]}  # fmt: skip
    edge = {"steady": 2, "fine": 0.7, "own_colour": 0.5, "grow": 1.5, "feather_out": 3.0, "holes": 20, "smooth": 3.0}
    mattes: list[Doc] = [
        {"id": "m", "name": "Traced", "pulls": [{"id": "t", "kind": "trace"}], "edge": edge},
        {"id": "d", "name": "By difference", "pulls": [
            {"id": "d1", "kind": "difference_key", "params": {"plate": "2", "solve": 0.0}, "region": "m",
             "beyond": True},
            {"id": "d2", "kind": "shape", "shapes": [shape], "params": {"shutter": 180}, "join": "difference",
             "strength": {"keys": [{"frame": 0, "value": 0.2}, {"frame": 24, "value": 0.9}]}}]},
        {"id": "f", "name": "By footage", "pulls": [
            {"id": "f1", "kind": "footage", "params": {"footage": "2", "channel": "luminance", "offset": 2}},
            {"id": "f2", "kind": "footage", "params": {"plane": "fill", "channel": "red"}, "invert": True,
             "join": "intersect"},
            {"id": "f3", "kind": "contour"}]},
    ]  # fmt: skip
    grade = {"exposure": 0.4, "contrast": {"drive": "wander", "base": 5, "amount": 30, "pace": 3}}
    glow = {"id": "g", "kind": "glow", "params": {"wander": 6}}
    planes: list[Doc] = [
        {"id": "line", "name": "Line", "kind": "line", "matte": "d", "blend": "add", "treatments": [glow]},
        {"id": "rim", "name": "Rim", "kind": "element", "blend": "screen", "params": {"footage": "2", "fit": "contain"},
         "gate": {"matte": "m", "part": "rim", "excluded": ["f"], "inner": 12}, "placement": {"angle": 5, "x": 30}},
        {"id": "cut", "name": "Cut", "kind": "cutout", "matte": "m",
         "time": {"speed": 40, "between": "motion", "shutter": 180},
         "placement": {"scale": 60, "border": "mirror", "x": {"drive": "rate", "amount": 40}, "shutter": 180},
         "treatments": [{"id": "t1", "kind": "grade", "params": grade}]},
        {"id": "glaze", "name": "Glaze", "kind": "glaze", "matte": "f", "blend": "soft-light", "opacity": 0.6,
         "treatments": [{"id": "t2", "kind": "grade", "params": {"saturation": 20}}, {**glow, "id": "g2"}]},
        {"id": "fill", "name": "Fill", "kind": "fill", "opacity": 0.3, "params": {"colours": 3}},
        {"id": "plate", "name": "Plate", "kind": "plate"},
    ]  # fmt: skip
    return {"name": "Trial", "plate": "1", "footage": [plate, other], "mattes": mattes, "planes": planes}


def pictures(every: int) -> dict[str, str]:
    """The hash of each picture by its name: every view of every so many frames, and each frame's result."""
    found: dict[str, str] = {}
    shots = {name: (demo_document(entry("1", name), clip_marks(name), name), {"1": name}) for name in SHOTS}
    first, spray = entry("1", "signaller"), entry("2", "spray")
    both = {"1": "signaller", "2": "spray"}
    shots["fan"] = fan_document(demo_document(first, clip_marks("signaller"), "signaller"), spray), both
    shots["trial"] = trial(first, spray), both
    for name, (document, clips) in shots.items():
        shot = read_shot(document)
        stand = Stand(shot, shipped(clips, "1"), WIDTH / shot.plate_footage().width)
        cache = Cache(512 << 20)
        first_matte = shot.mattes[0].id
        more: dict[str, View] = {f"matte:{m.id}": MatteView(matte=m.id) for m in shot.mattes}
        more |= {f"plane:{p.id}": PlaneView(plane=p.id) for p in shot.planes}
        more[f"bare-matte:{first_matte}"] = MatteView(matte=first_matte, edged=False)
        for kind in (VeilView, ChangeView, OnionView, UnrollView):
            one = kind(matte=first_matte)
            more[f"{one.kind}:{first_matte}"] = one
        for frame in range(stand.frames):
            for called, wanted in {"result": ResultView(), **(more if frame % every == 0 else {})}.items():
                pixels = work_out(view(stand, wanted, frame), cache)
                found[f"{name} {called} {frame}"] = hash_bytes(np.ascontiguousarray(pixels).tobytes())
        print(f"{name}: {len(found)} pictures so far", flush=True)
    return found


def run(to: Path | None, against: Path | None, every: int) -> None:
    """Writes the hashes, or tells which pictures are others than those of a file; exits with 1 where any is."""
    catalogue.load()
    found = pictures(every)
    if to:
        to.write_text(json.dumps(found, indent=0))
    if against:
        before = json.loads(against.read_text())
        other = [name for name in before if found.get(name) != before[name]]
        print(f"{len(before) - len(other)} of {len(before)} pictures are the same to the bit")
        for name in other[:20]:
            print(f"  another one: {name}")
        if other:
            raise SystemExit(1)
