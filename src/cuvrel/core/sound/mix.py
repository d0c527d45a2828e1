"""The sound of a shot: its plate's, in the plate's time, and what is laid under, at their levels."""

from __future__ import annotations

from collections.abc import Mapping
from typing import cast

import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.media.sound import RATE, Samples
from cuvrel.core.motion import timing
from cuvrel.core.recipe.hashing import key_of
from cuvrel.core.recipe.models import Hush, Shot
from cuvrel.core.sound.pitch import GRAIN, pitched
from cuvrel.core.sound.playback_times import Timing, heard, recorded, runs_as_recorded

FADE = RATE // 200  # samples over which a silence comes and goes


def times_of(shot: Shot) -> list[Timing]:
    """The times that the plate's sound goes through, from the outermost group to the plane that shows the plate.

    That is the foremost plate that is on, as are the groups that hold it, else the foremost such cut-out.
    """
    groups = {plane.id: plane for plane in shot.planes if plane.kind == "group"}
    count = shot.plate_footage().frames
    for kind in ("plate", "cutout"):
        for plane in shot.planes:
            chain = [plane]
            while chain[0].group in groups:
                chain.insert(0, groups[str(chain[0].group)])
            if plane.kind == kind and all(one.on for one in chain):
                return [Timing(cast(timing.TimeParams, one.values("time")), count) for one in chain]
    return [Timing(timing.TimeParams(), count)]


class Mix:
    """A shot's sound as samples, counted from the shot's frame 0.

    sounds: the recordings by the id of their footage; footage without sound is not among them.
    """

    def __init__(self, shot: Shot, sounds: Mapping[str, Samples]) -> None:
        self._shot, self._sound = shot, shot.sound
        self._own = sounds.get(shot.plate) if shot.sound.on else None
        self._under = sounds.get(shot.sound.under) if shot.sound.under else None
        self._times = times_of(shot)
        self.count = self.sample(shot.plate_footage().frames)

    @property
    def silent(self) -> bool:
        """Whether there is nothing to be heard at all."""
        return self._own is None and self._under is None

    @property
    def plain(self) -> bool:
        """Whether it is the plate's own sound and nothing else, so that it may be copied."""
        shot = self._shot
        untouched = not self._sound.hushes and self._sound.level == 0 and self._under is None
        paced = all(one.plain for one in self._times) and shot.fps == shot.plate_footage().fps
        return self._own is not None and untouched and paced

    @property
    def key(self) -> str:
        """The same key means the same sound."""
        shot = self._shot
        used = [entry.model_dump() for entry in shot.footage if entry.id in (shot.plate, self._sound.under)]
        times = [one.params.model_dump(mode="json") for one in self._times]
        about = [self._sound.model_dump(mode="json"), times, shot.fps, shot.plate, used, self.silent,
                 getattr(self._own, "key", None)]  # fmt: skip
        return key_of("sound", about, [])

    def sample(self, frame: float) -> int:
        """The first sample of a frame."""
        return round(frame * RATE / self._shot.fps)

    def get(self, first: int, last: int) -> F32:
        """See Samples. What is silent stays so, whatever else is said of it."""
        out = self._silenced(self._open(first, last), first, last)
        for hush in self._sound.hushes:
            if hush.how == "pitched":
                self._hushed(out, hush, first, last)
        return self._silenced(out, first, last)

    def _silenced(self, out: F32, first: int, last: int) -> F32:
        for hush in self._sound.hushes:
            if hush.how == "silent":
                self._hushed(out, hush, first, last)
        return out

    def _open(self, first: int, last: int) -> F32:
        """As it is before anything is hushed."""
        out = np.zeros((max(0, last - first), 2), np.float32)
        if last <= first:
            return out
        if self._own is not None:
            out += self._plate(first, last) * self._gain("level", first, last)
        if self._under is not None:
            shift = self.sample(float(self._sound.under_offset))
            out += self._under.get(first - shift, last - shift) * self._gain("under_level", first, last)
        return out

    def _plate(self, first: int, last: int) -> F32:
        assert self._own is not None
        plate, fps = self._shot.plate_footage(), self._shot.fps
        if all(one.plain for one in self._times) and fps == plate.fps:
            return self._own.get(first, last)
        if self._sound.slowed == "leave":
            later = sum(float(one.params.offset) for one in self._times)
            later -= sum(float(one.params.skip) for one in self._times[:-1])
            shift = round(float(self._times[-1].params.skip) * RATE / plate.fps) - self.sample(later)
            return self._own.get(first + shift, last + shift)
        where, there = recorded(self._times, first, last, fps, plate.fps)
        if self._sound.slowed == "mute":
            there &= runs_as_recorded(where)
        return heard(self._own, where, there)

    def _gain(self, field: str, first: int, last: int) -> F32:
        """Factors of a level, (n, 1); between frames they go evenly."""
        fps = self._shot.fps
        if isinstance(level := getattr(self._sound, field), (int, float)):
            return np.full((1, 1), factor(float(level)), np.float32)
        begin, end = int(first * fps / RATE), int(last * fps / RATE) + 2
        known = [factor(float(self._sound.at(self._shot.env(n))[field])) for n in range(begin, end + 1)]
        at = np.arange(first, last) * fps / RATE
        return np.interp(at, np.arange(begin, end + 1), known)[:, None].astype(np.float32)

    def _hushed(self, out: F32, hush: Hush, first: int, last: int) -> None:
        begin, end = self.sample(hush.first), self.sample(hush.last + 1)
        if end <= first - FADE or begin >= last + FADE:
            return
        at = np.arange(first, last)
        # it is hushed whole from its first to its last sample; the fades lie outside
        share = np.clip(np.minimum(at - (begin - FADE), end + FADE - at) / FADE, 0, 1)[:, None].astype(np.float32)
        other: F32 | np.float32 = np.float32(0)
        if hush.how == "pitched":
            # what is silent must not come out again beside it, in a grain that reaches there
            around = first - GRAIN, last + GRAIN
            other = pitched(self._silenced(self._open(*around), *around), first - GRAIN)[GRAIN:-GRAIN]
        out += share * (other - out)


def factor(decibels: float) -> float:
    """Decibels as a factor; at -60 and below there is nothing."""
    return 0.0 if decibels <= -60 else float(10 ** (decibels / 20))
