"""A shot's own size, rate and range."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from cuvrel.core.follow.plan import FollowPass
from cuvrel.core.follow.run import Settings
from cuvrel.core.imaging.colour import decode
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import RecipeError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.view_kinds import MatteView, PlaneView, PlateView, ResultView, VeilView, View
from cuvrel.core.stand.views import size_of, view
from tests.core.test_follow import held, sliding
from tests.recipes import RESULT, FakeSources, document, footage

PLATE = {"id": "plate", "name": "Plate", "kind": "plate"}


def shown(raw: dict[str, Any], frame: int = 2, wanted: View = RESULT, scale: float = 1.0) -> np.ndarray:
    return work_out(view(Stand(read_shot(raw), FakeSources(), scale), wanted, frame), Cache(1 << 28))


def test_what_is_not_said_is_the_plates() -> None:
    shot = read_shot(document())
    assert (shot.size, shot.fps, shot.frames) == ((64, 48), 24, range(8))
    own = read_shot(document(format={"height": 40, "fps": 30}, range={"last": 99}))
    assert (own.size, own.fps, own.frames) == ((64, 40), 30, range(8))
    assert read_shot(document(range={"first": 2, "last": 5})).frames == range(2, 6)


def test_a_range_that_ends_before_it_begins_is_refused() -> None:
    with pytest.raises(RecipeError, match="before its first frame"):
        read_shot(document(range={"first": 5, "last": 2}))


def test_a_smaller_frame_is_cut_out_of_the_plates_middle_pixel_by_pixel() -> None:
    whole = shown(document(planes=[PLATE]))
    part = shown(document(planes=[PLATE], format={"width": 40, "height": 32}))
    assert part.shape == (32, 40, 3)
    assert np.abs(part.astype(int) - whole[8:40, 12:52]).max() <= 1


def test_a_larger_frame_has_the_plate_in_its_middle_and_gates_lie_with_it() -> None:
    fill = {"id": "f", "name": "Fill", "kind": "fill", "params": {"colour1": [1, 1, 1]},
            "gate": {"matte": "m1", "part": "inside"}}  # fmt: skip
    raw = document(planes=[fill, PLATE], format={"width": 80, "height": 64})
    found, plain = shown(raw), shown(document(planes=[PLATE]))
    assert found.shape == (64, 80, 3)
    assert found[:8].max() == 0, "nothing lies beyond the plate"
    box = FakeSources().box(2) > 0.5
    inner = found[8:56, 8:72]
    assert (inner[box] > 250).all()
    assert np.abs(inner[~box].astype(int) - plain[~box]).max() <= 1


def test_views_of_the_plate_and_of_mattes_stay_as_large_as_the_plate() -> None:
    stand = Stand(read_shot(document(format={"width": 40})), FakeSources(), 0.5)
    assert size_of(stand, ResultView()) == (24, 20)
    assert size_of(stand, MatteView(matte="m1", edged=False)) == (24, 32)
    for wanted in (ResultView(), MatteView(matte="m1"), PlateView(), PlaneView(plane="p2"), VeilView(matte="m1")):
        assert work_out(view(stand, wanted, 1), Cache(1 << 28)).shape[:2] == size_of(stand, wanted)


def test_other_footage_fits_the_frame_and_half_the_size_looks_alike() -> None:
    element = {"id": "e", "name": "E", "kind": "element", "params": {"footage": "2"}}
    raw = document(planes=[element], footage=[footage(), footage(32, 24, 5, "2")], format={"width": 96, "height": 48})
    full, half = shown(raw), shown(raw, scale=0.5)
    assert full.shape == (48, 96, 3)
    assert full.min(axis=(0, 1)).max() < 255
    small = full.reshape(24, 2, 48, 2, 3).mean(axis=(1, 3))
    assert np.abs(half - small).mean() < 6


def test_the_rate_is_the_shots_for_all_that_counts_seconds() -> None:
    def across(fps: float | None) -> list[Any]:
        cut = {**PLATE, "placement": {"x": {"drive": "rate", "base": 0, "amount": 24}}}
        stand = Stand(read_shot(document(planes=[cut], format={"fps": fps})), FakeSources())
        return [stand.alone(stand.shot.planes[0], frame).key for frame in (0, 4)]

    assert across(None) != across(48)
    # the plate's frames are the shot's, whatever the rate
    fast = document(planes=[PLATE], format={"fps": 48})
    assert np.array_equal(shown(fast, 5), shown(document(planes=[PLATE]), 5))
    assert np.abs(decode(FakeSources().plate(5))[..., :3].mean() - decode(shown(fast, 5))[..., :3].mean()) < 1e-3


def test_following_keeps_to_the_range() -> None:
    pictures, truths = sliding(9)
    way = FollowPass(pictures.__getitem__, 9, held({3: truths[3]}), 3, 1, Settings(), within=range(1, 7))
    assert [came.frame.number for came in way] == [4, 5, 6]
    assert way.outcome == "end"
    back = FollowPass(pictures.__getitem__, 9, held({3: truths[3]}), 3, -1, Settings(), within=range(1, 7))
    assert [came.frame.number for came in back] == [2, 1]
    # a touched frame beyond it is not followed to
    both = FollowPass(pictures.__getitem__, 9, held({3: truths[3], 8: truths[8]}), 3, 1, Settings(), within=range(1, 7))
    assert [came.frame.number for came in both] == [4, 5, 6]
    assert list(FollowPass(pictures.__getitem__, 9, held({6: truths[6]}), 6, 1, Settings(), within=range(1, 7))) == []
