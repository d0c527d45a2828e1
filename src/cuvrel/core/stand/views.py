"""From a way of looking (view_kinds.py) to the node of its picture, in bytes for a screen."""

from __future__ import annotations

from functools import partial

from numpy.typing import NDArray

from cuvrel.core.arrays import F32, U8
from cuvrel.core.checks.frames import look
from cuvrel.core.imaging.colour import with_light
from cuvrel.core.media.reader import resized
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.costs import blended
from cuvrel.core.stand.joined import takes_apart
from cuvrel.core.stand.nodes import Node, node
from cuvrel.core.stand.overlays import changed, grey, over_colour, over_ground, veil
from cuvrel.core.stand.tries import laid_on
from cuvrel.core.stand.unroll import onion, unrolled
from cuvrel.core.stand.view_kinds import (
    GROUNDS,
    BlendView,
    ChangeView,
    CutoutView,
    MatteView,
    OfMatte,
    OnionView,
    PlaneTry,
    PlaneView,
    PlateView,
    PullTry,
    ResultView,
    StarterTry,
    TakesView,
    TreatmentTry,
    UnrollView,
    VeilView,
    View,
)
from cuvrel.core.stand.viewing import alone_on_screen, on_screen

SPAN = 48  # frames of the unrolled strip
TRIED_WIDTH = 480  # pixels of a plate at which a pull is tried out, however small its picture is


def view(stand: Stand, wanted: View, frame: int) -> Node:
    """The node of a view at a frame, uint8: (H, W, 3) sRGB, or (H, W, 4) for a plane alone.

    Raises RecipeError where the view names what the shot does not have.
    """
    try:
        return _view(stand, wanted, frame)
    except (KeyError, IndexError) as missing:
        raise RecipeError(f"The view names {missing}, which is not in the shot.") from missing


def _view(stand: Stand, wanted: View, frame: int) -> Node:
    match wanted:
        case ResultView():
            return on_screen(stand, stand.result(frame), "view-result")
        case PlateView():
            return (
                stand.plate(frame) if stand.shot.viewing is None else on_screen(stand, stand.light(frame), "view-plate")
            )
        case PlaneView(plane=ident):
            alone = stand.alone(stand.shot.plane(ident), frame)
            return alone_on_screen(stand, node("lit", None, [alone], with_light, keep=False))
        case TakesView(plane=ident):
            return takes_apart(stand, stand.shot.plane(ident), frame)
        case BlendView(plane=ident, way=way):
            return _view(blended(stand, ident, way), ResultView(), frame)
        case PullTry() if stand.plate_size[1] < TRIED_WIDTH and stand.scale < 1:
            # what a key finds in a small plate is not what it finds in the whole one: the veil is made small, not that
            scale = min(1.0, TRIED_WIDTH / stand.shot.plate_footage().width)
            larger, size = Stand(stand.shot, stand.sources, scale), stand.plate_size
            return node("view-small", size, [_view(larger, wanted, frame)], lambda p: resized(p, size))
        case TreatmentTry() | StarterTry() | PullTry() | PlaneTry():
            return _view(*laid_on(stand, wanted), frame)
        case _:
            partly = not wanted.edged or wanted.pulls is not None
            return _of_matte(stand.bare(wanted.pulls) if partly else stand, wanted, frame)


def _of_matte(stand: Stand, wanted: OfMatte, frame: int) -> Node:
    matte, picture = stand.matte(wanted.matte, frame), partial(stand.pulled_from, wanted.matte)
    match wanted:
        case MatteView():
            return node("view-matte", None, [matte], grey)
        case VeilView():
            return node("view-veil", stand.scale, [picture(frame), matte], veil)
        case CutoutView(ground=ground) if ground in GROUNDS:
            tones, size = GROUNDS[ground], max(4, round(16 * stand.scale))
            return node("view-cutout", [tones, size], [picture(frame), matte],
                        lambda p, m: over_ground(p, m, tones, size))  # fmt: skip
        case CutoutView(ground=ground):
            flat = tuple(int(ground[k : k + 2], 16) for k in (1, 3, 5))
            return node("view-cutout-flat", flat, [picture(frame), matte],
                        lambda p, m: over_colour(p, m, flat))  # fmt: skip
        case ChangeView():
            last = stand.matte(wanted.matte, max(0, frame - 1))
            return node("view-change", None, [picture(frame), matte, last], changed)
        case UnrollView():
            return _unroll(stand, wanted.matte, frame)
        case OnionView():
            before = [stand.matte(wanted.matte, f) for f in range(frame - 1, max(-1, frame - 4), -1)]
            after = [stand.matte(wanted.matte, f) for f in range(frame + 1, min(stand.frames, frame + 4))]
            back = len(before)
            return node("view-onion", back, [picture(frame), matte, *before, *after],
                        lambda p, m, *others: onion(p, m, others[:back], others[back:]))  # fmt: skip


def size_of(stand: Stand, wanted: View) -> tuple[int, int]:
    """Rows and columns of a view's pictures: the frame's, or those of the plate where it looks at that or a matte."""
    of_plate = isinstance(wanted, PlateView | PullTry | OfMatte)
    return stand.plate_size if of_plate else stand.size


def checked(stand: Stand, matte_id: str, frame: int) -> Node:
    """The node of a frame's figures, (3,) float32 (see checks/frames.py)."""
    picture = partial(stand.pulled_from, matte_id)
    inputs = [stand.matte(matte_id, frame), picture(frame)]
    if frame > 0:
        inputs += [stand.matte(matte_id, frame - 1), picture(frame - 1)]

    def run(matte: F32, picture: U8, *before: NDArray) -> F32:
        return look(matte, picture, (before[0], before[1]) if before else None).row()

    return node("checks", None, inputs, run)


def _unroll(stand: Stand, matte_id: str, frame: int) -> Node:
    """The strip of the frames about this one, as many as a picture has room for."""
    half = min(SPAN, stand.frames) // 2
    first = max(0, min(frame - half, stand.frames - 2 * half))
    frames = range(first, min(stand.frames, first + 2 * half or 1))
    inputs = [one for f in frames for one in (stand.matte(matte_id, f), stand.pulled_from(matte_id, f))]
    scale = stand.scale

    def run(*flat: NDArray) -> U8:
        return unrolled(list(zip(flat[::2], flat[1::2], strict=True)), frame - first, scale)

    return node("view-unroll", [frame - first, scale], inputs, run)
