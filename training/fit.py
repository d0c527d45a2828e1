"""Trains a network on gathered samples: `python -m training.fit FOLDER OUT.onnx --minutes 30 [--start FROM.onnx]`."""

from __future__ import annotations

import argparse
import time
from pathlib import Path

import numpy as np
import torch
from torch import Tensor
from torch.nn import functional as F

from training.net import Weigher, export, resume

WINDOW = (96, 128)  # at the planes' size
SLOTS = 4 * 3  # planes that are the picture's


Sample = tuple[np.ndarray, np.ndarray, np.ndarray]


def load(folder: Path) -> list[Sample]:
    """All samples of a folder, in memory: stack, truth at twice its size, and where the answer counts."""
    out = []
    for file in sorted(folder.glob("*.npz")):
        with np.load(file) as data:
            stack = data["stack"]
            free = data["free"] if "free" in data else np.full(stack.shape[1:], 255, np.uint8)
            out.append((stack, data["truth"], free))
    return out


def window(rng: np.random.Generator, stack: np.ndarray, truth: np.ndarray, free: np.ndarray) -> Sample:
    """A cut of WINDOW out of a sample."""
    h, w = WINDOW
    _, sh, sw = stack.shape
    if sh < h or sw < w:
        pad = (max(0, h - sh), max(0, w - sw))
        stack = np.pad(stack, ((0, 0), (0, pad[0]), (0, pad[1])), mode="edge")
        truth = np.pad(truth, ((0, 2 * pad[0]), (0, 2 * pad[1])), mode="edge")
        free = np.pad(free, ((0, pad[0]), (0, pad[1])), mode="constant")
        _, sh, sw = stack.shape
    # rather where the outline is
    edge = np.argwhere(np.abs(np.diff(truth[::8, ::8].astype(np.int16), axis=1)) > 100)
    if len(edge) and rng.uniform() < 0.8:
        cy, cx = edge[rng.integers(0, len(edge))] * 4
        y = int(np.clip(cy - rng.integers(h // 4, 3 * h // 4), 0, sh - h))
        x = int(np.clip(cx - rng.integers(w // 4, 3 * w // 4), 0, sw - w))
    else:
        y, x = int(rng.integers(0, sh - h + 1)), int(rng.integers(0, sw - w + 1))
    truth = truth[2 * y : 2 * (y + h), 2 * x : 2 * (x + w)]
    return stack[:, y : y + h, x : x + w], truth, free[y : y + h, x : x + w]


def loss_of(odds: Tensor, truth: Tensor, free: Tensor) -> Tensor:
    """Cross-entropy, heavier about the outline, and a share of the soft overlap's complement."""
    mixed = F.avg_pool2d(truth, 8)
    near = F.interpolate(((mixed > 0.02) & (mixed < 0.98)).float(), scale_factor=8.0)
    each = F.binary_cross_entropy_with_logits(odds, truth, reduction="none")
    free = F.interpolate(free, scale_factor=2.0)
    cross = (each * (1 + 2 * near) * free).mean()
    p, truth = torch.sigmoid(odds) * free, truth * free
    both = (p * truth).sum((1, 2, 3))
    overlap = (both + 1) / (p.sum((1, 2, 3)) + truth.sum((1, 2, 3)) - both + 1)
    return cross + 0.15 * (1 - overlap).mean()


def mirrored(stack: np.ndarray, truth: np.ndarray, free: np.ndarray, quarters: int) -> Sample:
    """Left and right exchanged. quarters: how many of the first planes are quarters of full-size ones."""
    order = np.arange(len(stack))
    order[:quarters] ^= 1
    return stack[order][..., ::-1], truth[:, ::-1], free[:, ::-1]


def batch(rng: np.random.Generator, samples: list[Sample], size: int, quarters: int) -> tuple[Tensor, Tensor, Tensor]:
    """Stacks (N, C, h, w), truths (N, 1, 2h, 2w), and where they count, (N, 1, h, w)."""
    picked = [window(rng, *samples[rng.integers(0, len(samples))]) for _ in range(size)]
    picked = [mirrored(*one, quarters) if rng.uniform() < 0.5 else one for one in picked]
    x = torch.from_numpy(np.stack([p[0] for p in picked])).float().contiguous(memory_format=torch.channels_last) / 127
    y = torch.from_numpy(np.stack([p[1] for p in picked])).float()[:, None] / 255
    free = torch.from_numpy(np.stack([p[2] for p in picked])).float()[:, None] / 255
    # other light and other colours: the picture's planes are shifted together
    x[:, :SLOTS] = x[:, :SLOTS] * (1 + 0.2 * torch.randn(size, 1, 1, 1)) + 0.1 * torch.randn(size, 1, 1, 1)
    return x, y, free


def score(net: Weigher, samples: list[Sample], quarters: int) -> tuple[float, float]:
    """Mean loss and mean overlap at one half over windows that are the same each time."""
    rng = np.random.default_rng(5)
    net.eval()
    losses, overlaps = [], []
    with torch.no_grad():
        for _ in range(16):
            x, y, free = batch(rng, samples, 16, quarters)
            odds = F.pixel_shuffle(net(x), 2)
            losses.append(float(loss_of(odds, y, free)))
            known = F.interpolate(free, scale_factor=2.0) > 0.5
            a, b = (odds > 0) & known, (y > 0.5) & known
            overlaps.append(float(((a & b).sum((1, 2, 3)) + 1).div((a | b).sum((1, 2, 3)) + 1).mean()))
    net.train()
    return float(np.mean(losses)), float(np.mean(overlaps))


def main() -> None:
    """Reads the command line and trains for a given time, at a rate that falls to nothing."""
    parser = argparse.ArgumentParser(description="Train a weigher of evidence.")
    parser.add_argument("folder", type=Path, nargs="+")
    parser.add_argument("out", type=Path)
    parser.add_argument("--minutes", type=float, default=30)
    parser.add_argument("--batch", type=int, default=12)
    parser.add_argument("--rate", type=float, default=2e-3)
    parser.add_argument("--start", type=Path)
    parser.add_argument("--quarters", type=int, default=20, help="planes that are quarters of full-size ones")
    parser.add_argument(
        "--sizes", type=int, default=5, choices=(4, 5), help="how often the picture is halved, and once"
    )
    given = parser.parse_args()
    torch.manual_seed(1)
    rng = np.random.default_rng(1)
    samples = [s for folder in given.folder for s in load(folder)]
    held = samples[-(len(samples) // 20) :]
    samples = samples[: -len(held)]
    planes = samples[0][0].shape[0]
    net = Weigher(planes, given.sizes).to(memory_format=torch.channels_last)
    if given.start:
        resume(net, given.start, batch(rng, samples, 48, given.quarters)[0])
        print(f"as it is: held {score(net, held, given.quarters)}", flush=True)
    print(f"{len(samples)} samples, {planes} planes", flush=True)
    optimiser = torch.optim.AdamW(net.parameters(), lr=given.rate, weight_decay=1e-4)
    begun, step, running = time.time(), 0, 0.0
    while (share := (time.time() - begun) / (60 * given.minutes)) < 1:
        rate = given.rate * min(1.0, step / 100 + 0.05) * 0.5 * (1 + np.cos(np.pi * share))
        for group in optimiser.param_groups:
            group["lr"] = rate
        x, y, free = batch(rng, samples, given.batch, given.quarters)
        loss = loss_of(F.pixel_shuffle(net(x), 2), y, free)
        optimiser.zero_grad()
        loss.backward()
        torch.nn.utils.clip_grad_norm_(net.parameters(), 2.0)
        optimiser.step()
        now = float(loss.detach())
        running = now if step == 0 else 0.99 * running + 0.01 * now
        step += 1
        if step % 100 == 0:
            print(f"{step} steps, {share:.0%}: loss {running:.4f}, held {score(net, held, given.quarters)}", flush=True)
    print(f"{step} steps; held {score(net, held, given.quarters)}", flush=True)
    export(net, planes, given.out)


if __name__ == "__main__":
    main()
