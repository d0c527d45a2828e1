"""Short clips with true coverage, made up: something moves before something else, and something may pass before it.

Articulated figures, soft blobs, flapping and turning things; textures that may be the background's own;
things that look like the subject; bars and blobs that pass before it; a moving camera, motion blur,
changing light, grain and compression. Light is added up as a camera does it, and encoded for display after.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from training.before import fence, leaves, strands
from training.lens import GAMMA, Lens, in_light, on_display, some_lens
from training.textures import noise, palette, scenery, texture, trimmed

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]
SMALL = 0.25  # share of the clips whose subject is small, and most of those crisp


@dataclass
class Part:
    """A piece with its own premultiplied picture, hung on another: turns about its joint."""

    picture: F32  # (h, w, 4), premultiplied
    pivot: tuple[float, float]  # in the picture
    parent: int  # -1: the root
    at: tuple[float, float]  # where the joint lies in the parent's picture
    angle: float
    swing: float
    pace: float
    phase: float
    squeeze: float = 0.0  # how far it foreshortens while it swings
    wave: float = 0.0  # how far it ripples, in pixels


@dataclass
class Path:
    """Where a thing is at a time, in frames.

    rest: from when until when it stands still, limbs and all.
    """

    start: NDArray[np.float64]
    speed: NDArray[np.float64]
    sway: NDArray[np.float64]
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


def _ragged(rng: np.random.Generator, mask: F32, amount: float) -> F32:
    """A mask with an uneven or hairy outline."""
    if amount <= 0:
        return cv2.GaussianBlur(mask, (0, 0), 0.6)
    soft = cv2.GaussianBlur(mask, (0, 0), 1 + amount)
    rough = noise(rng, *mask.shape, coarse=max(2, mask.shape[0] // 8), octaves=3)
    return np.clip((soft - 0.5 + 0.35 * rough * (soft > 0.02)) * 4 / (1 + 0.3 * amount) + 0.5, 0, 1)


def _surface(rng: np.random.Generator, mask: F32, colours: F32, ragged: float) -> F32:
    """A mask dressed in a texture with a little roundness, premultiplied (h, w, 4).

    ragged: how uneven its outline is; below 0 how long the hairs on it are.
    """
    h, w = mask.shape
    cover = _ragged(rng, mask, max(0.0, ragged))
    if ragged < 0:
        cover = np.minimum(1, cv2.GaussianBlur(strands(rng, cover, -ragged), (0, 0), 0.5))
    colour = trimmed(rng, texture(rng, h, w, colours), mask)
    depth = cv2.distanceTransform((mask > 0.5).astype(np.uint8), cv2.DIST_L2, 3)
    round_ = np.clip(depth / max(1.0, float(depth.max())), 0, 1)
    side = np.linspace(-1, 1, w, dtype=np.float32)[None] * rng.uniform(-0.3, 0.3)
    # light falls on most things from above
    above = np.linspace(1, -1, h, dtype=np.float32)[:, None] * rng.uniform(-0.1, 0.45) * (rng.uniform() < 0.5)
    colour = np.clip(colour * np.maximum(0.1, 0.7 + 0.3 * round_ + side + above)[..., None], 0, 1)
    return np.dstack([colour * cover[..., None], cover]).astype(np.float32)


def limb(rng: np.random.Generator, length: float, wide: float, colours: F32, ragged: float) -> tuple[F32, F32]:
    """A capsule that narrows, hanging from its joint; returns its picture and its two ends."""
    pad = wide + 4 + max(0.0, -ragged)
    h, w = int(length + 2 * pad), int(2 * pad + wide)
    mask = np.zeros((h, w), np.float32)
    x = w / 2
    for share in np.linspace(0, 1, max(2, int(length / 3))):
        radius = wide / 2 * (1 - 0.35 * share)
        cv2.circle(mask, (int(x), int(pad + share * length)), max(1, int(radius)), 1.0, -1, cv2.LINE_AA)
    return _surface(rng, mask, colours, ragged), np.array([[x, pad], [x, pad + length]], np.float32)


def _within(
    rng: np.random.Generator, points: NDArray[np.float64], side: int, colours: F32, ragged: float
) -> tuple[F32, F32]:
    """What a closed line about the middle of a square encloses, dressed; returns its picture and its middle."""
    mask = np.zeros((side, side), np.float32)
    cv2.fillPoly(mask, [np.round((points + side / 2) * 8).astype(np.int32)], 1.0, cv2.LINE_AA, 3)
    return _surface(rng, mask, colours, ragged), np.array([side / 2, side / 2], np.float32)


def blob(rng: np.random.Generator, size: float, colours: F32, ragged: float) -> tuple[F32, F32]:
    """A closed curve of some waves, or a polygon; returns its picture and its middle."""
    side = int(size * 1.5 + 2 * max(0.0, -ragged)) + 12
    turn = np.linspace(0, 2 * np.pi, 60, endpoint=False)
    radius = np.ones(60)
    for wave in range(2, 7):
        radius += rng.normal(0, 0.28 / wave) * np.sin(wave * turn + rng.uniform(0, 6))
    points = np.stack([np.cos(turn), np.sin(turn) * rng.uniform(0.45, 1)], 1) * radius[:, None] * size / 2
    if rng.uniform() < 0.3:
        points = points[:: int(rng.integers(8, 16))]
    return _within(rng, points, side, colours, ragged)


def sheet(rng: np.random.Generator, size: float, colours: F32, ragged: float) -> tuple[F32, F32]:
    """A flag, a board or a crate, its sides not quite straight; returns its picture and its middle."""
    side = int(size * 1.6 + 2 * max(0.0, -ragged)) + 12
    half = np.array([0.5, 0.5 * rng.uniform(0.3, 1)]) * size
    corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half + rng.normal(0, 0.03 * size, (4, 2))
    share = np.linspace(0, 1, 12, endpoint=False)[:, None]
    bulge = rng.normal(0, 0.03 * size, 2)
    points = np.concatenate(
        [
            a + (b - a) * share + np.sin(np.pi * share) * bulge
            for a, b in zip(corners, np.roll(corners, -1, 0), strict=True)
        ]
    )
    return _within(rng, points, side, colours, ragged)


def figure(rng: np.random.Generator, tall: float, base: F32) -> list[Part]:
    """Something with limbs, about `tall` pixels high."""
    ragged = float(rng.choice([0, 0, 1, 3, -rng.uniform(0.02, 0.12) * tall], p=[0.25, 0.2, 0.2, 0.15, 0.2]))
    colours = [palette(rng, base), palette(rng), palette(rng, base if rng.uniform() < 0.5 else None)]
    fast = rng.uniform(0.02, 0.5)
    wave = float(rng.uniform(0, 0.06) * tall * (rng.uniform() < 0.5))

    def swing(most: float) -> tuple[float, float, float]:
        return float(rng.uniform(0.05, most)), float(fast * rng.uniform(0.6, 1.4)), float(rng.uniform(0, 6))

    kind = rng.choice(["person", "blob", "bird", "tree", "sheet"], p=[0.4, 0.2, 0.14, 0.13, 0.13])
    if kind in ("blob", "sheet"):
        make = blob if kind == "blob" else sheet
        picture, middle = make(rng, tall * rng.uniform(0.5, 1), colours[0], ragged)
        return [Part(picture, (middle[0], middle[1]), -1, (0, 0), 0, *swing(0.5), float(rng.uniform(0, 0.4)), wave)]
    if kind == "bird":
        picture, ends = limb(rng, tall * 0.5, tall * 0.2, colours[0], ragged)
        middle = ends.mean(0)
        parts = [Part(picture, (middle[0], middle[1]), -1, (0, 0), float(rng.uniform(1, 2)), *swing(0.2))]
        amount, pace, phase = rng.uniform(0.4, 1.1), rng.uniform(0.2, 1.2), rng.uniform(0, 6)
        for side in (-1, 1):
            picture, ends = limb(rng, tall * rng.uniform(0.5, 0.8), tall * 0.18, colours[1], max(0, ragged) + 1)
            pivot = (float(ends[0, 0]), float(ends[0, 1]))
            parts.append(Part(picture, pivot, 0, (middle[0], middle[1]), side * 1.5, side * amount, pace, phase, 0.5))
        return parts
    picture, ends = limb(rng, tall * 0.36, tall * rng.uniform(0.14, 0.26), colours[0], ragged)
    middle = ends.mean(0)
    parts = [Part(picture, (middle[0], middle[1]), -1, (0, 0), 0, *swing(0.25))]
    joints = [(0, 0.0), (0, 0.0), (1, 0.0), (1, 0.0)] if kind == "person" else [
        (int(rng.integers(0, 2)), rng.uniform(-2.5, 2.5)) for _ in range(int(rng.integers(2, 7)))
    ]  # fmt: skip
    for end, angle in joints:
        wide = tall * rng.uniform(0.03, 0.09)
        length = tall * rng.uniform(0.15, 0.3)
        outset = rng.uniform(-2.2, 2.2) if end == 0 else rng.uniform(-0.5, 0.5)
        picture, found = limb(rng, length, wide, colours[int(rng.integers(0, 3))], ragged)
        parts.append(Part(picture, (found[0, 0], found[0, 1]), 0, tuple(ends[end]), angle + outset, *swing(1.2)))
        if rng.uniform() < 0.8:
            picture, lower = limb(rng, length * 0.9, wide * 0.8, colours[int(rng.integers(0, 3))], ragged)
            parts.append(
                Part(
                    picture,
                    (lower[0, 0], lower[0, 1]),
                    len(parts) - 1,
                    tuple(found[1]),
                    rng.uniform(-0.5, 0.5),
                    *swing(1.2),
                )
            )
    picture, middle = blob(rng, tall * rng.uniform(0.12, 0.2), colours[int(rng.integers(1, 3))], ragged)
    neck = (float(ends[0, 0]), float(ends[0, 1] - tall * 0.12))
    parts.append(Part(picture, (middle[0], middle[1]), 0, neck, 0, *swing(0.3)))
    if rng.uniform() < 0.4:  # something held, like a flag
        picture, middle = blob(rng, tall * rng.uniform(0.15, 0.35), palette(rng), 0)
        held = len(parts) - 2
        at = parts[held].pivot
        parts.append(
            Part(picture, (middle[0], middle[1] * 0.3), held, (at[0], at[1] + tall * 0.15), 0, *swing(1.0), 0.0, wave)
        )
    return parts


def lit_parts(parts: list[Part]) -> list[Part]:
    """A thing whose pictures are amounts of light."""
    return [replace(part, picture=in_light(part.picture)) for part in parts]


def turned(angle: float, scale_x: float, scale_y: float) -> NDArray[np.float64]:
    c, s = np.cos(angle), np.sin(angle)
    return np.array([[c * scale_x, -s * scale_y], [s * scale_x, c * scale_y]])


def _draw(canvas: F32, cover: F32 | None, part: F32, matrix: NDArray[np.float64], hides: bool) -> None:
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
    placed: list[NDArray[np.float64]] = []
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
    speed = np.array([rng.choice([-1, 1]) * np.exp(rng.uniform(np.log(2), np.log(18))), rng.normal(0, 0.7)])
    return Path(
        np.array([x, y]) + rng.normal(0, 0.12 * tall, 2) - speed * when, speed, rng.normal(0, 2, 2),
        float(rng.uniform(0.05, 0.5)), 0.0, 0.0,
    )  # fmt: skip


def _before(
    rng: np.random.Generator, size: tuple[int, int], frames: int, path: Path, tall: float, base: F32
) -> list[tuple[list[Part], Path]]:
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


def clip(seed: int, size: tuple[int, int] = (640, 360), frames: int = 18) -> tuple[list[U8], list[F32]]:
    """Pictures, (H, W, 3) uint8, and true coverage, (H, W) float32, of a made-up clip; the same for a seed."""
    rng, more = np.random.default_rng(seed), np.random.default_rng(seed + 10**9)
    w, h = size
    base = palette(rng)
    margin = 100
    back = in_light(scenery(rng, h + 2 * margin, w + 2 * margin, base))
    near = rng.uniform() < 0.45
    quick = float(np.exp(rng.uniform(np.log(0.3), np.log(22))))
    tall = float(np.exp(rng.uniform(np.log(0.22), np.log(1.4)))) * h
    how = rng.choice(["plain", "fills", "still", "returns", "rests"], p=[0.44, 0.15, 0.11, 0.1, 0.2])
    if how == "fills":  # much of the frame, and cut off by it
        tall = float(rng.uniform(1.1, 2.6)) * h
    small = how != "fills" and more.uniform() < SMALL
    if small:
        tall = float(np.exp(more.uniform(np.log(0.13), np.log(0.4)))) * h
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
    others: list[tuple[list[Part], Path]] = []
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
    open_ = float(rng.uniform(0.2, 0.9))  # of a frame's time
    jitter = rng.normal(0, 1, (3, 2))
    lit = None  # light that wanders over all of it
    if rng.uniform() < 0.3:
        lit = np.exp(noise(rng, h // 4, w // 2, 2, 2) * rng.uniform(0.1, 0.7))
    subject = lit_parts(subject)
    others, before = ([(lit_parts(parts), where) for parts, where in things] for things in (others, before))
    swiftest = max([quick, *(0.25 * tall * abs(part.swing * part.pace) for part in subject)])
    pictures, truths = [], []
    for number in range(frames):
        count = int(np.clip(swiftest * open_ * 0.6 + 1, 1, 8))
        total, cover = np.zeros((h, w, 3), np.float32), np.zeros((h, w), np.float32)
        for n in range(count):
            t = number + open_ * (n + 0.5) / count
            shake = shaky * (np.sin(t * 0.9 + jitter[0]) + 0.5 * np.sin(t * 2.3 + jitter[1])) + drift * (t - frames / 2)
            shake = np.clip(shake, -margin + 2, margin - 2)
            scale = float(np.exp(zoom * (t - frames / 2)))
            turn = turned(0.002 * shaky * np.sin(t * 0.7 + jitter[2, 0]), scale, scale)
            camera = np.column_stack([turn, shake + (np.eye(2) - turn) @ [w / 2, h / 2]])
            whole = np.column_stack([camera[:, :2], camera[:, :2] @ [-margin, -margin] + camera[:, 2]])
            canvas = cv2.warpAffine(back, whole, (w, h), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
            if shadow:
                x, y, _, scale = path.at(t)
                dark = np.zeros((h // 4, w // 4), np.float32)
                centre = (int((x + tall * 0.1) / 4), int((y + tall * 0.4) / 4))
                cv2.ellipse(
                    dark, centre, (max(1, int(tall * scale / 9)), max(1, int(tall * scale / 26))), 0, 0, 360, 0.6, -1
                )
                canvas *= np.power(1 - cv2.resize(cv2.GaussianBlur(dark, (0, 0), 3), (w, h)), GAMMA)[..., None]
            one = np.zeros((h, w), np.float32)
            for parts, where in others:
                lay(canvas, None, parts, where, t, False, camera)
            lay(canvas, one, subject, path, t, False, camera)
            for parts, where in before:
                lay(canvas, one, parts, where, t, True, camera)
            total += canvas
            cover += one
        if lit is not None:
            x = int(abs((number * 1.5) % (w // 2) - w // 4))
            total *= np.power(cv2.resize(lit[:, x : x + w // 4], (w, h), interpolation=cv2.INTER_LINEAR), GAMMA)[
                ..., None
            ]
        picture = on_display(lens.seen(total / count)) * np.float32(
            np.exp(fade * number) * (1 + flicker * rng.normal())
        )
        picture = cv2.GaussianBlur(picture, (0, 0), 0.5) * 255 + rng.normal(0, grain, picture.shape).astype(np.float32)
        coded = cv2.imencode(".jpg", np.clip(picture, 0, 255).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
        pictures.append(cv2.imdecode(coded, cv2.IMREAD_COLOR))
        truths.append(cv2.GaussianBlur(cover / count, (0, 0), 0.5))
    return pictures, truths
