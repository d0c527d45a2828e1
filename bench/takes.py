"""Lining two takes up: the error on made pairs, beside what general methods reach on the same ones."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path

import cv2
import numpy as np
from skimage import data
from tests.core.test_takes import change

from bench.speed import say
from cuvrel.core.arrays import F64, U8
from cuvrel.core.imaging.colour import linear_to_srgb, srgb_to_linear
from cuvrel.core.media.probe import probe
from cuvrel.core.media.reader import Reader
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.takes.line_up import Kind, brought, covered, line_up
from cuvrel.core.takes.tone import tone
from cuvrel.demo.project import CLIPS

WIDE, HIGH = 1280, 720
KINDS: tuple[Kind, ...] = ("shift", "similar", "affine", "perspective")
PLACES = np.array([[x, y, 1.0] for x in (100, 640, 1180) for y in (80, 360, 640)]).T
Lines = Callable[[U8, U8], F64]


def _pictures() -> Iterator[U8]:
    """Sets: frames of the harbour, and photographs of other makers, larger than a take."""
    made = [Reader(file, probe(file), keep_bytes=0).frame(0) for file in
            (CLIPS / "signaller.mp4", CLIPS / "porters.mp4")]  # fmt: skip
    for picture in [*made, data.astronaut(), data.coffee(), data.chelsea(), data.rocket()]:
        share = max((WIDE + 200) / picture.shape[1], (HIGH + 160) / picture.shape[0])
        yield np.asarray(cv2.resize(picture, None, fx=share, fy=share, interpolation=cv2.INTER_CUBIC), np.uint8)


def _pairs(kind: Kind) -> Iterator[tuple[U8, U8, F64, float]]:
    """Two takes, the change between them, and the second's gain; a hand is in the second, grain in both."""
    for n, whole in enumerate(_pictures()):
        for seed in range(3):
            rng = np.random.default_rng([n, seed])
            matrix = change(kind, rng, (WIDE, HIGH), 25, 2e-5)
            corner = (whole.shape[1] - WIDE) / 2, (whole.shape[0] - HIGH) / 2
            to_whole = np.array([[1, 0, corner[0]], [0, 1, corner[1]], [0, 0, 1.0]])
            first = brought(whole, np.linalg.inv(to_whole), (HIGH, WIDE))
            second = brought(whole, np.linalg.inv(to_whole @ matrix), (HIGH, WIDE))
            gain = float(rng.uniform(0.75, 1.25))
            light = srgb_to_linear(second.astype(np.float32) / 255) * np.float32(gain)
            second = linear_to_srgb(np.clip(light, 0, 1)) * 255
            grainy = (one + rng.normal(0, 2.0, one.shape) for one in (first, second))
            first, second = (np.clip(np.round(one), 0, 255).astype(np.uint8) for one in grainy)
            cv2.ellipse(second, (420, 330), (130, 90), 30, 0, 360, (176, 128, 104), -1)
            yield first, second, matrix, gain


def _apart(found: F64, wanted: F64) -> float:
    here, there = found @ PLACES, wanted @ PLACES
    return float(np.hypot(*(here[:2] / here[2] - there[:2] / there[2])).mean())


def _grey(picture: U8) -> U8:
    return np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.uint8)


def _phase(first: U8, second: U8) -> F64:
    window = cv2.createHanningWindow((WIDE, HIGH), cv2.CV_32F)
    (x, y), _ = cv2.phaseCorrelate(_grey(second).astype(np.float32), _grey(first).astype(np.float32), window)
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])


def _ecc(first: U8, second: U8) -> F64:
    to = np.eye(3, dtype=np.float32)
    stop = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 60, 1e-6)
    cv2.findTransformECC(_grey(second), _grey(first), to, cv2.MOTION_HOMOGRAPHY, stop, None, 5)
    return to.astype(np.float64)


def _features(first: U8, second: U8) -> F64:
    finder = cv2.ORB_create(4000)
    (here, a), (there, b) = (finder.detectAndCompute(_grey(one), None) for one in (first, second))
    pairs = cv2.BFMatcher(cv2.NORM_HAMMING, crossCheck=True).match(b, a)
    at = np.array([there[one.queryIdx].pt for one in pairs])
    to = np.array([here[one.trainIdx].pt for one in pairs])
    return np.asarray(cv2.findHomography(at, to, cv2.RANSAC, 3.0)[0], np.float64)


def run(_: Path | None = None) -> None:
    """Prints errors, tones and times."""
    everything: list[float] = []
    for kind in KINDS:
        errors, tones, spent, lost = [], [], [], 0
        beside: dict[str, list[float]] = {"phase correlation": [], "ECC": [], "features with RANSAC": []}
        ways: dict[str, Lines] = {"phase correlation": _phase, "ECC": _ecc, "features with RANSAC": _features}
        for first, second, matrix, gain in _pairs(kind):
            begun = time.perf_counter()
            try:
                found = line_up(first, second, kind)
            except RecipeError:
                lost += 1
                continue
            spent.append(time.perf_counter() - begun)
            errors.append(_apart(found.matrix, matrix))
            lain = brought(second, found.matrix, (HIGH, WIDE))
            measured = tone(first, lain, covered(found.matrix, (HIGH, WIDE), (HIGH, WIDE)))
            grey = linear_to_srgb(np.array([0.18 * measured.gain[1] / gain + measured.offset[1]], np.float32))
            tones.append(abs(float(grey[0]) - float(linear_to_srgb(np.array([0.18], np.float32))[0])) * 255)
            for name, way in ways.items():
                try:
                    beside[name].append(_apart(way(first, second), matrix))
                except cv2.error:
                    beside[name].append(99.0)
        everything += errors
        say(f"{kind}: line-up error, median", float(np.median(errors)), "px", "0.05")
        say(f"{kind}: line-up error, 90th percentile", float(np.quantile(errors, 0.9)), "px", "0.2")
        say(f"{kind}: tone of a middle grey, worst", max(tones), "of 255", "1")
        say(f"{kind}: time", 1000 * float(np.median(spent)), "ms", "1000")
        if lost:
            say(f"{kind}: not found", lost, "pairs", "0")
        for name, values in beside.items():
            say(f"    {name}, median", float(np.median(values)), "px", "-")
    say("all: line-up error, median", float(np.median(everything)), "px", "0.05")
