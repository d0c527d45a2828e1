"""The small network: an hourglass that weighs planes of evidence, (N, C, h, w), into log odds at twice that size."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
import onnx
import torch
from onnx import numpy_helper
from torch import Tensor, nn
from torch.nn import functional as F

WIDTHS = (20, 32, 48, 64, 96)


def _conv(inside: int, outside: int, stride: int = 1) -> nn.Sequential:
    return nn.Sequential(
        nn.Conv2d(inside, outside, 3, stride, 1, bias=False), nn.BatchNorm2d(outside), nn.ReLU(inplace=True)
    )


class Weigher(nn.Module):
    """Four sizes down or five, and up again, skips by addition; four outputs a pixel are the four quarters of it."""

    def __init__(self, planes: int, sizes: int = len(WIDTHS), widths: Sequence[int] = WIDTHS) -> None:
        super().__init__()
        a, b, c, d, e = widths
        self.deep = sizes == len(WIDTHS)
        self.first = _conv(planes, a)
        self.down1 = nn.Sequential(_conv(a, b, 2), _conv(b, b))
        self.down2 = nn.Sequential(_conv(b, c, 2), _conv(c, c))
        self.down3 = nn.Sequential(_conv(c, d, 2), _conv(d, d), _conv(d, d))
        if self.deep:
            self.down4 = nn.Sequential(_conv(d, e, 2), _conv(e, e), _conv(e, e))
            self.side4, self.up3 = nn.Conv2d(e, d, 1), nn.Sequential(_conv(d, d), nn.Conv2d(d, d, 1))
            for part in (self.side4, self.up3[1]):  # the coarsest size begins by changing nothing
                nn.init.zeros_(part.weight)
                nn.init.zeros_(part.bias)
        self.side3, self.up2 = nn.Conv2d(d, c, 1), _conv(c, c)
        self.side2, self.up1 = nn.Conv2d(c, b, 1), _conv(b, b)
        self.side1, self.up0 = nn.Conv2d(b, a, 1), _conv(a, a)
        self.last = nn.Conv2d(a, 4, 1)

    def forward(self, x: Tensor) -> Tensor:
        """(N, C, h, w) to (N, 4, h, w); h and w are multiples of 16, or of 8 with four sizes."""
        one = self.first(x)
        two = self.down1(one)
        three = self.down2(two)
        four = self.down3(three)
        if self.deep:
            four = four + _twice(self.side4(self.down4(four)))
            four = four + self.up3(four)
        three = self.up2(three + _twice(self.side3(four)))
        two = self.up1(two + _twice(self.side2(three)))
        one = self.up0(one + _twice(self.side1(two)))
        return self.last(one)


def _twice(x: Tensor) -> Tensor:
    return F.interpolate(x, scale_factor=2.0, mode="bilinear", align_corners=False)


def convolutions(graph: onnx.GraphProto) -> dict[str, tuple[onnx.TensorProto, onnx.TensorProto]]:
    """An exported network's weights and biases by the convolution's name."""
    stored = {one.name: one for one in graph.initializer}
    return {
        node.name.split("/")[-2]: (stored[node.input[1]], stored[node.input[2]])
        for node in graph.node
        if node.op_type == "Conv"
    }


def widened(weight: np.ndarray, planes: int, new: int | None = None, last: int = 0) -> np.ndarray:
    """A convolution's weights, (out, in, h, w), for as many planes as are read now; unknown ones weigh nothing.

    new: the first of the planes that it did not know, if they are not the last ones; `last` of them are those still.
    """
    known = weight.shape[1]
    last = min(last, planes - known)
    return np.insert(weight, [known if new is None else new] * (planes - known - last) + [known] * last, 0, axis=1)


def resume(net: Weigher, path: Path, planes: Tensor, new: int | None = None, last: int = 0) -> None:
    """Takes over the weights of an exported network, whose normalisation is folded into its convolutions.

    What the network has and the file has not keeps its first values; where it is wider than the file's, what the file
    has does not read what is new. planes: some of what it will read, (N, C, h, w), from which the normalisation is set
    so that it changes nothing. new, last: as for `widened`.
    """
    folded: dict[str, Tensor] = {}
    modules = dict(net.named_modules())
    for name, stored in convolutions(onnx.load(str(path)).graph).items():
        if name not in modules:  # of a size that is given up
            continue
        conv = modules[name]
        assert isinstance(conv, nn.Conv2d)
        weight, bias = (numpy_helper.to_array(one) for one in stored)
        bias = torch.from_numpy(bias.copy())
        with torch.no_grad():
            if name == "first.0":
                weight = widened(weight, conv.weight.shape[1], new, last)
            outside, inside = weight.shape[:2]
            conv.weight[:outside] = 0
            conv.weight[:outside, :inside] = torch.from_numpy(weight.copy())
            if conv.bias is None:
                folded[name.rsplit(".", 1)[0] + ".1"] = bias
            else:
                conv.bias[:outside] = bias

    def calm(name: str) -> Callable[[nn.Module, tuple[Tensor, ...]], None]:
        def seen(module: nn.Module, given: tuple[Tensor, ...]) -> None:
            assert isinstance(module, nn.BatchNorm2d)
            mean, var = given[0].mean((0, 2, 3)), given[0].var((0, 2, 3), unbiased=False)
            with torch.no_grad():
                module.running_mean.copy_(mean)
                module.running_var.copy_(var)
                if name in folded:
                    old = slice(len(folded[name]))
                    module.weight[old] = (var + module.eps).sqrt()[old]
                    module.bias[old] = mean[old] + folded[name]

        return seen

    hooks = [m.register_forward_pre_hook(calm(n)) for n, m in modules.items() if isinstance(m, nn.BatchNorm2d)]
    with torch.no_grad():
        net.train()(planes)
    for hook in hooks:
        hook.remove()


def export(net: Weigher, planes: int, path: Path) -> None:
    """Writes the network as ONNX for any size."""
    net.eval()
    torch.onnx.export(
        net, (torch.zeros(1, planes, 64, 96),), str(path), input_names=["planes"], output_names=["odds"],
        dynamic_axes={"planes": {2: "h", 3: "w"}, "odds": {2: "h", 3: "w"}}, opset_version=13, dynamo=False,
    )  # fmt: skip
    print(f"{path.name}: {sum(p.numel() for p in net.parameters())} weights, {path.stat().st_size // 1000} kB")
