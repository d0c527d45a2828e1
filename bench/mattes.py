"""Mattes against their truth: quality, steadiness, doubt, and how often an artist must touch them."""

from __future__ import annotations

import argparse
import json
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from bench import yardsticks
from cuvrel.core import catalogue
from cuvrel.core.arrays import F32, U8, Mask
from cuvrel.core.checks.chatter import chatter, grey_flow
from cuvrel.core.checks.quality import contour_accuracy, dtssd, gradient_error, mse, overlap
from cuvrel.core.edge.detail import solve, to_linear
from cuvrel.core.follow.artist import mended
from cuvrel.core.follow.plan import FramesInMemory, refollow, trace_and_follow
from cuvrel.core.follow.run import Settings
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.recipe.models import Mark
from cuvrel.core.trace.prepared import prepare
from cuvrel.core.warm import warm_up

ENOUGH = 0.90  # J that every frame must hold for the simulated artist
DOUBTFUL = 0.5  # doubt from which the sheet shows a frame as doubtful
STROKES = 4  # the most that the artist draws on a frame that holds


@dataclass
class Case:
    """A clip with its truth, in memory, and its marks on one frame."""

    name: str
    pictures: list[U8]
    truths: list[F32]
    marks: list[Mark]
    key: int

    @property
    def count(self) -> int:
        return len(self.pictures)

    def read(self, number: int) -> U8:
        return self.pictures[number]


def cases(folders: list[Path], only: str | None, frames: int | None, height: int | None) -> Iterator[Case]:
    """Every clip of the folders in the benchmark's format."""
    wanted = only.split(",") if only else None
    for folder in folders:
        for about_file in sorted(folder.glob("*.json")):
            name = about_file.stem
            movie, alpha = folder / f"{name}.mp4", folder / f"{name}.alpha.mkv"
            if not movie.exists() or not alpha.exists() or (wanted and name not in wanted):
                continue
            about = json.loads(about_file.read_text())
            yield _case(name, movie, alpha, about, frames, height)


