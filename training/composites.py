"""Short clips with true coverage, made up: something moves before something else, and something may pass before it.

Figures of `figures`; textures that may be the background's own; things that look like the subject; bars and
blobs that pass before it; a moving camera, motion blur, changing light, grain and compression. Light is added up
as a camera does it, and encoded for display after.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, F64, U8
from training.backgrounds import scenery
from training.camera import GAMMA, Film, Lens, compressed, in_light, rendered, some_film, some_lens
from training.distributions import log_uniform
from training.figures import figure
from training.occluders import fence, leaves
from training.parts import Part, limb, lit_parts, swung
from training.textures import noise, palette

Things = list[tuple[list[Part], "Path"]]
SMALL = 0.25  # share of the clips whose subject is small, and most of those crisp
MARGIN = 100  # pixels of scenery beyond each side, for the camera to move over


@dataclass
class Path:
    """Where a thing is at a time, in frames.

    rest: from when until when it stands still, limbs and all.
    """

    start: F64
    speed: F64
    sway: F64
    pace: float
    turn: float
    grow: float
    rest: tuple[float, float] = (0.0, 0.0)

    def moved(self, t: float) -> float:
        """For how long the thing has moved by a time."""
        begins, ends = self.rest
        return t - float(np.clip(t - begins, 0, ends - begins))

    def at(self, t: float) -> tuple[float, float, float, float]:
        """x, y, angle and scale."""
        t = self.moved(t)
        place = self.start + self.speed * t + self.sway * np.sin(self.pace * t + np.arange(2))
        return float(place[0]), float(place[1]), self.turn * t, float(np.exp(self.grow * t))


def turned(angle: float, scale_x: float, scale_y: float) -> F64:
    c, s = np.cos(angle), np.sin(angle)
    return np.array([[c * scale_x, -s * scale_y], [s * scale_x, c * scale_y]])


def _draw(canvas: F32, cover: F32 | None, part: F32, matrix: F64, hides: bool) -> None:
    """Lays a premultiplied picture over the canvas; adds to the subject's coverage, or takes from it."""
    h, w = canvas.shape[:2]
    ph, pw = part.shape[:2]
    corners = np.array([[0, 0, 1], [pw, 0, 1], [0, ph, 1], [pw, ph, 1]]) @ matrix.T
    x0, y0 = np.floor(corners.min(0)).astype(int) - 1
    x1, y1 = np.ceil(corners.max(0)).astype(int) + 2
    x0, y0, x1, y1 = max(0, x0), max(0, y0), min(w, x1), min(h, y1)
    if x1 <= x0 or y1 <= y0:
        return
    local = matrix.copy()
    local[:, 2] -= (x0, y0)
    piece = cv2.warpAffine(part, local, (x1 - x0, y1 - y0), flags=cv2.INTER_LINEAR)
    rest = 1 - piece[..., 3:]
    canvas[y0:y1, x0:x1] = canvas[y0:y1, x0:x1] * rest + piece[..., :3]
    if cover is not None:
        cover[y0:y1, x0:x1] *= rest[..., 0]
        if not hides:
            cover[y0:y1, x0:x1] += piece[..., 3]


def _rippled(picture: F32, amount: float, t: float) -> F32:
    """A picture with waves running over it, as cloth or a flank has them."""
    h, w = picture.shape[:2]
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    turn = 2 * np.pi / max(24.0, 0.6 * max(h, w))
    fall = np.float32(amount) * np.float32(0.5)
    dx = fall * np.sin(turn * y + np.float32(0.37 * t)) + fall * np.sin(
        np.float32(1.7) * turn * x - np.float32(0.23 * t)
    )
    dy = fall * np.sin(turn * x + np.float32(0.29 * t) + 1)
    return cv2.remap(picture, x + dx, y + dy, cv2.INTER_LINEAR)


