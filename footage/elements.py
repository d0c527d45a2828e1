"""Elements shot on black, and stills: sea spray, old-film scratches, a lantern's flare, a chart, paper."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.imaging.colour import encode
from cuvrel.core.media.writer import VideoWriter, png_bytes

FPS, FRAMES = 24, 48
SHIFT = 4  # sub-pixel bits of the drawn points


def noise(rng: np.random.Generator, size: tuple[int, int], scale: float, octaves: int = 5) -> F32:
    """Fractal noise, (H, W) float32 of about zero mean; scale: pixels of the coarsest octave."""
    height, width = size
    out, weight = np.zeros(size, np.float32), 1.0
    for _ in range(octaves):
        grid = rng.standard_normal((int(height / scale) + 3, int(width / scale) + 3)).astype(np.float32)
        big = cv2.resize(
            grid, (int(grid.shape[1] * scale) + 1, int(grid.shape[0] * scale) + 1), interpolation=cv2.INTER_CUBIC
        )
        out += weight * big[:height, :width]
        weight, scale = weight * 0.55, max(1.0, scale / 2)
    return out


def _encode(linear: F32) -> U8:
    return encode(np.dstack([np.clip(linear, 0, None), np.ones(linear.shape[:2], np.float32)]).astype(np.float32))


class Spray:
    """Waves that break over the quay's edge: streaks of drops, and mist that drifts."""

    def __init__(self, size: tuple[int, int]) -> None:
        self.w, self.h = size
        rng = np.random.default_rng(31)
        count = 5200
        burst = rng.choice([0.05, 0.62, 1.2, 1.72], count, p=[0.3, 0.25, 0.3, 0.15])
        self.born = burst + np.abs(rng.normal(0, 0.10, count))
        self.x = 0.14 + 0.72 * rng.random(count) + 0.04 * rng.standard_normal(count)
        angle = np.pi / 2 + rng.normal(0, 0.30, count)
        speed = np.abs(rng.normal(1.15, 0.42, count)) * (0.75 + 0.5 * np.sin(self.x * 9 + burst * 4) ** 2)
        self.vx, self.vy = speed * np.cos(angle) + 0.16, speed * np.sin(angle)
        self.size = np.clip(rng.lognormal(-0.35, 0.55, count), 0.25, 3.2)
        self.light = rng.uniform(0.25, 1.0, count)
        self.mist = [noise(rng, (self.h // 4, self.w // 4), 60 * self.w / 1280, 5) for _ in range(3)]

    def frame(self, number: int) -> U8:
        """(H, W, 3) uint8 sRGB."""
        unit = self.h / 720
        out = np.zeros((self.h, self.w), np.float32)
        soft = np.zeros_like(out)
        for n, t in enumerate((number / FPS, (number + 0.5) / FPS)):
            age = t - self.born
            self._at = self.x + self.vx * age, 1.06 - self.vy * age + 0.62 * age**2
            if n == 0:
                start = self._at
        alive = (age > 0) & (self._at[1] < 1.1)
        for k in map(int, np.flatnonzero(alive)):
            drag = float(np.exp(-age[k] * 0.5)) * self.light[k]
            a = (round(start[0][k] * self.w * 16), round(start[1][k] * self.h * 16))
            b = (round(self._at[0][k] * self.w * 16), round(self._at[1][k] * self.h * 16))
            wide = max(1, round(self.size[k] * unit))
            target = soft if self.size[k] < 0.62 else out
            cv2.line(target, a, b, drag * min(1.0, self.size[k]), wide, cv2.LINE_AA, SHIFT)
        fine = cv2.GaussianBlur(soft, (0, 0), 1.1 * unit)
        cloud = cv2.GaussianBlur(soft + 0.5 * out, (0, 0), 22 * unit)
        drift = self.mist[0]
        for n, layer in enumerate(self.mist[1:], 1):
            drift = drift + np.roll(layer, (-number * n, number * (n + 1)), (0, 1)) * 0.6
        veil = cv2.resize(drift, (self.w, self.h), interpolation=cv2.INTER_CUBIC)
        total = (
            cv2.GaussianBlur(out, (0, 0), 0.7 * unit) * 0.9
            + fine * 1.1
            + cloud * np.clip(0.75 + 0.35 * veil, 0.1, 2) * 1.4
        )
        grain = np.random.default_rng((31, number)).standard_normal(total.shape).astype(np.float32) * 0.003
        total = np.clip(total + grain * (total > 0.001), 0, 1.2)
        return _encode(np.dstack([total * 0.92, total * 0.97, total]).astype(np.float32))


class Scratches:
    """An old print: upright scratches that wander, dust, hairs and a breathing base."""

    def __init__(self, size: tuple[int, int]) -> None:
        self.w, self.h = size
        rng = np.random.default_rng(47)
        self.lines = [
            (rng.random(), rng.random() * 40, rng.uniform(4, 30), rng.uniform(0.2, 0.9), rng.integers(1, 3))
            for _ in range(14)
        ]

    def frame(self, number: int) -> U8:
        """(H, W, 3) uint8 sRGB."""
        rng = np.random.default_rng((47, number))
        unit = self.h / 720
        out = np.zeros((self.h, self.w), np.float32)
        for x, first, length, light, wide in self.lines:
            if not first <= number <= first + length:
                continue
            at = (x + 0.004 * np.sin(number * 0.9 + x * 40) + 0.0015 * rng.standard_normal()) * self.w
            y = np.arange(0, self.h + 40, 40)
            bend = at + np.cumsum(rng.normal(0, 0.25, y.size)) * unit
            points = np.stack([bend * 16, y * 16], 1).astype(np.int32)
            cv2.polylines(
                out,
                [points.reshape(-1, 1, 2)],
                False,
                float(light * rng.uniform(0.5, 1)),
                int(wide),
                cv2.LINE_AA,
                SHIFT,
            )
        for _ in range(int(rng.poisson(26))):
            centre = (int(rng.random() * self.w), int(rng.random() * self.h))
            axes = (max(1, int(rng.exponential(1.6) * unit)), max(1, int(rng.exponential(1.2) * unit)))
            cv2.ellipse(out, centre, axes, rng.random() * 180, 0, 360, float(rng.uniform(0.2, 0.9)), -1, cv2.LINE_AA)
        for _ in range(int(rng.random() < 0.35) + int(rng.random() < 0.12)):
            start, angle = rng.random(2) * (self.w, self.h), rng.random() * 6.28
            turns = np.cumsum(rng.normal(0, 0.28, 26)) + angle
            hair = start + np.cumsum(np.stack([np.cos(turns), np.sin(turns)], 1) * 6 * unit, 0)
            cv2.polylines(
                out,
                [(hair * 16).astype(np.int32).reshape(-1, 1, 2)],
                False,
                float(rng.uniform(0.3, 0.8)),
                1,
                cv2.LINE_AA,
                SHIFT,
            )
        out = cv2.GaussianBlur(out, (0, 0), 0.7)
        base = 0.006 * (1 + 0.8 * float(np.sin(number * 2.1))) + 0.004 * rng.standard_normal(out.shape).astype(
            np.float32
        )
        total = np.clip(out * 0.8 + np.clip(base, 0, None), 0, 1)
        return _encode(np.dstack([total, total * 0.96, total * 0.88]).astype(np.float32))


class Flare:
    """A lantern that is carried past the lens: its glow, its streak, and its ghosts across the axis."""

    def __init__(self, size: tuple[int, int]) -> None:
        self.w, self.h = size
        self.y, self.x = np.mgrid[0 : self.h, 0 : self.w].astype(np.float32)

    def frame(self, number: int) -> U8:
        """(H, W, 3) uint8 sRGB."""
        t = number / (FRAMES - 1)
        px, py = (-0.18 + 1.36 * t) * self.w, (0.40 + 0.05 * np.sin(t * 17)) * self.h
        flicker = 1 + 0.07 * np.sin(number * 1.9) + 0.05 * np.sin(number * 3.3 + 1)
        unit = self.h / 720
        dx, dy = self.x - px, self.y - py
        r = np.sqrt(dx * dx + dy * dy) / unit
        angle = np.arctan2(dy, dx)
        glow = 1.6 * np.exp(-((r / 16) ** 2)) + 0.34 * np.exp(-r / 55) + 0.085 * np.exp(-r / 220)
        rays = (
            0.10 * np.exp(-r / 130) * np.clip(np.cos(angle * 7 + 0.4) ** 24 + 0.6 * np.cos(angle * 5 - 1.1) ** 40, 0, 1)
        )
        streak = 0.30 * np.exp(-np.abs(dy) / (2.4 * unit)) * np.exp(-np.abs(dx) / (330 * unit))
        out = np.dstack(
            [(glow + rays) * c + streak * s for c, s in zip((1.0, 0.62, 0.27), (0.75, 0.70, 0.80), strict=True)]
        )
        cx, cy = self.w / 2, self.h / 2
        for k, (along, size, tint) in enumerate(
            (
                (0.45, 36, (0.10, 0.05, 0.02)),
                (-0.35, 62, (0.02, 0.045, 0.03)),
                (-0.7, 26, (0.05, 0.03, 0.06)),
                (-1.05, 110, (0.022, 0.026, 0.05)),
            )
        ):
            gx, gy = cx + (px - cx) * along, cy + (py - cy) * along
            q = np.sqrt((self.x - gx) ** 2 + (self.y - gy) ** 2) / (size * unit)
            disc = np.clip((1 - q) * 9, 0, 1) * (0.55 + 0.45 * np.clip(q, 0, 1) ** (3 + k))
            out += disc[..., None] * np.asarray(tint, np.float32)
        grain = np.random.default_rng((59, number)).standard_normal((self.h, self.w, 1)).astype(np.float32) * 0.0012
        return _encode(np.asarray((out * flicker) + grain, np.float32))


def paper(size: tuple[int, int]) -> U8:
    """Laid paper, a little stained, (H, W, 3) uint8 sRGB."""
    rng = np.random.default_rng(71)
    w, h = size
    fibre = cv2.GaussianBlur(noise(rng, (h, w), 3, 2), (0, 0), 0.8) * 0.010
    cloud, stain = noise(rng, (h, w), w / 5, 5) * 0.022, np.clip(noise(rng, (h, w), w / 2.6, 4) - 0.7, 0, 2) * 0.10
    y = np.arange(h, dtype=np.float32)[:, None]
    laid = 0.006 * np.sin(y * (2 * np.pi / (5.5 * h / 720))) + 0.006 * np.sin(
        np.arange(w, dtype=np.float32)[None, :] * (2 * np.pi / (88 * w / 1280))
    )
    level = 0.80 + fibre + cloud + laid - stain
    for _ in range(300):
        at, turn = rng.random(2) * (w, h), rng.random() * 6.28
        cv2.line(
            level,
            (int(at[0]), int(at[1])),
            (int(at[0] + 9 * np.cos(turn)), int(at[1] + 9 * np.sin(turn))),
            float(0.80 + rng.normal(0, 0.05)),
            1,
            cv2.LINE_AA,
        )
    rgb = np.dstack([level, level * 0.965 - stain * 0.1, level * 0.875 - stain * 0.25])
    # few levels keep the file small, and nobody sees them on paper
    return np.asarray(np.clip(np.round(rgb * 64) * 4, 0, 255), np.uint8)


def chart(size: tuple[int, int]) -> U8:
    """A drawn chart of the harbour: shore, soundings, the quay and its lights, (H, W, 3) uint8 sRGB."""
    rng = np.random.default_rng(83)
    w, h = size
    unit = h / 720
    depth = 0.55 + noise(rng, (h, w), w / 2.4, 6) + np.linspace(1.5, -1.5, h, dtype=np.float32)[:, None] * 0.9
    depth = cv2.GaussianBlur(depth, (0, 0), 3 * unit)
    out = np.empty((h, w, 3), np.uint8)
    land = depth < -0.25
    shoal = (depth >= -0.25) & (depth < 0.25)
    out[:] = (226, 236, 236)
    out[shoal] = (188, 217, 224)
    out[land] = (232, 216, 172)
    ink = (70, 62, 58)
    for level, colour, wide in (
        (-0.25, ink, 2),
        (0.25, (110, 150, 165), 1),
        (0.8, (150, 180, 190), 1),
        (1.4, (165, 190, 198), 1),
    ):
        lines, _ = cv2.findContours((depth > level).astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
        cv2.drawContours(out, lines, -1, colour, wide, cv2.LINE_AA)
    for _ in range(420):
        x, y = int(rng.random() * w), int(rng.random() * h)
        if depth[y, x] > -0.1:
            cv2.putText(
                out,
                str(int(2 + max(0.0, float(depth[y, x]) + 0.1) * 9)),
                (x, y),
                cv2.FONT_HERSHEY_PLAIN,
                0.75 * unit,
                ink,
                1,
                cv2.LINE_AA,
            )
    for k in range(1, 8):
        cv2.line(out, (w * k // 8, 0), (w * k // 8, h), (190, 180, 168), 1, cv2.LINE_AA)
        cv2.line(out, (0, h * k // 8), (w, h * k // 8), (190, 180, 168), 1, cv2.LINE_AA)
    centre = np.array([w * 0.80, h * 0.26])
    for radius in (96, 90, 62):
        cv2.circle(out, (int(centre[0]), int(centre[1])), int(radius * unit), (150, 70, 60), 1, cv2.LINE_AA)
    for k in range(72):
        a = 2 * np.pi * k / 72
        inner = (78 if k % 9 == 0 else 85) * unit
        p, q = (
            centre + inner * np.array([np.sin(a), -np.cos(a)]),
            centre + 90 * unit * np.array([np.sin(a), -np.cos(a)]),
        )
        cv2.line(out, (int(p[0]), int(p[1])), (int(q[0]), int(q[1])), (150, 70, 60), 1, cv2.LINE_AA)
    needle = centre + np.array([(0, -58), (-7, 0), (7, 0)]) * unit
    cv2.fillPoly(out, [needle.astype(np.int32)], (150, 70, 60), cv2.LINE_AA)
    cv2.rectangle(out, (int(w * 0.30), int(h * 0.60)), (int(w * 0.52), int(h * 0.625)), ink, -1)
    for fx, fy in ((0.305, 0.59), (0.515, 0.59), (0.62, 0.42), (0.18, 0.35)):
        cv2.circle(out, (int(w * fx), int(h * fy)), int(5 * unit), (176, 60, 120), -1, cv2.LINE_AA)
    for text, fx, fy, size_ in (
        ("SIGNAL SCHOOL HARBOUR", 0.05, 0.10, 1.15),
        ("Long Quay", 0.35, 0.67, 0.7),
        ("Crane", 0.50, 0.58, 0.5),
        ("Gull Bank", 0.14, 0.30, 0.6),
    ):
        cv2.putText(
            out,
            text,
            (int(w * fx), int(h * fy)),
            cv2.FONT_HERSHEY_COMPLEX,
            size_ * unit,
            ink,
            max(1, int(1.4 * unit)),
            cv2.LINE_AA,
        )
    return out


MOVING: dict[str, Callable[[tuple[int, int]], Spray | Scratches | Flare]] = {
    "spray": Spray,
    "scratches": Scratches,
    "flare": Flare,
}
STILLS: dict[str, Callable[[tuple[int, int]], U8]] = {"chart": chart, "paper": paper}


def render(folder: Path, scale: float = 1.0, frames: int = FRAMES) -> None:
    """Writes NAME.mp4 for what moves and NAME.png for the stills into `folder`."""
    folder.mkdir(parents=True, exist_ok=True)
    size = int(1280 * scale) & ~1, int(720 * scale) & ~1
    for name, make in MOVING.items():
        element = make(size)
        video = VideoWriter(folder / f"{name}.mp4", "h264-element", *size, FPS)
        for number in range(min(frames, FRAMES)):
            video.write(element.frame(number))
        video.close()
    for name, still in STILLS.items():
        (folder / f"{name}.png").write_bytes(png_bytes(still(size), 9))
