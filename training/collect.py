"""Collects samples to train a network on, a file each.

    python -m training collect follower FOLDER --clips 300 [--first 0]

What a sample holds is said where it is made: collect_follower, collect_trace, collect_difference, collect_staged.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from training import collect_difference, collect_follower, collect_staged, collect_trace


@dataclass(frozen=True)
class Kind:
    """The samples of one network.

    gather: makes the samples of a seed, each a tuple of arrays. names: those arrays' names in the file. looks: which of
    the network's looks they can be for, the usual one first; passed to `gather` as `look`.
    """

    gather: Callable[..., list[Any]]
    names: tuple[str, ...]
    looks: Sequence[str] = ()


KINDS = {
    "follower": Kind(collect_follower.gather, ("stack", "truth")),
    "trace": Kind(collect_trace.gather, ("stack", "truth", "free")),
    "difference": Kind(collect_difference.gather, ("stack", "truth"), collect_difference.LOOKS),
    "staged": Kind(collect_staged.gather, ("stack", "truth"), collect_difference.LOOKS),
}


def collect(kind: Kind, folder: Path, seeds: range, cores: int, look: str | None = None) -> int:
    """Writes SEED.NUMBER.npz for each sample of each seed into the folder; returns how many there are."""
    folder.mkdir(parents=True, exist_ok=True)
    gather = partial(kind.gather, look=look) if look else kind.gather
    count = 0
    with ProcessPoolExecutor(cores) as pool:
        for seed, samples in zip(seeds, pool.map(gather, seeds), strict=True):
            for n, sample in enumerate(samples):
                np.savez(folder / f"{seed:06}.{n:02}.npz", **dict(zip(kind.names, sample, strict=True)))
            count += len(samples)
            print(f"\r{seed}: {count} samples", end="", flush=True)
    print()
    return count


def main(arguments: Sequence[str] | None = None) -> None:
    """The command."""
    parser = argparse.ArgumentParser("python -m training collect", description="Collect samples to train a network on.")
    kinds = parser.add_subparsers(dest="kind", required=True)
    for name, kind in KINDS.items():
        one = kinds.add_parser(name)
        one.add_argument("folder", type=Path)
        one.add_argument("--clips", type=int, default=300)
        one.add_argument("--first", type=int, default=0, help="the first clip's seed")
        one.add_argument("--cores", type=int, default=2)
        if kind.looks:
            one.add_argument("--look", choices=kind.looks, default=kind.looks[0])
    given = parser.parse_args(arguments)
    seeds = range(given.first, given.first + given.clips)
    collect(KINDS[given.kind], given.folder, seeds, given.cores, getattr(given, "look", None))
