"""Pairs that the difference key's network learns from: flat pieces before a picture, solid figures in a solid place."""

import numpy as np
import pytest
from training.collect_difference import pair, photographed

from cuvrel.core.keys.difference_clues import FIRST, SECOND
from training import collect_staged as staged


@pytest.fixture(scope="module")
def shown() -> list[tuple[np.ndarray, np.ndarray, np.ndarray]]:
    return staged.pairs(np.random.default_rng(12), 2)


def test_what_is_staged_is_what_differs_from_the_clean_plate(
    shown: list[tuple[np.ndarray, np.ndarray, np.ndarray]],
) -> None:
    for frame, clean, truth in shown:
        assert frame.shape == clean.shape == (360, 640, 3)
        assert frame.dtype == clean.dtype == np.uint8
        assert truth.shape == (360, 640)
        assert 0 <= truth.min() < truth.max() <= 1 + 1e-6
        apart = np.abs(frame.astype(np.float32) - clean).mean(axis=2)
        apart = np.abs(apart - np.median(apart[truth < 0.01]))
        assert apart[truth > 0.99].mean() > 2 * apart[truth < 0.01].mean()


def test_one_stage_has_one_place_and_other_people_in_other_light(
    shown: list[tuple[np.ndarray, np.ndarray, np.ndarray]],
) -> None:
    (_, clean, truth), (_, other, another) = shown
    grey = [one.mean(axis=2).ravel() for one in (clean, other)]
    assert np.corrcoef(*grey)[0, 1] > 0.9
    assert (np.abs(truth - another) > 0.5).sum() > 300


def test_pairs_are_the_same_by_the_same_seed() -> None:
    for make in (pair, lambda rng: staged.pairs(rng, 1)[0]):
        for one, same in zip(make(np.random.default_rng(3)), make(np.random.default_rng(3)), strict=True):
            assert np.array_equal(one, same)


def test_a_camera_makes_two_alike_pictures_of_one_place() -> None:
    light = np.tile(np.linspace(0.02, 0.6, 640, dtype=np.float32)[None, :, None], (360, 1, 3))
    frame, clean = photographed(np.random.default_rng(5), light, light)
    rows = [np.median(one.mean(axis=2), axis=0) for one in (frame, clean)]
    assert np.corrcoef(*rows)[0, 1] > 0.99


@pytest.mark.parametrize(("look", "planes"), [("first", FIRST), ("second", SECOND)])
def test_a_stage_gives_samples_of_either_look(look: str, planes: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(staged, "PAIRS", 2)
    samples = staged.gather(7, look)
    assert len(samples) == 2
    for stack, truth in samples:
        assert stack.dtype == np.int8
        assert len(stack) == planes
        assert truth.shape == (2 * stack.shape[1], 2 * stack.shape[2])
