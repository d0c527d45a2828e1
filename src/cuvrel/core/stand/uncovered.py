"""What a stand's covers leave open of the plate: for the audit of a redaction.

The stand is built once more with every pixel of the plate standing for its own place and every cover as ink that blots
it out. What comes out tells of each pixel of the result which place of the plate it shows, and how much of it: whatever
groups, gates, placements, times and planes in front do to a cover, they do here.
"""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np

from cuvrel.core.arrays import F32
from cuvrel.core.imaging.blend import through
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.models import Plane
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Node, node
from cuvrel.core.stand.steps import AtFrame
from cuvrel.core.stand.working import Working

BARE = 0.02  # share of a pixel from which on what it shows of the plate counts
OTHERS = ("fill", "line", "element", "take")  # planes that show something else than the plate


class Uncovered(Stand):
    """A stand whose pictures hold, in place of red, green and blue, the plate's column and row that a pixel shows, each
    times the share that is seen of it, and that share itself. Places are 0 to 1 of the plate's width and height.
    """

    def __init__(self, stand: Stand) -> None:
        super().__init__(stand.shot, stand.sources, stand.scale)
        self._mattes = stand._mattes
        self.working = Working()
        self.light = self._places

    def hidden(self, frame: int) -> Node:
        """How much of each pixel of the plate is hidden in the result, (H, W) float32, 0 to 1, as large as the plate.

        Hidden is what a cover or another picture lies over, and what is not seen at all.
        """
        size = self.plate_size
        return node("hidden", size, [self.result(frame)], lambda seen: 1 - bare_share(seen, size))

    def cut(self, matte_id: str, frame: int) -> Node:
        """See Stand: without colours, which places have none of."""
        return node("through", None, [self.light(frame), self.matte(matte_id, frame)], through)

    def plane(self, plane: Plane, frame: int, below: Node | None) -> Node | None:
        """See Stand. Blending that lets through what lies behind hides nothing of it."""
        if plane.blend == "normal":
            return super().plane(plane, frame, below)
        if plane.kind in (*OTHERS, "glaze"):
            return below
        mixed = super().plane(plane.model_copy(update={"blend": "normal"}), frame, None)
        if below is None or mixed is None:
            return mixed or below
        return node("uncovered:both", None, [below, mixed], _barer)

    def _places(self, frame: int) -> Node:
        """The plate, each pixel of which stands for its place."""
        size = self.plate_size

        def run() -> F32:
            high, wide = size
            out = np.ones((high, wide, 4), np.float32)
            out[..., 0] = (np.arange(wide, dtype=np.float32) + 0.5) / wide
            out[..., 1] = (np.arange(high, dtype=np.float32)[:, None] + 0.5) / high
            return out

        return node("uncovered:places", size, [], run)

    def _chain(self, plane: Plane, name: str, content: AtFrame, matte: AtFrame) -> AtFrame:
        """See Stand: covers blot out, all other treatments leave a place where it is."""
        covers = [step for step in plane.treatments if step.on and declared("treatment", step.kind).gates]
        other = plane.kind in OTHERS

        def at(frame: int) -> Node | None:
            found = content(frame)
            now = self.env(frame)
            amount = max((float(step.values().at(now)["amount"]) / 100 for step in covers), default=0.0)
            if found is None or not (other or amount):
                return found
            left = 0.0 if other else 1 - amount
            return node("uncovered:ink", left, [found], partial(_inked, left=left))

        return at


def _barer(below: F32, above: F32) -> F32:
    return np.asarray(np.where(above[..., 2:3] > below[..., 2:3], above, below), np.float32)


def _inked(picture: F32, left: float) -> F32:
    out = picture.copy()
    out[..., :3] *= np.float32(left)
    return out


def bare_share(seen: F32, size: tuple[int, int]) -> F32:
    """How much of each pixel of the plate a picture of places shows, (H, W) float32, 0 to 1.

    seen: as Uncovered makes it, (H, W, 4). size: the plate's rows and columns.
    """
    high, wide = size
    share = seen[..., 2]
    open_ = share > BARE
    out = np.zeros(high * wide, np.float32)
    if not open_.any():
        return out.reshape(size)
    columns, rows = (np.where(open_, seen[..., k] / np.maximum(share, BARE) * n, -9) for k, n in ((0, wide), (1, high)))
    inside = open_ & (columns >= 0) & (columns < wide) & (rows >= 0) & (rows < high)
    at = rows[inside].astype(np.intp) * wide + columns[inside].astype(np.intp)
    np.maximum.at(out, at, np.minimum(share[inside], 1))
    # where the plate is made smaller or turned, not each of its pixels is hit
    apart = [float(np.median(np.hypot(*(np.diff(part, axis=axis)[open_pair] for part in (columns, rows)))))
             for axis in (0, 1) if (open_pair := _pairs(inside, axis)).any()]  # fmt: skip
    reach = 2 * int(np.ceil(max(apart, default=1.0) - 1.001)) + 1
    found = out.reshape(size)
    if reach > 1:
        found = cv2.morphologyEx(found, cv2.MORPH_CLOSE, np.ones((reach, reach), np.uint8))
    return np.asarray(found, np.float32)


def _pairs(inside: np.ndarray, axis: int) -> np.ndarray:
    """Neighbours both of which count."""
    return inside[1:] & inside[:-1] if axis == 0 else inside[:, 1:] & inside[:, :-1]
