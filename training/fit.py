"""Trains a network on gathered samples: `python -m training fit FOLDER OUT.onnx --minutes 30 [--start FROM.onnx]`."""

from __future__ import annotations

import argparse
import time
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import torch
from torch import Tensor
from torch.nn import functional as F
from torch.optim.swa_utils import AveragedModel, get_ema_multi_avg_fn

from training.net import WIDTHS, Weigher, export, resume

WINDOW = (96, 128)  # at the planes' size
SLOTS = 4 * 3  # planes that are a picture's
MISSING = 0.2  # share of the windows in which some evidence is missing


Sample = tuple[np.ndarray, np.ndarray, np.ndarray]


def read(file: Path) -> Sample:
    """A sample: stack, truth at twice its size, and where the answer counts.

    Read anew each time, which costs a twentieth of a step: the system keeps in memory what there is room for.
    """
    with np.load(file) as data:
        stack = data["stack"]
        free = data["free"] if "free" in data else np.full(stack.shape[1:], 255, np.uint8)
        return stack, data["truth"], free


def aim(rng: np.random.Generator, truth: np.ndarray) -> tuple[float, float]:
    """The middle of a window, x and y at the planes' size: rather near the outline."""
    h, w = truth.shape[0] // 2, truth.shape[1] // 2
    edge = np.argwhere(np.abs(np.diff(truth[::8, ::8].astype(np.int16), axis=1)) > 100)
    if len(edge) and rng.uniform() < 0.8:
        y, x = edge[rng.integers(0, len(edge))] * 4
        y, x = y + rng.uniform(-0.25, 0.25) * WINDOW[0], x + rng.uniform(-0.25, 0.25) * WINDOW[1]
    else:
        y, x = rng.uniform(0, h), rng.uniform(0, w)
    middle = [
        float(np.clip(at, size / 2, whole - size / 2)) if whole > size else whole / 2
        for at, size, whole in ((y, WINDOW[0], h), (x, WINDOW[1], w))
    ]
    return middle[1], middle[0]


@dataclass(frozen=True)
class Kind:
    """What a network reads: how many of its first planes are quarters of full-size ones, and what tells a glance.

    glance: the plane after the quarters that is -1 where the network looks first, at half the size; if there is one.
    apart: how many of the quarters, the last ones, tell how far the picture is from others, from -1 for nothing.
    lights: how many of them, the last ones before those, are the L of other frames, of the picture's own scale.
    pictures: how many of the first ones are whole pictures of three channels; where it is None, as many as fit.
    """

    quarters: int
    glance: int | None
    lights: int = 0
    apart: int = 0
    pictures: int | None = None

    def far(self, stack: np.ndarray) -> bool:
        """Whether a sample is of a first look."""
        return self.glance is not None and int(stack[self.quarters + self.glance, 0, 0]) < -100