def _case(name: str, movie: Path, alpha: Path, about: dict[str, Any], frames: int | None, height: int | None) -> Case:
    info = probe(movie)
    key, first, last = int(about["frame"]), 0, info.frames
    if frames and frames < info.frames:
        first = max(0, min(key - frames // 2, info.frames - frames))
        last = first + frames
    ratio = min(1.0, height / info.height) if height else 1.0
    size = round(info.width * ratio) & ~1, round(info.height * ratio) & ~1
    pictures, truths = Reader(movie, info, 0), Reader(alpha, probe(alpha), 0)

    def at(reader: Reader, n: int) -> U8:
        return np.ascontiguousarray(cv2.resize(reader.frame(n), size, interpolation=cv2.INTER_AREA))

    marks = [
        Mark(id=f"m{i}", frame=key - first, kind=s["kind"], radius=max(0.6, s["radius"] * ratio),
             points=[(x * ratio, y * ratio) for x, y in s["points"]])
        for i, s in enumerate(about["strokes"])
    ]  # fmt: skip
    return Case(
        name,
        [at(pictures, n) for n in range(first, last)],
        [at(truths, n)[..., 0].astype(np.float32) / 255 for n in range(first, last)],
        marks,
        key - first,
    )


@dataclass
class Row:
    """Figures of one clip by name, and what the doubt's figures are made of."""

    name: str
    figures: dict[str, float] = field(default_factory=dict)
    js: list[float] = field(default_factory=list)
    doubts: list[float] = field(default_factory=list)


def followed(case: Case) -> FramesInMemory:
    """Our frames from the marked frame alone."""
    frames = FramesInMemory()
    for _ in trace_and_follow(case.read, case.count, case.marks, Settings(), False, frames):
        pass
    return frames


def mattes_of(case: Case, frames: FramesInMemory) -> list[F32]:
    """The mattes of all frames; nothing where there is none."""
    found = (frames.matte(n) for n in range(case.count))
    return [np.zeros_like(t) if one is None else one for one, t in zip(found, case.truths, strict=True)]


def overlaps(case: Case, mattes: list[F32]) -> list[float]:
    """J of every frame."""
    return [overlap(m, t) for m, t in zip(mattes, case.truths, strict=True)]


def scores(case: Case, mattes: list[F32]) -> dict[str, float]:
    """The field's measures of a whole clip, means over its frames."""
    js = overlaps(case, mattes)
    fs = [contour_accuracy(m, t) for m, t in zip(mattes, case.truths, strict=True)]
    steps = range(1, case.count)
    steady = [dtssd(mattes[n], mattes[n - 1], case.truths[n], case.truths[n - 1]) for n in steps]
    flows = [grey_flow(case.pictures[n], case.pictures[n - 1]) for n in steps]
    return {
        "J": float(np.mean(js)),
        "F": float(np.mean(fs)),
        "J&F": float(np.mean(js) + np.mean(fs)) / 2,
        "MSE": 1000 * float(np.mean([mse(m, t) for m, t in zip(mattes, case.truths, strict=True)])),
        "grad": float(np.mean([gradient_error(m, t) for m, t in zip(mattes, case.truths, strict=True)])),
        "dtSSD": 100 * float(np.mean(steady)),
        "chatter": float(np.mean([chatter(mattes[n], mattes[n - 1], f) for n, f in zip(steps, flows, strict=True)])),
    }


@dataclass
class Mending:
    """What the artist did after the first marks: frames touched, strokes drawn, frames that do not hold even so."""

    touches: int
    strokes: int
    left: int


def mending(case: Case, true: bool = False) -> Mending:
    """Lets the artist touch the worst frame until J holds everywhere, on touched frames and the marked one, too.

    true: each touch brings the true matte instead of strokes, as those of warp and cut do.
    """
    frames = followed(case)
    strokes, done = 0, set[int]()
    for _ in range(case.count):
        mattes = mattes_of(case, frames)
        js = [1.0 if n in done else j for n, j in enumerate(overlaps(case, mattes))]
        worst = int(np.argmin(js))
        if js[worst] >= ENOUGH:
            break
        reached, drawn = (None, case.marks) if worst == case.key else (mattes[worst], [])
        matte = case.truths[worst]
        if not true:
            ready = prepare(case.read, case.count, worst)
            matte, marks = mended(
                ready, reached, case.truths[worst], STROKES, drawn, enough=ENOUGH + 0.03, holds=ENOUGH
            )
            strokes += len(marks) - len(drawn)
        done.add(worst)
        frames.touch(worst, matte)
        for _ in refollow(case.read, case.count, frames, worst, Settings()):
            pass
    return Mending(len(done), strokes, sum(j < ENOUGH for j in overlaps(case, mattes_of(case, frames))))


def yard_touches(case: Case) -> int:
    """The same for warp and cut, whose every touch brings the true matte."""
    touched = {case.key}
    mattes = _yard(case, touched, cut=True)
    for _ in range(case.count):
        js = overlaps(case, mattes)
        worst = int(np.argmin(js))
        if js[worst] >= ENOUGH:
            break
        touched.add(worst)
        mattes = _yard(case, touched, cut=True, known=mattes, about=worst)
    return len(touched) - 1


def _yard(case: Case, touched: set[int], cut: bool, known: list[F32] | None = None, about: int = -1) -> list[F32]:
    """From each touched frame half-way to the next one; only around `about` where the rest is known."""
    mattes = [t.copy() for t in case.truths] if known is None else known
    stops = sorted(touched)
    step = yardsticks.warp_and_cut if cut else yardsticks.warp
    for i, stop in enumerate(stops):
        if known is not None and about not in stops[max(0, i - 1) : i + 2]:
            continue
        mattes[stop] = case.truths[stop]
        after = (stop + stops[i + 1]) // 2 + 1 if i + 1 < len(stops) else case.count
        before = (stop + stops[i - 1]) // 2 if i > 0 else -1
        for way in (range(stop + 1, after), range(stop - 1, before, -1)):
            last = stop
            for n in way:
                mattes[n] = step(case.pictures[n], case.pictures[last], mattes[last])
                last = n
    return mattes


def measure(case: Case, artist: bool, yards: bool) -> Row:
    """All figures of one clip."""
    row = Row(case.name)
    frames = followed(case)
    mattes, found = mattes_of(case, frames), frames.frames
    row.doubts = [found[n].doubt if n in found else 1.0 for n in range(case.count)]
    ms = float(np.median([one.ms for one in found.values() if one.origin == "followed"] or [0]))
    row.figures = {"trace J": overlap(mattes[case.key], case.truths[case.key]), **scores(case, mattes), "ms": ms}
    row.js = overlaps(case, mattes)
    if artist:
        done = mending(case)
        row.figures |= {
            "touch/100": 100 * done.touches / case.count,
            "stroke/100": 100 * done.strokes / case.count,
            "left/100": 100 * done.left / case.count,
        }
    bands = [(n, yardsticks.unknown(case.truths[n])) for n in range(case.key % 12, case.count, 12)]
    bands = [(n, band) for n, band in bands if band.any()]
    row.figures["band MSE"] = 1000 * float(
        np.mean([np.square(mattes[n] - case.truths[n])[b].mean() for n, b in bands] or [0])
    )
    if yards:
        marked = case.pictures[case.key]
        begun = time.perf_counter()
        row.figures["cut J"] = overlap(yardsticks.cut(marked, case.marks), case.truths[case.key])
        row.figures["cut s"] = time.perf_counter() - begun
        row.figures["warp J&F"] = _jf(case, _yard(case, {case.key}, cut=False))
        begun = time.perf_counter()
        row.figures["w+c J&F"] = _jf(case, _yard(case, {case.key}, cut=True))
        row.figures["w+c ms"] = (time.perf_counter() - begun) * 1000 / case.count
        if artist:
            row.figures["w+c touch"] = 100 * yard_touches(case) / case.count
            row.figures["true touch"] = 100 * mending(case, true=True).touches / case.count
        begun = time.perf_counter()
        errors = [
            np.square(yardsticks.closed_form(case.pictures[n], case.truths[n]) - case.truths[n])[b].mean()
            for n, b in bands
        ]
        row.figures["cf MSE"] = 1000 * float(np.mean(errors or [0]))
        row.figures["cf s"] = (time.perf_counter() - begun) / max(1, len(bands))
        begun = time.perf_counter()
        errors = [np.square(_fine(case, n, b) - case.truths[n])[b].mean() for n, b in bands]
        row.figures["fine MSE"] = 1000 * float(np.mean(errors or [0]))
        row.figures["fine s"] = (time.perf_counter() - begun) / max(1, len(bands))
    return row


def _fine(case: Case, number: int, band: Mask) -> F32:
    """Our fine detail in the same band as the closed form gets, from the same knowledge."""
    linear = to_linear(case.pictures[number])
    known = np.where(band, np.float32(0.5), case.truths[number] > 0.5).astype(np.float32)
    return solve(linear, known, band.astype(np.uint8))


def _jf(case: Case, mattes: list[F32]) -> float:
    pairs = [n for n in range(case.count) if n != case.key]
    return float(
        np.mean([overlap(mattes[n], case.truths[n]) for n in pairs])
        + np.mean([contour_accuracy(mattes[n], case.truths[n]) for n in pairs])
    ) / 2  # fmt: skip


def table(rows: list[Row]) -> str:
    """The figures as text, a line per clip, and their means."""
    names = list(dict.fromkeys(name for row in rows for name in row.figures))
    lines = ["clip".ljust(16) + "".join(name.rjust(11) for name in names)]
    for row in rows:
        lines.append(
            row.name[:15].ljust(16) + "".join(f"{row.figures.get(name, float('nan')):11.3f}" for name in names)
        )
    if len(rows) > 1:
        means = [float(np.nanmean([row.figures.get(name, np.nan) for row in rows])) for name in names]
        lines.append("mean".ljust(16) + "".join(f"{value:11.3f}" for value in means))
    return "\n".join(lines)


def doubt(rows: list[Row]) -> str:
    """How well doubt tells error: what it flags of the bad frames, and of the good ones."""
    js = np.concatenate([row.js for row in rows])
    flags = np.concatenate([row.doubts for row in rows]) > DOUBTFUL
    bad, good = js < 0.85, js > 0.95
    hit = float(flags[bad].mean()) if bad.any() else float("nan")
    false = float(flags[good].mean()) if good.any() else float("nan")
    precise = float(bad[flags].mean()) if flags.any() else float("nan")
    return (
        f"doubt: flags {hit:.3f} of {int(bad.sum())} frames with J < 0.85 (bar 0.9), {false:.3f} of {int(good.sum())} "
        f"with J > 0.95 (bar 0.1); {precise:.3f} of what it flags is below 0.85"
    )


def run(given: argparse.Namespace) -> None:
    """Measures the clips one by one and prints the table."""
    catalogue.load()
    warm_up()
    rows = []
    for case in cases(given.folders, given.clips, given.frames, given.height):
        rows.append(measure(case, not given.no_artist, not given.no_yardsticks))
        print(table(rows[-1:]), flush=True)
    if not rows:
        raise SystemExit("There is no clip in the benchmark's format there.")
    print("\n" + table(rows) + "\n" + doubt(rows))
    if given.json:
        given.json.write_text(json.dumps([{"clip": r.name, **r.figures, "js": r.js, "doubts": r.doubts} for r in rows]))
