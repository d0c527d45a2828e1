"""Drag marks take an outline along, and nothing else."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from pydantic import ValidationError

from cuvrel.core.recipe.models import Mark
from cuvrel.core.trace.drag import dragged
from cuvrel.core.trace.trace import trace

EDGE = 60.3  # where the upright edge of `half` lies, in plate pixels
RADIUS = 12.0


def half(wide: float = 1.0) -> np.ndarray:
    """Coverage that is whole on the left of an upright edge, (80, 120) float32; wide: pixels that the edge takes."""
    x = np.arange(120) + 0.5
    return np.tile(np.clip((EDGE - x) / wide + 0.5, 0, 1).astype(np.float32), (80, 1))


def drag(*points: tuple[float, float], radius: float = RADIUS) -> Mark:
    return Mark(id="d", frame=0, kind="drag", radius=radius, points=list(points))


def edge_at(matte: np.ndarray, row: int) -> float:
    """Where the edge lies in a row, in plate pixels."""
    return float(matte[row].sum())


@pytest.mark.parametrize("by", [0.4, 1.0, 2.5, -1.7, 9.0, 30.0])
def test_the_outline_goes_as_far_as_the_middle_of_the_brush(by: float) -> None:
    found = dragged(half(), [drag((EDGE, 40.5), (EDGE + by, 40.5))])
    assert edge_at(found, 40) == pytest.approx(EDGE + by, abs=0.06 + 0.015 * abs(by))
    assert found.dtype == np.float32


def test_it_goes_less_far_further_out_and_not_at_all_beyond_the_radius() -> None:
    matte = half()
    found = dragged(matte, [drag((EDGE, 40.5), (EDGE + 3, 40.5))])
    by = [edge_at(found, row) - EDGE for row in range(40, 52)]
    assert all(a >= b - 1e-3 for a, b in pairwise(by))
    assert by[6] == pytest.approx(3 * (1 - 0.25) ** 2, abs=0.25)
    y, x = np.mgrid[0:80, 0:120] + 0.5
    beyond = np.minimum(np.hypot(x - EDGE, y - 40.5), np.hypot(x - EDGE - 3, y - 40.5)) > RADIUS + 1
    assert np.array_equal(found[beyond], matte[beyond])


@pytest.mark.parametrize("wide", [1.0, 6.0])
def test_an_edge_stays_as_soft_as_it_was_however_long_the_way(wide: float) -> None:
    matte = half(wide)
    there_and_back = [(EDGE + 8 * np.sin(n / 3), 40.5) for n in range(0, 76)]
    found = dragged(matte, [drag(*there_and_back, (EDGE, 40.5), radius=20)])
    steep = np.abs(np.diff(found[40])).max()
    assert steep > 0.75 * np.abs(np.diff(matte[40])).max()
    assert edge_at(found, 40) == pytest.approx(EDGE, abs=0.5)


def test_several_drags_are_done_in_their_order() -> None:
    right, down = drag((EDGE, 40.5), (EDGE + 4, 40.5)), drag((EDGE + 4, 40.5), (EDGE + 4, 46.5))
    both = dragged(half(), [right, down])
    assert edge_at(both, 46) == pytest.approx(EDGE + 4, abs=0.4)
    assert edge_at(dragged(half(), [down, right]), 46) < EDGE + 3.6


def test_without_a_drag_or_beside_the_picture_a_matte_stays_as_it_is() -> None:
    matte = half()
    assert dragged(matte, [Mark(id="i", frame=0, kind="in", radius=3, points=[(20, 20)])]) is matte
    assert np.array_equal(dragged(matte, [drag((-90, -90), (-60, -70))]), matte)
    # across the border nothing comes in that was not there
    found = dragged(matte, [drag((2, 40), (20, 40)), drag((118, 40), (100, 40)), drag((60, -4), (60, 8))])
    assert 0 <= found.min() <= found.max() <= 1
    assert (found[38:43, :15] > 0.99).all()
    assert (found[38:43, 105:] < 0.01).all()


def test_a_frame_that_is_only_dragged_is_not_solved_anew() -> None:
    matte = half()
    rgb = np.random.default_rng(1).integers(0, 255, (80, 120, 3), dtype=np.uint8)
    mark = drag((EDGE, 40.5), (EDGE + 2, 40.5))
    found = trace(rgb, [mark], matte)
    assert np.array_equal(found, dragged(matte, [mark]))
    assert edge_at(matte, 40) == pytest.approx(EDGE, abs=1e-3), "the prior itself is left alone"


def test_marks_are_obeyed_where_an_outline_was_dragged_over_them() -> None:
    rgb = np.full((80, 120, 3), 60, np.uint8)
    rgb[:, :60] = (200, 60, 40)
    out = Mark(id="o", frame=0, kind="out", radius=1.5, points=[(66, 30), (66, 50)])
    found = trace(rgb, [out, drag((60, 40), (72, 40))], half())
    assert (found[34:46, 65:67] == 0).all()
    assert found[40, 61] > 0.5


def test_a_drag_is_a_way_of_some_width() -> None:
    for wrong in ({"points": [(3, 3)]}, {"radius": 600.0}, {"points": [(0, 0), (3000, 0)], "radius": 2.0}):
        with pytest.raises(ValidationError):
            Mark(**{"id": "d", "frame": 0, "kind": "drag", "radius": 12.0, "points": [(0, 0), (5, 5)], **wrong})
