"""Amounts of light, which add up, the lens that they pass, and the film or sensor that makes a picture of them."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from training.distributions import log_uniform

GAMMA = np.float32(2.2)
FILMED = 0.6  # share of the clips that a camera's film or sensor rendered
GLARING = 0.7  # light from which it glares


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


@dataclass
class Film:
    """What a film or a sensor makes of light: grain that grows with it, glare about what is bright, and a curve.

    The curve is x^n / (x^n + k^n), scaled so that all light stays all (Naka and Rushton, J. Physiol. 1966): a toe by
    its slope n, a shoulder by its knee k. dark, lit: the grain's spread without light, and in addition under all of
    it; coarse: pixels over which it is even. glare: share of what is too bright that is seen `wide` pixels about it.
    """

    exposure: float
    slope: float
    knee: float
    dark: float
    lit: float
    coarse: float
    glare: float
    wide: float

    def developed(self, light: F32, rng: np.random.Generator) -> F32:
        """Amounts of light as it renders them, (h, w, 3) float32, 0 to 1, to be encoded for display."""
        light = light * np.float32(self.exposure)
        if self.glare > 0:
            bright = 3 * np.maximum(light - np.float32(GLARING), 0)
            light = light + np.float32(self.glare) * cv2.GaussianBlur(bright, (0, 0), self.wide)
        grain = rng.standard_normal(light.shape, np.float32)
        if self.coarse > 0:  # evened out, a grain is as strong as before
            grain = cv2.GaussianBlur(grain, (0, 0), self.coarse) * np.float32(2 * np.sqrt(np.pi) * self.coarse)
        spread = np.float32(self.dark) + np.float32(self.lit) * np.sqrt(np.clip(light, 0, 1))
        raised = np.power(np.maximum(light + grain * spread, 0), np.float32(self.slope))
        knee = np.float32(self.knee**self.slope)
        return np.asarray(np.minimum(raised * (1 + knee) / (raised + knee), 1), np.float32)


def some_film(rng: np.random.Generator) -> Film | None:
    """A film or a sensor, as cameras have them; None for light that is encoded as it is."""
    film = Film(
        exposure=log_uniform(rng, 0.6, 1.6),
        slope=float(rng.uniform(1, 1.45)),
        knee=log_uniform(rng, 0.5, 3),
        dark=log_uniform(rng, 0.0005, 0.006),
        lit=log_uniform(rng, 0.002, 0.025),
        coarse=float(rng.choice([0.0, rng.uniform(0.4, 1.1)])),
        glare=float(rng.uniform(0.05, 0.4) * (rng.uniform() < 0.4)),
        wide=log_uniform(rng, 2, 10),
    )
    return film if rng.uniform() < FILMED else None


def rendered(light: F32, film: Film | None, rng: np.random.Generator) -> F32:
    """Amounts of light as a film or a sensor shows them, display-encoded; without one they are encoded as they are."""
    return on_display(light if film is None else film.developed(light, rng))
