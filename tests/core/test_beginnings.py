"""A key that is tried out takes something of the frame, and its small picture is the whole one made small."""

from __future__ import annotations

import numpy as np
import pytest

from cuvrel.core.keys.beginning import colour_begun, luma_begun
from cuvrel.core.keys.colour_key import ColourKeyParams
from cuvrel.core.media.reader import resized
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.context import Context
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.values import Env
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.tries import tries, with_beginnings
from cuvrel.core.stand.view_kinds import MatteTarget, PullTry
from cuvrel.core.stand.views import TRIED_WIDTH, view
from tests.recipes import FakeSources, document, footage


def scene() -> np.ndarray:
    """Grey ground with noise, a green thing and a smaller, paler red one; a lamp."""
    rng = np.random.default_rng(2)
    out = np.clip(rng.normal(95, 6, (120, 160, 3)), 0, 255).astype(np.uint8)
    out[30:80, 20:60] = (40, 170, 60)
    out[90:110, 100:130] = (150, 90, 85)
    out[8:20, 130:150] = 250
    return out


def keyed(kind: str, params: dict[str, float], rgb: np.ndarray) -> np.ndarray:
    entry = declared("pull", kind)
    return np.asarray(entry.run(rgb, entry.read(dict(params)).at(Env(0, 24)), Context(1.0)))


def test_a_luma_key_begins_with_the_lights_or_with_the_few_darks() -> None:
    rgb = scene()
    found = keyed("luma_key", luma_begun(rgb), rgb)
    assert found[10:18, 132:148].min() > 0.9
    assert found[85:].mean() < 0.1
    dark = keyed("luma_key", luma_begun(255 - rgb), 255 - rgb)
    assert dark[10:18, 132:148].min() > 0.9


def test_a_colour_key_begins_with_what_is_covered_or_most_colourful() -> None:
    rgb = scene()
    found = keyed("colour_key", colour_begun(rgb, None), rgb)
    assert found[35:75, 25:55].min() > 0.9
    assert found[85:].mean() < 0.1
    cover = np.zeros(rgb.shape[:2], np.float32)
    cover[92:108, 102:128] = 1
    red = keyed("colour_key", colour_begun(rgb, cover), rgb)
    assert red[92:108, 102:128].mean() > 0.9
    assert red[35:75, 25:55].max() < 0.1
    assert colour_begun(np.full((40, 60, 3), 120, np.uint8), None) == {}
    assert ColourKeyParams.model_validate(colour_begun(rgb, None))


class Sharp(FakeSources):
    """A plate of fine lines, which a small picture of it has not."""

    def plate(self, frame: int) -> np.ndarray:
        y, x = np.mgrid[0 : self.height, 0 : self.width]
        on = ((x // 2 + y // 3) % 2 == 0)[..., None]
        return np.where(on, 240, 20).repeat(3, 2).astype(np.uint8)


def test_a_small_try_is_the_larger_one_made_small() -> None:
    shot = read_shot(document(footage=[footage(960, 540)]))
    wanted, cache = PullTry(matte="m1", pull="luma_key"), Cache(1 << 27)
    sources = Sharp(960, 540)
    small = work_out(view(Stand(shot, sources, 120 / 960), wanted, 2), cache)
    large = work_out(view(Stand(shot, sources, TRIED_WIDTH / 960), wanted, 2), cache)
    assert np.array_equal(small, resized(large, small.shape[:2]))


def test_a_try_takes_the_place_of_a_trace_that_nothing_was_done_with() -> None:
    size = (48, 64)
    wanted = PullTry(matte="m1", pull="luma_key", params={"low": 0.0, "soft_low": 0.0})
    plain = resized(FakeSources().plate(2), size)
    for missing, whole in ((set(range(8)), True), (set[int](), False)):
        stand = Stand(read_shot(document()), FakeSources(missing=missing))
        seen = work_out(view(stand, wanted, 2), Cache(1 << 26))
        # all of the picture is keyed: with a trace it is confined to that
        changed = np.abs(seen.astype(int) - plain).max(axis=2) > 8
        assert (changed[2:6, 2:6].mean() > 0.5) == whole


def test_tries_of_pulls_say_what_they_begin_with() -> None:
    stand = Stand(read_shot(document()), FakeSources())
    target = MatteTarget(matte="m1")
    found = dict(with_beginnings(stand, target, list(tries(stand.shot, target)), 3, Cache(1 << 26)))
    key = found["luma_key"]
    assert isinstance(key, PullTry)
    assert key.params == luma_begun(FakeSources().plate(3), FakeSources().box(3))
    with pytest.raises(KeyError):
        dict(with_beginnings(stand, MatteTarget(matte="none"), [], 3, Cache(1 << 26)))
