"""What is heard in the harbour: made by formulas, the same each time."""

from __future__ import annotations

import wave
from pathlib import Path

import numpy as np

from cuvrel.core.arrays import F64
from cuvrel.core.media.sound import RATE


def smooth(noise: F64, width: int) -> F64:
    """Noise without what is higher than about RATE / width."""
    return np.asarray(np.convolve(noise, np.hanning(width) / np.hanning(width).sum(), "same"))


def waves(seconds: float, seed: int = 3) -> F64:
    """Water against the quay: noise that swells and falls."""
    rng = np.random.default_rng(seed)
    count = round(seconds * RATE)
    at = np.arange(count) / RATE
    swell = 0.55 + 0.45 * np.sin(2 * np.pi * at / 3.7 + 1.1 * np.sin(2 * np.pi * at / 9.1))
    return np.asarray(1.6 * smooth(rng.normal(0, 1, count), 61) * swell * 0.25)


def gull(seconds: float = 0.55, pitch: float = 900.0) -> F64:
    """A gull's cry: a tone that falls, with its overtones."""
    at = np.arange(round(seconds * RATE)) / RATE
    phase = 2 * np.pi * np.cumsum(pitch * (1.35 - 0.6 * at / seconds + 0.04 * np.sin(2 * np.pi * 11 * at))) / RATE
    return np.asarray(sum(np.sin(k * phase) / k**1.4 for k in range(1, 6)) * np.hanning(len(at)) ** 0.7 * 0.22)


def bell(seconds: float = 2.5, pitch: float = 420.0) -> F64:
    """The school's bell: partials that die away, the high ones first."""
    at = np.arange(round(seconds * RATE)) / RATE
    partials = ((0.5, 0.6, 1.1), (1.0, 1.0, 1.6), (1.19, 0.7, 2.2), (2.0, 0.6, 3.0), (2.74, 0.4, 4.5), (4.1, 0.2, 7.0))
    return np.asarray(
        sum(loud * np.sin(2 * np.pi * pitch * part * at) * np.exp(-dies * at) for part, loud, dies in partials) * 0.2
    )


def click() -> F64:
    """Two boards that meet: as loud as there is, within two thousandths of a second."""
    at = np.arange(RATE // 500)
    return np.asarray(0.98 * np.exp(-at / 14.0) * np.cos(at * 0.9))


def laid(base: F64, sound: F64, seconds: float) -> None:
    """Lays a sound over another one, in place, from a moment on."""
    begin = round(seconds * RATE)
    part = sound[: max(0, len(base) - begin)]
    base[begin : begin + len(part)] += part


def write_wav(path: Path, *channels: F64) -> None:
    """PCM of 16 bits at RATE."""
    samples = np.clip(np.stack(channels, axis=1), -1, 1)
    with wave.open(str(path), "wb") as file:
        file.setnchannels(len(channels))
        file.setsampwidth(2)
        file.setframerate(RATE)
        file.writeframes(np.round(samples * 32767).astype("<i2").tobytes())
