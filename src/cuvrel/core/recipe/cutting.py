"""The pieces of a plate between the cuts that are marked on it."""

from __future__ import annotations

from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.recipe.models import Shot


def pieces_of(shot: Shot) -> list[tuple[int, int]]:
    """The first and last frame of each piece, in order. Raises RecipeError where there is one alone.

    The frames of a mix show both pieces, and belong to both.
    """
    count = shot.plate_footage().frames
    cuts = sorted({(one.frame, one.to) for one in shot.cuts if one.frame < count}, key=lambda one: one[0])
    if not cuts:
        raise RecipeError("No cut is marked on this plate.", "Look for cuts first, or mark one.")
    out, first = [], 0
    for frame, to in cuts:
        last = frame - 1 if to is None else min(to, count - 1)
        if last >= first:
            out.append((first, last))
        first = frame
    out.append((first, count - 1))
    return out
