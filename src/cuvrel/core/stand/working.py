"""The working space: the primaries of the light that planes are made of, treated, placed and blended in.

It is linear BT.709 where nothing is said. Another one is a space of linear light of the colour configuration; what
comes in is brought to it by a matrix, and what goes out is brought back, so that mattes, views and exports know nothing
of it. Colours that BT.709 can't hold are numbers above 0 in a wider one, and treatments keep them.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.colour import linear_to_srgb, srgb_to_linear
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.media.managed import working_matrix
from cuvrel.core.recipe.declared import Params, Values
from cuvrel.core.recipe.values import Env
from cuvrel.core.stand.nodes import Node, node

IN_BT709 = ("table",)
"""Treatments whose numbers are BT.709's: they are given light of these primaries wherever they stand."""
_PLAIN = ""


class Working:
    """What a working space does to pictures, and to the colours that treatments are set to. Raises MediaError for a
    space that this machine's configuration does not have.
    """

    def __init__(self, space: str = _PLAIN) -> None:
        self._way: F64 | None = working_matrix(space) if space else None

    def into(self, picture: Node) -> Node:
        """The node of light of BT.709, (H, W, 4) float32 premultiplied, in the working space."""
        return picture if self._way is None else _moved("working", picture, self._way)

    def back(self, picture: Node) -> Node:
        """The inverse of `into`."""
        return picture if self._way is None else _moved("worked", picture, np.linalg.inv(self._way).astype(np.float64))

    def values(self, params: Params) -> Callable[[Env], Values]:
        """The values of something declared in an environment; its colours are in the working space, coded as before."""
        way = self._way
        if way is None:
            return params.at
        controls = {name: about["control"] for name, about in type(params).fields().items()}

        def at(env: Env) -> Values:
            found = params.at(env)
            for name, control in controls.items():
                if control == "colour":
                    found[name] = _coded(found[name], way)
                elif control == "ramp":
                    found[name] = tuple((place, *_coded(colour, way)) for place, *colour in found[name])
            return found

        return at


def _coded(colour: tuple[float, ...] | list[float], way: F64) -> tuple[float, ...]:
    light = way @ srgb_to_linear(np.asarray(colour)).astype(np.float64)
    return tuple(round(float(one), 6) for one in linear_to_srgb(np.clip(light, 0, 1)))


def _moved(name: str, picture: Node, way: F64) -> Node:
    matrix = way.astype(np.float32)
    return node(name, [[round(float(n), 7) for n in row] for row in way], [picture], lambda p: moved(p, matrix))


@kernel
def _by_matrix(y0: int, y1: int, picture: F32, way: F32, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(picture.shape[1]):
            r, g, b = picture[y, x, 0], picture[y, x, 1], picture[y, x, 2]
            out[y, x, 0] = way[0, 0] * r + way[0, 1] * g + way[0, 2] * b
            out[y, x, 1] = way[1, 0] * r + way[1, 1] * g + way[1, 2] * b
            out[y, x, 2] = way[2, 0] * r + way[2, 1] * g + way[2, 2] * b
            out[y, x, 3] = picture[y, x, 3]


def moved(picture: F32, way: F32) -> F32:
    """(H, W, 4) float32 linear RGBA in other primaries, by a (3, 3) matrix; alpha stays."""
    out = np.empty_like(picture)
    in_rows(_by_matrix, len(picture), picture, way, out)
    return out
