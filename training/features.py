"""Lets a network tell what its last layer weighs: `python -m training features NET.onnx SAMPLES OUT.onnx`.

A second output, "told", has those planes, each by how far it spreads over samples, so that one prior fits them
all (`core/follow/adaptation.py`). For networks in 8 bits and others.
"""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import onnx
import onnxruntime
from onnx import TensorProto, helper, numpy_helper

from cuvrel.core.arrays import F32
from cuvrel.core.follow.adaptation import UNSURE
from training.quantise import large, planes

MEASURED = 200  # samples over which the planes' spread is taken,
UNSURE_PLACES, OTHERS = 500, 250  # places of each where the network is unsure, and others


def weighed(model: onnx.ModelProto) -> str:
    """The name of what the last convolution reads."""
    return str([node for node in model.graph.node if node.op_type == "Conv"][-1].input[0])


def telling(model: onnx.ModelProto, spread: F32) -> onnx.ModelProto:
    """A copy of a network with the second output. spread: (T,), by which its planes are divided."""
    model = onnx.ModelProto.FromString(model.SerializeToString())
    graph = model.graph
    graph.initializer.append(numpy_helper.from_array(np.float32(1) / spread[None, :, None, None], "told.scale"))
    graph.node.append(helper.make_node("Mul", [weighed(model), "told.scale"], ["told"], name="told"))
    graph.output.append(helper.make_tensor_value_info("told", TensorProto.FLOAT, [1, "deep", "h", "w"]))
    onnx.checker.check_model(model)
    return model


def spread(model: onnx.ModelProto, files: list[Path]) -> F32:
    """The standard deviation over samples of each plane that the last layer weighs, (T,) float32."""
    network = onnxruntime.InferenceSession(telling(model, np.ones(1, np.float32)).SerializeToString())
    rng = np.random.default_rng(0)
    seen = []
    for file in files:
        odds, told = (one[0] for one in network.run(["odds", "told"], {"planes": planes(file)[0]}))
        unsure = (np.abs(odds).min(0) < UNSURE).ravel()
        for some, most in ((unsure, UNSURE_PLACES), (~unsure, OTHERS)):
            places = np.flatnonzero(some)
            seen.append(told.reshape(len(told), -1)[:, rng.choice(places, min(most, len(places)), replace=False)])
    return np.concatenate(seen, 1).std(1) + np.float32(0.01)


def main(arguments: Sequence[str] | None = None) -> None:
    """Reads the command line and writes the network that tells."""
    parser = argparse.ArgumentParser(
        "python -m training features", description="Let a network tell what its last layer weighs."
    )
    parser.add_argument("net", type=Path)
    parser.add_argument("folder", type=Path, nargs="+")
    parser.add_argument("out", type=Path)
    given = parser.parse_args(arguments)
    files = sorted(file for folder in given.folder for file in folder.glob("*.npz"))
    model = onnx.load(str(given.net))
    found = spread(model, large(files[:: max(1, len(files) // MEASURED)]))
    onnx.save(telling(model, found), str(given.out))
    print(f"{given.out.name}: {len(found)} planes, spread {found.min():.2f} to {found.max():.2f}")
