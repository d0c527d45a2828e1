"""A mix of two rounds of a network: `python -m training mix FIRST.onnx SECOND.onnx OUT.onnx --share 0.5`.

A round that began with another one lies near it, and between the two a network is often better than
either (Wortsman et al., Robust fine-tuning of zero-shot models, CVPR 2022).
"""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import onnx
from onnx import numpy_helper

from training.net import convolutions, widened


def mixed(
    first: onnx.ModelProto, second: onnx.ModelProto, share: float, fresh: int | None = None, last: int = 0
) -> onnx.ModelProto:
    """The second network with weights `share` of the way from the first's, 0 to 1.

    A plane that the first does not read counts there as one of no weight. fresh: the first of those planes, if they
    are not the last ones; `last` of them are those still. Raises KeyError where the second has a size that the first
    has not.
    """
    before = convolutions(first.graph)
    for name, tensors in convolutions(second.graph).items():
        for old, new in zip(before[name], tensors, strict=True):
            a, b = numpy_helper.to_array(old), numpy_helper.to_array(new)
            start = widened(a, b.shape[1], fresh, last) if a.ndim == 4 else a
            new.CopyFrom(numpy_helper.from_array(start + np.float32(share) * (b - start), new.name))
    return second


def main(arguments: Sequence[str] | None = None) -> None:
    """Reads the command line, mixes and writes."""
    parser = argparse.ArgumentParser("python -m training mix", description="Mix two rounds of a network.")
    parser.add_argument("first", type=Path)
    parser.add_argument("second", type=Path)
    parser.add_argument("out", type=Path)
    parser.add_argument("--share", type=float, default=0.5, help="how far it goes from the first to the second")
    parser.add_argument("--new", type=int, help="first of the planes that the first network does not know")
    parser.add_argument("--last", type=int, default=0, help="how many of those are the last planes nevertheless")
    given = parser.parse_args(arguments)
    both = (onnx.load(str(one)) for one in (given.first, given.second))
    onnx.save(mixed(*both, given.share, given.new, given.last), str(given.out))
