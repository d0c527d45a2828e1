"""The small network: an hourglass that weighs planes of evidence, (N, C, h, w), into log odds at twice that size."""

from __future__ import annotations

from pathlib import Path

import torch
from torch import Tensor, nn
from torch.nn import functional as F

WIDTHS = (20, 32, 48, 64)


def _conv(inside: int, outside: int, stride: int = 1) -> nn.Sequential:
    return nn.Sequential(
        nn.Conv2d(inside, outside, 3, stride, 1, bias=False), nn.BatchNorm2d(outside), nn.ReLU(inplace=True)
    )


class Weigher(nn.Module):
    """Four sizes down, four up, skips by addition; four outputs a pixel are the four quarters of it."""

    def __init__(self, planes: int, widths: tuple[int, ...] = WIDTHS) -> None:
        super().__init__()
        a, b, c, d = widths
        self.first = _conv(planes, a)
        self.down1 = nn.Sequential(_conv(a, b, 2), _conv(b, b))
        self.down2 = nn.Sequential(_conv(b, c, 2), _conv(c, c))
        self.down3 = nn.Sequential(_conv(c, d, 2), _conv(d, d), _conv(d, d))
        self.side3, self.up2 = nn.Conv2d(d, c, 1), _conv(c, c)
        self.side2, self.up1 = nn.Conv2d(c, b, 1), _conv(b, b)
        self.side1, self.up0 = nn.Conv2d(b, a, 1), _conv(a, a)
        self.last = nn.Conv2d(a, 4, 1)

    def forward(self, x: Tensor) -> Tensor:
        """(N, C, h, w) to (N, 4, h, w); h and w are multiples of 8."""
        one = self.first(x)
        two = self.down1(one)
        three = self.down2(two)
        four = self.down3(three)
        three = self.up2(three + _twice(self.side3(four)))
        two = self.up1(two + _twice(self.side2(three)))
        one = self.up0(one + _twice(self.side1(two)))
        return self.last(one)


def _twice(x: Tensor) -> Tensor:
    return F.interpolate(x, scale_factor=2.0, mode="bilinear", align_corners=False)


def export(net: Weigher, planes: int, path: Path) -> None:
    """Writes the network as ONNX for any size."""
    net.eval()
    torch.onnx.export(
        net, (torch.zeros(1, planes, 64, 96),), str(path), input_names=["planes"], output_names=["odds"],
        dynamic_axes={"planes": {2: "h", 3: "w"}, "odds": {2: "h", 3: "w"}}, opset_version=13, dynamo=False,
    )  # fmt: skip
    print(f"{path.name}: {sum(p.numel() for p in net.parameters())} weights, {path.stat().st_size // 1000} kB")