def window(rng: np.random.Generator, sample: Sample, kind: Kind, plain: bool) -> tuple[Tensor, Tensor, Tensor]:
    """A window of a sample: stack (C, h, w), truth (1, 2h, 2w), where it counts (1, h, w).

    plain: cut out and no more; otherwise it is also mirrored, and often turned, scaled and slanted.
    """
    quarters = kind.quarters
    stack, truth, free = sample
    _, h, w = stack.shape
    x, y = aim(rng, truth)
    own = np.eye(2) * (1 + kind.far(stack))
    if not plain:
        if rng.uniform() < 0.7:
            turn, size = rng.normal(0, 0.2), np.exp(rng.normal(0, 0.25))
            own = own @ (size * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]))
            own = own @ np.array([[1, rng.normal(0, 0.08)], [0, np.exp(rng.normal(0, 0.08))]])
        own = own @ np.diag([rng.choice([-1, 1]), 1 if rng.uniform() < 0.8 else -1])
    if np.array_equal(np.abs(own), np.eye(2)):  # keep to whole pixels
        x, y = float(np.round(x)), float(np.round(y))
    # what of the sample the window can touch
    reach = np.abs(own) @ np.array([WINDOW[1], WINDOW[0]]) / 2 + 2
    x0, y0 = (max(0, int(at - r)) for at, r in ((x, reach[0]), (y, reach[1])))
    x1, y1 = min(w, int(x + reach[0]) + 1), min(h, int(y + reach[1]) + 1)
    stack, free = stack[:, y0:y1, x0:x1], free[y0:y1, x0:x1]
    truth = truth[2 * y0 : 2 * y1, 2 * x0 : 2 * x1]
    # from the window's units, -1 to 1, to the part's
    h, w = free.shape
    to = np.diag([2 / w, 2 / h]) @ own @ np.diag([WINDOW[1] / 2, WINDOW[0] / 2])
    theta = torch.from_numpy(np.column_stack([to, [2 * (x - x0) / w - 1, 2 * (y - y0) / h - 1]])).float()[None]
    half = torch.from_numpy(np.concatenate([stack[quarters:].astype(np.float32), free[None].astype(np.float32)]))[None]
    full = F.pixel_shuffle(torch.from_numpy(stack[:quarters].astype(np.float32))[None], 2)
    full = torch.cat([full, torch.from_numpy(truth.astype(np.float32))[None, None]], 1)
    grids = [F.affine_grid(theta, [1, 1, n * WINDOW[0], n * WINDOW[1]], align_corners=False) for n in (1, 2)]
    half, full = (
        F.grid_sample(planes, grid, padding_mode="border", align_corners=False)[0]
        for planes, grid in zip((half, full), grids, strict=True)
    )
    counts = half[-1:] * (grids[0][0].abs().amax(-1) <= 1)[None]  # beyond the sample nothing is known
    return torch.cat([F.pixel_unshuffle(full[:-1], 2), half[:-1]]), full[-1:], counts


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


def batch(
    rng: np.random.Generator, samples: list[Path], size: int, kind: Kind, plain: bool = False
) -> tuple[Tensor, Tensor, Tensor]:
    """Stacks (N, C, h, w), truths (N, 1, 2h, 2w), and where they count, (N, 1, h, w)."""
    picked = [window(rng, read(samples[rng.integers(0, len(samples))]), kind, plain) for _ in range(size)]
    x, y, free = (torch.stack([one[n] for one in picked]) for n in range(3))
    x = x / 127
    if not plain:
        varied(rng, x, kind)
    return x.contiguous(memory_format=torch.channels_last), y / 255, free / 255


