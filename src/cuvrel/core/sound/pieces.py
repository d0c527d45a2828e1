"""What the pieces of a reel sound like, one after the other: where two are joined, both with equal power."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.media.sound import RATE
from cuvrel.core.recipe.hashing import key_of
from cuvrel.core.recipe.reel import Laid, Reel
from cuvrel.core.recipe.values import START
from cuvrel.core.sound.mix import Mix, factor


class PiecesSound:
    """The sound of a reel's pieces as samples, counted from its frame 0. sounds: that of each shot, by its entry."""

    def __init__(self, reel: Reel, sounds: Mapping[str, Mix]) -> None:
        self._reel, self._sounds, self._laid = reel, sounds, reel.laid()
        self.count = self._sample(reel.plate_footage().frames)

    @property
    def silent(self) -> bool:
        """Whether none of them is heard at all."""
        return all(one.silent for one in self._sounds.values())

    @property
    def key(self) -> str:
        """The same key means the same sound."""
        pieces = [
            [one.piece.shot, one.piece.first, one.piece.fitting.get("level", 0.0), one.begin, one.count, one.shared]
            for one in self._laid
        ]
        return key_of("pieces", [pieces, self._reel.fps, {name: one.key for name, one in self._sounds.items()}])

    def _sample(self, frame: float) -> int:
        return round(frame * RATE / self._reel.fps)

    def get(self, first: int, last: int) -> F32:
        """See Samples."""
        out = np.zeros((max(0, last - first), 2), np.float32)
        for n, one in enumerate(self._laid):
            begin, end = self._sample(one.begin), self._sample(one.end)
            low, high = max(first, begin), min(last, end)
            sound = self._sounds.get(one.piece.shot)
            if low >= high or sound is None or sound.silent:
                continue
            since = sound.sample(one.piece.first) - begin
            share = self._share(one, self._laid[n + 1] if n + 1 < len(self._laid) else None, low, high)
            level = factor(float(one.piece.values("fitting").at(START)["level"]))
            out[low - first : high - first] += sound.get(low + since, high + since) * (share * level)[:, None]
        return out

    def _share(self, one: Laid, after: Laid | None, low: int, high: int) -> F32:
        """How loud each sample is: over a join the sine of its share comes in and the cosine goes out."""
        share = np.ones(high - low, np.float32)
        if one.shared:
            share *= np.sin(self._joined(one, low, high))
        if after is not None and after.shared:
            share *= np.cos(self._joined(after, low, high))
        return share

    def _joined(self, one: Laid, low: int, high: int) -> F32:
        """How far the join into a piece has come on each sample, from 0 to a quarter turn."""
        begin, end = self._sample(one.begin), self._sample(one.begin + one.shared)
        return np.asarray(np.clip((np.arange(low, high) - begin) / (end - begin), 0, 1) * np.pi / 2, np.float32)