def lay(canvas: F32, cover: F32 | None, parts: list[Part], path: Path, t: float, hides: bool, camera: NDArray) -> None:
    x, y, angle, scale = path.at(t)
    t = path.moved(t)
    placed: list[F64] = []
    for part in parts:
        swung = part.angle + part.swing * np.sin(part.pace * t + part.phase)
        flat = 1 - part.squeeze * (0.5 + 0.5 * np.sin(part.pace * t * 0.7 + part.phase))
        if part.parent < 0:
            turn = turned(angle + swung, scale * flat, scale)
            joint = np.array([x, y])
        else:
            over = placed[part.parent]
            turn = over[:, :2] @ turned(swung, flat, 1.0)
            joint = over[:, :2] @ part.at + over[:, 2]
        matrix = np.column_stack([turn, joint - turn @ np.asarray(part.pivot)])
        placed.append(matrix)
    for matrix, part in sorted(zip(placed, parts, strict=True), key=lambda both: both[1].phase % 2 < 1):
        moved = np.column_stack([camera[:, :2] @ matrix[:, :2], camera[:, :2] @ matrix[:, 2] + camera[:, 2]])
        picture = _rippled(part.picture, part.wave, t) if part.wave > 0 else part.picture
        _draw(canvas, cover, picture, moved, hides)


def wandering(rng: np.random.Generator, size: tuple[int, int], frames: int, quick: float) -> Path:
    w, h = size
    middle = np.array([rng.uniform(0.25, 0.75) * w, rng.uniform(0.3, 0.7) * h])
    speed = rng.normal(0, quick, 2) * (1, 0.4)
    return Path(
        middle - speed * frames / 2, speed, rng.normal(0, quick * 3, 2), float(rng.uniform(0.05, 0.5)),
        float(rng.normal(0, 0.01)), float(rng.normal(0, 0.008)),
    )  # fmt: skip


def stand(rng: np.random.Generator, parts: list[Part], path: Path) -> None:
    """Makes a thing stay with the background, all but a little of its swinging."""
    path.speed, path.sway = np.zeros(2), np.zeros(2)
    path.turn = path.grow = 0.0
    left = float(rng.choice([0, 0.05, 0.3]))
    for part in parts:
        part.swing, part.wave = part.swing * left, part.wave * left


def crossing(rng: np.random.Generator, subject: Path, frames: int, tall: float) -> Path:
    """A way that leads past the subject's place at some time, so that it is hidden and comes out again."""
    when = float(rng.uniform(0.15, 0.75) * frames)
    x, y, _, _ = subject.at(when)
    speed = np.array([rng.choice([-1, 1]) * log_uniform(rng, 2, 18), rng.normal(0, 0.7)])
    return Path(
        np.array([x, y]) + rng.normal(0, 0.12 * tall, 2) - speed * when, speed, rng.normal(0, 2, 2),
        float(rng.uniform(0.05, 0.5)), 0.0, 0.0,
    )  # fmt: skip


def _before(rng: np.random.Generator, size: tuple[int, int], frames: int, path: Path, tall: float, base: F32) -> Things:
    """What passes or stands before the subject: nothing, bars, a fence, leaves, or another figure."""
    w, h = size
    kind = rng.choice(["nothing", "bars", "fence", "leaves", "figure"], p=[0.49, 0.12, 0.11, 0.07, 0.21])
    colours = palette(rng, base if rng.uniform() < 0.6 else None)
    still = rng.uniform() < 0.5
    if kind == "nothing":
        return []
    if kind == "figure":
        return [(figure(rng, tall * rng.uniform(0.5, 1.6), colours), crossing(rng, path, frames, tall))]
    if kind in ("fence", "leaves"):
        bh, bw = int(h * 1.5), int(w * 1.5)
        picture = (fence if kind == "fence" else leaves)(rng, bh, bw, colours)
        place = Path(np.array([w / 2, h / 2]), np.zeros(2), np.zeros(2), 0.1, 0.0, 0.0)
        place.speed = np.array([0.0 if still else rng.normal(0, 3), 0.0])
        wave = float(rng.uniform(0, 6)) if kind == "leaves" else 0.0
        return [([Part(picture, (bw / 2, bh / 2), -1, (0, 0), rng.normal(0, 0.1), 0, 0, 0, 0, wave)], place)]
    out = []
    for n in range(int(rng.integers(1, 6))):
        bar, ends = limb(rng, h * 1.3, rng.uniform(2, 40), colours, 0)
        place = Path(np.array([w * (0.2 + 0.13 * n), h / 2]), np.zeros(2), np.zeros(2), 0.1, 0.0, 0.0)
        place.speed = np.array([0.0 if still else rng.normal(0, 6), 0.0])
        out.append(([Part(bar, tuple(ends.mean(0)), -1, (0, 0), rng.normal(0, 0.1), 0, 0, 0)], place))
    return out