def varied(rng: np.random.Generator, x: Tensor, kind: Kind) -> None:
    """Other light, other colours, and evidence that is missing, in place. x: (N, C, h, w)."""
    quarters, lit = kind.quarters, kind.quarters - kind.apart
    plain = lit - kind.lights
    for one in x:
        light, lift, turn = 1 + 0.2 * rng.normal(), 0.1 * rng.normal(), rng.uniform(-np.pi, np.pi)
        turn *= rng.uniform() < 0.5
        for first in range(0, SLOTS * (plain // SLOTS if kind.pictures is None else kind.pictures), SLOTS):
            one[first : first + SLOTS] = one[first : first + SLOTS] * light + lift * (first == 0)
            a, b = one[first + 4 : first + 8].clone(), one[first + 8 : first + 12].clone()
            one[first + 4 : first + 8] = np.cos(turn) * a - np.sin(turn) * b
            one[first + 8 : first + 12] = np.sin(turn) * a + np.cos(turn) * b
        one[plain:lit] = one[plain:lit] * light + lift
        one[lit:quarters] = (one[lit:quarters] + 1) * light - 1
        if rng.uniform() < MISSING:
            for plane in one[quarters + rng.choice(len(one) - quarters, int(rng.integers(1, 4)), replace=False)]:
                plane *= float(plane.std() < 1e-3)  # what says the same everywhere is a state, not evidence


def score(net: Weigher, samples: list[Path], kind: Kind) -> tuple[float, float]:
    """Mean loss and mean overlap at one half over windows that are the same each time."""
    rng = np.random.default_rng(5)
    net.eval()
    losses, overlaps = [], []
    with torch.no_grad():
        for _ in range(16):
            x, y, free = batch(rng, samples, 16, kind, plain=True)
            odds = F.pixel_shuffle(net(x), 2)
            losses.append(float(loss_of(odds, y, free)))
            known = F.interpolate(free, scale_factor=2.0) > 0.5
            a, b = (odds > 0) & known, (y > 0.5) & known
            overlaps.append(float(((a & b).sum((1, 2, 3)) + 1).div((a | b).sum((1, 2, 3)) + 1).mean()))
    net.train()
    return float(np.mean(losses)), float(np.mean(overlaps))


def main(arguments: Sequence[str] | None = None) -> None:
    """Reads the command line and trains for a given time, at a rate that falls to nothing."""
    parser = argparse.ArgumentParser("python -m training fit", description="Train a weigher of evidence.")
    parser.add_argument("folder", type=Path, nargs="+")
    parser.add_argument("out", type=Path)
    parser.add_argument("--minutes", type=float, default=30)
    parser.add_argument("--batch", type=int, default=12)
    parser.add_argument("--rate", type=float, default=2e-3)
    parser.add_argument("--start", type=Path)
    parser.add_argument("--quarters", type=int, default=28, help="planes that are quarters of full-size ones")
    parser.add_argument("--lights", type=int, default=0, help="of those, planes of other frames' light, before --apart")
    parser.add_argument("--apart", type=int, default=0, help="of those, planes of what differs from others, the last")
    parser.add_argument("--pictures", type=int, help="pictures of three channels that they begin with, if not all fit")
    parser.add_argument("--new", type=int, help="first of the planes that the network to start from does not know")
    parser.add_argument("--last", type=int, default=0, help="how many of those are the last planes nevertheless")
    parser.add_argument(
        "--sizes", type=int, default=5, choices=(4, 5), help="how often the picture is halved, and once"
    )
    parser.add_argument("--widths", type=int, nargs=len(WIDTHS), default=WIDTHS, help="planes at each size")
    parser.add_argument("--glance", type=int, help="plane after the quarters that is -1 in a first look, at half size")
    parser.add_argument("--seed", type=int, default=1, help="runs of several seeds can be mixed (training.mix)")
    given = parser.parse_args(arguments)
    kind = Kind(given.quarters, given.glance, given.lights, given.apart, given.pictures)
    torch.manual_seed(given.seed)
    rng = np.random.default_rng(given.seed)
    samples = [file for folder in given.folder for file in sorted(folder.glob("*.npz"))]
    held = samples[-(len(samples) // 20) :]
    samples = samples[: -len(held)]
    planes = read(samples[0])[0].shape[0]
    net = Weigher(planes, given.sizes, given.widths).to(memory_format=torch.channels_last)
    if given.start:
        resume(net, given.start, batch(rng, samples, 48, kind)[0], given.new, given.last)
        print(f"as it is: held {score(net, held, kind)}", flush=True)
    print(f"{len(samples)} samples, {planes} planes", flush=True)
    optimiser = torch.optim.AdamW(net.parameters(), lr=given.rate, weight_decay=1e-3)
    # the running mean of the weights is what is kept
    mean = AveragedModel(net, multi_avg_fn=get_ema_multi_avg_fn(0.998), use_buffers=True)
    begun, step, running = time.time(), 0, 0.0
    while (share := (time.time() - begun) / (60 * given.minutes)) < 1:
        rate = given.rate * min(1.0, step / 100 + 0.05) * 0.5 * (1 + np.cos(np.pi * share))
        for group in optimiser.param_groups:
            group["lr"] = rate
        x, y, free = batch(rng, samples, given.batch, kind)
        loss = loss_of(F.pixel_shuffle(net(x), 2), y, free)
        optimiser.zero_grad()
        loss.backward()
        torch.nn.utils.clip_grad_norm_(net.parameters(), 2.0)
        optimiser.step()
        mean.update_parameters(net)
        now = float(loss.detach())
        running = now if step == 0 else 0.99 * running + 0.01 * now
        step += 1
        if step % 200 == 0:
            told = score(mean.module, held, kind)
            print(f"{step} steps, {share:.0%}: loss {running:.4f}, held {told}", flush=True)
            export(mean.module, planes, given.out)
    print(f"{step} steps; held {score(mean.module, held, kind)}", flush=True)
    export(mean.module, planes, given.out)
