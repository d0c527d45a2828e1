"""From something declared to nodes: its stages at a frame, with the pictures that they need."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray

from cuvrel.core.imaging.sampling import sized
from cuvrel.core.pulls.outline import held
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import Declared, Stage, Values
from cuvrel.core.recipe.needs import Need
from cuvrel.core.recipe.shapes import Shape
from cuvrel.core.recipe.values import Env
from cuvrel.core.stand.nodes import Node, node

AtFrame = Callable[[int], Node | None]


@dataclass(frozen=True)
class Step:
    """Something declared in its place.

    read: its values at a time. given: what it is given on a frame, None where there is nothing. matte: the plane's
    own matte, or gate. find: any other picture that it needs. shapes: the drawn shapes that it holds. range: the
    first and the last frame that are worked on.
    """

    entry: Declared
    read: Callable[[float], Values]
    given: AtFrame
    matte: AtFrame
    find: Callable[[Need], Node | None]
    env: Callable[[float], Env]
    scale: float
    size: tuple[int, int]
    shapes: Sequence[Shape] = ()
    range: tuple[int, int] = (0, 0)

    def at(self, frame: int, stages: int | None = None) -> Node | None:
        """Its picture on a frame, after so many of its stages; None where there is nothing to work on."""
        entry = self.entry
        picture = None if entry.blind else self.given(frame)
        if picture is None and not entry.blind:
            return None
        values = self.read(frame)
        for number, stage in enumerate(entry.stages[:stages]):
            mine = {name: values[name] for name in stage.fields}
            if stage.rests(mine):
                continue
            done = self._stage(number, stage, mine, frame, picture)
            if done is None:
                return None
            picture = done
        return picture

    def _stage(self, number: int, stage: Stage, values: Values, frame: int, picture: Node | None) -> Node | None:
        needs = list(stage.needs(values, frame)) if stage.needs else []
        later = [self._found(need, number, frame) for need in needs]
        if any(one is None and need.what == "stored" for one, need in zip(later, needs, strict=True)):
            return None
        if stage.still:
            others = [one for one, need in zip(later, needs, strict=True) if need.what == "own" and one is not None]
            if picture is not None and all(one.key == picture.key for one in others):
                return picture
        entry, clock = self.entry, stage.clock(values)
        matte = self.matte(frame) if entry.needs_matte else None
        now = self.env(frame) if clock else None
        shapes = [shape if clock else held(shape, self.env(frame)) for shape in self.shapes]
        inputs = [one for one in (picture, matte) if one is not None]
        run = _call(stage, values, Context(self.scale, None, shapes, now, self.size), matte is not None, entry.blind)
        about: list[Any] = [values, self.scale]
        about += [[frame, now.fps]] if now is not None else []
        about += (
            [self.size, [[s.kind, s.join, s.model_dump(mode="json")["keys"]] for s in shapes]] if entry.blind else []
        )
        if clock and any(shape.rides for shape in shapes):
            # the tracks are no part of the document: where they take the shapes about this frame
            about += [[[s.kind, s.model_dump(mode="json")["keys"]] for s in (held(shape, self.env(frame + step / 2))
                       for shape in shapes)] for step in (-2, -1, 0, 1, 2)]  # fmt: skip
        kind = f"{entry.family}:{entry.kind}:{stage.name}"
        return node(kind, about, inputs, run, entry.keep, later if stage.needs else None)

    def _found(self, need: Need, stage: int, frame: int) -> Node | None:
        if need.what == "own":
            first, last = self.range
            frame = need.frame if need.share is None else first + round(need.share * (last - first))
            return self.at(frame, stage)
        if need.what == "matte" and need.id is None:
            return self.matte(need.frame)
        return self.find(need)


def _call(stage: Stage, values: Values, context: Context, matted: bool, blind: bool) -> Callable[..., NDArray[Any]]:
    """The stage's function on the arrays of its node: its picture, its matte and its needs, as far as it has them."""

    def run(*arrays: Any) -> NDArray[Any]:
        given = list(arrays)
        picture = None if blind else given.pop(0)
        told = context
        if matted:
            cover = given.pop(0)
            matte = cover if picture is None else sized(cover, picture.shape[:2])
            told = Context(context.scale, matte, context.shapes, context.now, context.size)
        found: NDArray[Any] = stage.run(picture, values, told, *given)
        return found

    return run