@dataclass
class Camera:
    """How a camera moves over `frames` frames: it shakes, drifts and zooms; `open` is the share of a frame's time."""

    size: tuple[int, int]  # width and height
    frames: int
    shaky: float
    drift: F64
    zoom: float
    open: float
    jitter: F64

    def at(self, t: float) -> F64:
        """From the scene to the picture at a time, in frames, (2, 3)."""
        far = t - self.frames / 2
        swing = np.sin(t * 0.9 + self.jitter[0]) + 0.5 * np.sin(t * 2.3 + self.jitter[1])
        shake = np.clip(self.shaky * swing + self.drift * far, -MARGIN + 2, MARGIN - 2)
        scale = float(np.exp(self.zoom * far))
        turn = turned(0.002 * self.shaky * np.sin(t * 0.7 + self.jitter[2, 0]), scale, scale)
        middle = np.array(self.size) / 2
        return np.column_stack([turn, shake + (np.eye(2) - turn) @ middle])


@dataclass
class Shot:
    """A made-up clip before it is seen: what moves in it, how it is lit, and how a camera sees it.

    swiftest: pixels a frame of what moves fastest; fade: by how much the light grows a frame, as a logarithm.
    """

    back: F32
    subject: list[Part]
    path: Path
    tall: float
    others: Things
    before: Things
    camera: Camera
    lens: Lens
    film: Film | None
    lit: F32 | None
    shadow: bool
    fade: float
    flicker: float
    grain: float
    quality: int
    swiftest: float
    rng: np.random.Generator  # draws flicker and grain

    def seen(self, number: int) -> tuple[U8, F32]:
        """The picture of a frame, (H, W, 3) uint8, and true coverage, (H, W) float32."""
        w, h = self.camera.size
        count = int(np.clip(self.swiftest * self.camera.open * 0.6 + 1, 1, 12))
        total, cover = np.zeros((h, w, 3), np.float32), np.zeros((h, w), np.float32)
        for n in range(count):
            light, there = self._at(number + self.camera.open * (n + 0.5) / count)
            total += light
            cover += there
        if self.lit is not None:
            x = int(abs((number * 1.5) % (w // 2) - w // 4))
            part = cv2.resize(self.lit[:, x : x + w // 4], (w, h), interpolation=cv2.INTER_LINEAR)
            total *= np.power(part, GAMMA)[..., None]
        picture = rendered(self.lens.seen(total / count), self.film, self.rng)
        picture = picture * np.float32(np.exp(self.fade * number) * (1 + self.flicker * self.rng.normal()))
        picture = cv2.GaussianBlur(picture, (0, 0), 0.5) * 255
        picture = picture + self.rng.normal(0, self.grain, picture.shape).astype(np.float32)
        return compressed(picture, self.quality), cv2.GaussianBlur(cover / count, (0, 0), 0.5)

    def _at(self, t: float) -> tuple[F32, F32]:
        """Light, (H, W, 3), and the subject's coverage, (H, W), at one moment."""
        w, h = self.camera.size
        camera = self.camera.at(t)
        whole = np.column_stack([camera[:, :2], camera[:, :2] @ [-MARGIN, -MARGIN] + camera[:, 2]])
        canvas = cv2.warpAffine(self.back, whole, (w, h), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
        if self.shadow:
            x, y, _, scale = self.path.at(t)
            tall, dark = self.tall, np.zeros((h // 4, w // 4), np.float32)
            centre = (int((x + tall * 0.1) / 4), int((y + tall * 0.4) / 4))
            axes = max(1, int(tall * scale / 9)), max(1, int(tall * scale / 26))
            cv2.ellipse(dark, centre, axes, 0, 0, 360, 0.6, -1)
            canvas *= np.power(1 - cv2.resize(cv2.GaussianBlur(dark, (0, 0), 3), (w, h)), GAMMA)[..., None]
        cover = np.zeros((h, w), np.float32)
        for parts, where in self.others:
            lay(canvas, None, parts, where, t, False, camera)
        lay(canvas, cover, self.subject, self.path, t, False, camera)
        for parts, where in self.before:
            lay(canvas, cover, parts, where, t, True, camera)
        return canvas, cover


def some_shot(seed: int, size: tuple[int, int], frames: int) -> Shot:
    """A shot as it comes; the same for a seed."""
    rng, more = np.random.default_rng(seed), np.random.default_rng(seed + 10**9)
    w, h = size
    base = palette(rng)
    back = in_light(scenery(rng, h + 2 * MARGIN, w + 2 * MARGIN, base))
    near = rng.uniform() < 0.45
    quick = log_uniform(rng, 0.3, 22)
    tall = log_uniform(rng, 0.22, 1.4) * h
    how = rng.choice(["plain", "fills", "still", "returns", "rests"], p=[0.44, 0.15, 0.11, 0.1, 0.2])
    if how == "fills":  # much of the frame, and cut off by it
        tall = float(rng.uniform(1.1, 2.6)) * h
    small = how != "fills" and more.uniform() < SMALL
    if small:
        tall = log_uniform(more, 0.13, 0.4) * h
    subject = figure(rng, tall, base if near else palette(rng))
    path = wandering(rng, size, frames, quick)
    if how == "still" or (how == "fills" and rng.uniform() < 0.4):
        stand(rng, subject, path)
    elif how == "returns":
        path.speed *= 0.2
        path.sway[0] = rng.choice([-1, 1]) * w * rng.uniform(0.35, 0.7)
        path.pace = float(rng.uniform(0.1, 0.3))
    elif how == "rests":  # comes to stand, and may go on
        begins = rng.uniform(-0.2, 0.6) * frames
        path.rest = float(begins), float(begins + rng.uniform(0.25, 0.8) * frames)
    others: Things = []
    if rng.uniform() < 0.4:  # what looks like the subject and is not
        others += [(subject if rng.uniform() < 0.5 else figure(rng, tall, base), wandering(rng, size, frames, quick))]
        others[0][1].start[0] += rng.choice([-1, 1]) * w * rng.uniform(0.2, 0.4)
    before = _before(rng, size, frames, path, tall, base)
    shaky, drift = float(rng.choice([0, 0, 0.5, 2, 6])), rng.normal(0, 3, 2) * (rng.uniform() < 0.35)
    zoom = float(rng.normal(0, 0.006)) * (rng.uniform() < 0.3)
    shadow = rng.uniform() < 0.3
    fade, flicker = rng.normal(0, 0.012) * (rng.uniform() < 0.4), rng.uniform(0, 0.03) * (rng.uniform() < 0.3)
    grain, quality = rng.uniform(0.5, 9), int(rng.integers(35, 96))
    lens = some_lens(more)
    if small and more.uniform() < 0.6:  # as crisp as they come
        lens, grain, quality = Lens(0.0), grain / 3, max(quality, 75)
    film = some_film(np.random.default_rng(seed + 2 * 10**9))
    if film is not None:  # its grain is in the light
        grain /= 4
    open_ = float(rng.uniform(0.2, 0.9))  # of a frame's time
    jitter = rng.normal(0, 1, (3, 2))
    lit = None  # light that wanders over all of it
    if rng.uniform() < 0.3:
        lit = np.exp(noise(rng, h // 4, w // 2, 2, 2) * rng.uniform(0.1, 0.7))
    subject = lit_parts(subject)
    others, before = ([(lit_parts(parts), where) for parts, where in things] for things in (others, before))
    swiftest = max(quick, swung(subject, tall))
    camera = Camera(size, frames, shaky, drift, zoom, open_, jitter)
    return Shot(
        back,
        subject,
        path,
        tall,
        others,
        before,
        camera,
        lens,
        film,
        lit,
        shadow,
        fade,
        flicker,
        grain,
        quality,
        swiftest,
        rng,
    )


def clip(
    seed: int, size: tuple[int, int] = (640, 360), frames: int = 18, only: Sequence[int] | None = None
) -> tuple[list[U8], list[F32]]:
    """Pictures, (H, W, 3) uint8, and true coverage, (H, W) float32, of a made-up clip; the same for a seed.

    only: the numbers of the frames that are wanted, of `frames`; all of them where it is None.
    """
    shot = some_shot(seed, size, frames)
    pairs = [shot.seen(number) for number in (range(frames) if only is None else only)]
    return [picture for picture, _ in pairs], [truth for _, truth in pairs]
