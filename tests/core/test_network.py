"""Networks see a picture and its mirror image alike."""

from __future__ import annotations

import numpy as np

from cuvrel.core.imaging.network import SURELY, mirrored, quarters
from cuvrel.core.keys import plate_comparison
from cuvrel.core.keys.difference_clues import QUARTERS, SECOND


def test_a_mirrored_stack_is_that_of_mirrored_planes() -> None:
    rng = np.random.default_rng(5)
    full = [rng.uniform(-1, 1, (12, 20)).astype(np.float32) for _ in range(3)]
    half = rng.uniform(-1, 1, (2, 6, 10)).astype(np.float32)
    stack = np.concatenate([quarters(full), half])
    other = np.concatenate([quarters([plane[:, ::-1] for plane in full]), half[:, :, ::-1]])
    np.testing.assert_array_equal(mirrored(stack, 12), other)
    np.testing.assert_array_equal(mirrored(mirrored(stack, 12), 12), stack)


def test_both_ways_the_answer_to_a_mirror_image_is_the_mirrored_answer() -> None:
    rng = np.random.default_rng(6)
    stack = rng.uniform(-1, 1, (SECOND, 48, 64)).astype(np.float32)
    network = plate_comparison.network(second=True)
    once = network.both_ways(stack, QUARTERS)
    assert once.shape == (96, 128)
    assert np.abs(once).max() <= SURELY
    np.testing.assert_allclose(network.both_ways(mirrored(stack, QUARTERS), QUARTERS), once[:, ::-1], atol=1e-4)
    one, other = network.odds(stack), network.odds(mirrored(stack, QUARTERS))[:, ::-1]
    assert np.abs(one - other).max() > 1e-3, "which one look alone does not give"
    np.testing.assert_allclose(once, (one + other) / 2, atol=1e-5)
