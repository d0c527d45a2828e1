"""A network in 8 bits, as it ships: `python -m training quantise NET.onnx SAMPLES OUT.onnx`.

Weights keep 7 bits, since processors without VNNI add two products in 16 bits, which would overflow with 8
(Jacob et al., Quantization and Training of Neural Networks for Efficient Integer-Arithmetic-Only Inference,
CVPR 2018; ONNX Runtime's static quantisation with measured ranges).
"""

from __future__ import annotations

import argparse
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np
from onnxruntime.quantization import CalibrationDataReader, QuantFormat, QuantType, quantize_static
from onnxruntime.quantization.shape_inference import quant_pre_process

from cuvrel.core.arrays import F32
from cuvrel.core.checks.quality import overlap
from cuvrel.core.imaging.network import Network

STEP = 16  # the sides of what a network reads are multiples of it
MEASURED = 40  # samples from which ranges are taken
TESTED = 60  # others on which both networks answer


def planes(file: Path) -> tuple[F32, F32]:
    """A sample's stack, (1, C, h, w), and its truth, (2h, 2w), 0 to 1."""
    with np.load(file) as data:
        stack, truth = data["stack"], data["truth"]
    h, w = (side // STEP * STEP for side in stack.shape[1:])
    return stack[None, :, :h, :w].astype(np.float32) / 127, truth[: 2 * h, : 2 * w].astype(np.float32) / 255


class Samples(CalibrationDataReader):  # type: ignore[misc]
    """Hands out stacks one by one."""

    def __init__(self, files: list[Path]) -> None:
        self._stacks: Iterator[F32] = (planes(file)[0] for file in files)

    def get_next(self) -> dict[str, F32] | None:
        """The next one by the input's name, or None."""
        stack = next(self._stacks, None)
        return None if stack is None else {"planes": stack}


def large(files: list[Path]) -> list[Path]:
    """Of samples those that a network can read."""
    return [file for file in files if min(np.load(file)["stack"].shape[1:]) >= STEP]


def told(net: Path, files: list[Path]) -> tuple[float, float]:
    """Mean cross-entropy and mean overlap at one half."""
    network = Network(net, STEP)
    losses, overlaps = [], []
    for file in files:
        stack, truth = planes(file)
        odds = network.odds(stack[0])
        losses.append(float((np.logaddexp(0, odds) - truth * odds).mean()))
        overlaps.append(overlap(odds + np.float32(0.5), truth))
    return float(np.mean(losses)), float(np.mean(overlaps))


def main(arguments: Sequence[str] | None = None) -> None:
    """Reads the command line, writes the small network and says what both tell of samples not measured."""
    parser = argparse.ArgumentParser("python -m training quantise", description="Write a network in 8 bits.")
    parser.add_argument("net", type=Path)
    parser.add_argument("folder", type=Path)
    parser.add_argument("out", type=Path)
    given = parser.parse_args(arguments)
    files = large(sorted(given.folder.glob("*.npz")))
    measured = files[:: max(2, len(files) // MEASURED)]
    tested = sorted(set(files) - set(measured))
    with tempfile.TemporaryDirectory() as folder:
        ready = Path(folder) / "ready.onnx"
        quant_pre_process(str(given.net), str(ready), skip_symbolic_shape=True)
        quantize_static(
            str(ready), str(given.out), Samples(measured), quant_format=QuantFormat.QDQ, per_channel=True,
            reduce_range=True, activation_type=QuantType.QUInt8, weight_type=QuantType.QInt8,
        )  # fmt: skip
    for net in (given.net, given.out):
        loss, shared = told(net, tested[:: max(1, len(tested) // TESTED)])
        print(f"{net.name}: loss {loss:.4f}, overlap {shared:.4f}, {net.stat().st_size // 1000} kB")
