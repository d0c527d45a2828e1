"""Runs the small networks that weigh evidence: `training/` trains them, ONNX Runtime runs them.

A network reads planes at half the working size, full-size planes as four quarters each, and answers with
the log odds of being subject at working size.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any
from weakref import WeakSet

import cv2
import numpy as np
import onnxruntime
from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8
from cuvrel.core.imaging.row_kernels import at_once, in_rows, kernel
from cuvrel.core.recipe.hashing import hash_bytes

SURELY = 9.0  # log odds beyond which it makes no difference


@kernel
def _quartered(plane: F32, out: F32) -> None:
    for y in range(out.shape[1]):
        for x in range(out.shape[2]):
            out[0, y, x], out[1, y, x] = plane[2 * y, 2 * x], plane[2 * y, 2 * x + 1]
            out[2, y, x], out[3, y, x] = plane[2 * y + 1, 2 * x], plane[2 * y + 1, 2 * x + 1]


@kernel
def _coloured(y0: int, y1: int, lab: U8, out: F32) -> None:
    scale, one = np.float32(1 / 128), np.float32(1)
    for k in range(3):
        for y in range(y0, y1):
            for x in range(out.shape[2]):
                for n in range(4):
                    out[4 * k + n, y, x] = lab[2 * y + n // 2, 2 * x + n % 2, k] * scale - one


def quarters(planes: Sequence[NDArray]) -> F32:
    """Full-size planes, (2h, 2w) each, as four of half size each: (4 * n, h, w)."""
    h, w = planes[0].shape[0] // 2, planes[0].shape[1] // 2
    out = np.empty((4 * len(planes), h, w), np.float32)
    _all_quartered(planes, out)
    return out


def _all_quartered(planes: Sequence[NDArray], into: F32) -> None:
    for k, plane in enumerate(planes):
        _quartered(plane, into[4 * k : 4 * k + 4])


def coloured(lab: U8, into: F32) -> None:
    """Puts a picture's quarters, (12, h, w) float32 of -1 to 1, where they belong. lab: (2h, 2w, 3) uint8."""
    in_rows(_coloured, into.shape[1], lab, into)


def gathered(lab: U8, full: Sequence[NDArray], half: Sequence[NDArray]) -> F32:
    """A stack, (12 + 4 * n + m, h, w) float32: quarters of a picture and of full-size planes, and planes of half size.

    lab: (2h, 2w, 3) uint8; full: n of (2h, 2w); half: m of (h, w).
    """
    h, w = half[0].shape
    first = 12 + 4 * len(full)
    out = np.empty((first + len(half), h, w), np.float32)
    coloured(lab, out[:12])
    _all_quartered(full, out[12:first])
    for k, plane in enumerate(half):
        out[first + k] = plane
    return out


def whole(four: F32) -> F32:
    """Quarters, (4, h, w), as the plane of twice that size that they are of."""
    _, h, w = four.shape
    out = np.empty((2 * h, 2 * w), np.float32)
    for k in range(4):
        out[k // 2 :: 2, k % 2 :: 2] = four[k]
    return out


def mirrored(stack: F32, full: int) -> F32:
    """A stack, (C, h, w), seen in a mirror. full: how many of its first planes are quarters of full-size ones."""
    order = np.arange(len(stack))
    order[:full] ^= 1  # the two columns of a full-size plane that share one of half size change places
    return np.ascontiguousarray(stack[order][:, :, ::-1])


def _session(path: Path) -> Any:
    """A network ready to run: on as many cores as OpenCV uses, none of which is kept busy waiting."""
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = max(1, cv2.getNumThreads())
    options.add_session_config_entry("session.intra_op.allow_spinning", "0")
    return onnxruntime.InferenceSession(str(path), options, providers=["CPUExecutionProvider"])


_networks: WeakSet[Network] = WeakSet()


def release_networks() -> None:
    """Gives the memory of all networks back, which is as large as their largest picture made it."""
    for one in list(_networks):
        one.release()


class Network:
    """One network, ready to run; safe for use by several threads at once.

    step: the sides of what it reads are multiples of it, as often as it halves them. `key` tells networks apart.
    """

    def __init__(self, path: Path, step: int = 8) -> None:
        self._path, self._step = path, step
        self._ready: Any = None
        _networks.add(self)
        self.key = hash_bytes(path.read_bytes())

    def _session(self) -> Any:
        ready = self._ready
        if ready is None:
            self._ready = ready = _session(self._path)
        return ready

    def release(self) -> None:
        """Gives its memory back; it is made ready anew when it is asked again."""
        self._ready = None

    def odds(self, stack: F32) -> F32:
        """(C, h, w) float32 of about -1 to 1 to log odds, (2h, 2w) float32."""
        return whole(self._answers(stack, "odds")[0])

    def reasoned(self, stack: F32) -> tuple[F32, F32]:
        """What the last layer weighs, (T, h, w) float32 that spread about one, and the log odds as quarters, (4, h, w).

        For a network that tells both (`training.features`).
        """
        odds, told = self._answers(stack, "odds", "told")
        return told, odds

    def _answers(self, stack: F32, *names: str) -> list[F32]:
        """What the network answers under these names, each (N, h, w), log odds within SURELY."""
        _, h, w = stack.shape
        padded = np.empty((1, len(stack), h + -h % self._step, w + -w % self._step), np.float32)
        np.clip(stack, -1, 1, out=padded[0, :, :h, :w])
        padded[0, :, h:, :w] = padded[0, :, h - 1 : h, :w]
        padded[0, :, :, w:] = padded[0, :, :, w - 1 : w]
        odds, *rest = (one[0, :, :h, :w] for one in self._session().run(list(names), {"planes": padded}))
        return [np.clip(odds, -SURELY, SURELY), *rest]

    def both_ways(self, stack: F32, full: int) -> F32:
        """The mean of `odds` of a stack as it is and in a mirror, for twice the work. full: as for `mirrored`."""
        plain, other = at_once(lambda: self.odds(stack), lambda: self.odds(mirrored(stack, full)))
        return np.asarray((plain + other[:, ::-1]) / 2, np.float32)
