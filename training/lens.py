"""Amounts of light, which add up, the lens that they pass, and pictures that are encoded for display."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]
GAMMA = np.float32(2.2)


def in_light(picture: F32) -> F32:
    """A display-encoded picture, (h, w, 3) or premultiplied (h, w, 4), as amounts of light, which add up where
    things are blurred or covered in part."""
    if picture.shape[2] == 3:
        return np.power(np.maximum(picture, 0), GAMMA)
    cover = picture[..., 3:]
    colour = picture[..., :3] / np.maximum(cover, 1e-4)
    return np.dstack([np.power(np.maximum(colour, 0), GAMMA) * cover, cover])


def on_display(light: F32) -> F32:
    """Amounts of light as a display-encoded picture."""
    return np.power(np.maximum(light, 0), np.float32(1 / GAMMA))


def compressed(picture: F32, quality: int) -> U8:
    """A picture of 0 to 255, (h, w, 3), as JPEG of a quality, 0 to 100, leaves it."""
    coded = cv2.imencode(".jpg", np.clip(picture, 0, 255).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
    return np.asarray(cv2.imdecode(coded, cv2.IMREAD_COLOR), np.uint8)


@dataclass
class Lens:
    """What a lens makes of light: it blurs it by `soft` pixels, and strays a share of it as far as `wide` pixels."""

    soft: float
    stray: float = 0.0
    wide: float = 1.0

    def seen(self, light: F32) -> F32:
        """Amounts of light, (h, w, 3), behind the lens."""
        out = cv2.GaussianBlur(light, (0, 0), self.soft) if self.soft > 0 else light
        if self.stray > 0:
            out = out + np.float32(self.stray) * (cv2.GaussianBlur(light, (0, 0), self.wide) - out)
        return out


def some_lens(rng: np.random.Generator) -> Lens:
    """A lens: none worth the name, a soft one, or one that strays light."""
    soft = float(rng.choice([0.0, rng.uniform(0.3, 0.9)], p=[0.45, 0.55]))
    return Lens(soft, float(rng.uniform(0, 0.12) * (rng.uniform() < 0.3)), float(np.exp(rng.uniform(0.7, 2.6))))
