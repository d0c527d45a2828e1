"""Cryptomatte: mattes by the names of things, kept in an EXR's channels as pairs of an identity and its coverage.

Source: the Cryptomatte specification (Psyop, version 1.2.0). A name's identity is its hash (MurmurHash3, 32 bits) as a
float; a layer's pairs lie in channels LAYER00.R to LAYER00.A, LAYER01.R and so on, in the order of their coverage.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from cuvrel.core.arrays import F32
from cuvrel.core.media.exr import Frame

MOST_NAMES = 5000
RANKS = 6  # pairs that are written of a pixel: three sets of four channels
_MASK = 0xFFFFFFFF


def murmur3(data: bytes, seed: int = 0) -> int:
    """MurmurHash3_x86_32 (Appleby, public domain)."""
    first, second, state = 0xCC9E2D51, 0x1B873593, seed
    whole = len(data) & ~3
    for n in range(0, whole, 4):
        block = int.from_bytes(data[n : n + 4], "little") * first & _MASK
        block = (block << 15 | block >> 17) & _MASK
        state ^= block * second & _MASK
        state = (state << 13 | state >> 19) & _MASK
        state = (state * 5 + 0xE6546B64) & _MASK
    if tail := int.from_bytes(data[whole:], "little"):
        tail = tail * first & _MASK
        tail = (tail << 15 | tail >> 17) & _MASK
        state ^= tail * second & _MASK
    state ^= len(data)
    for shift, factor in ((16, 0x85EBCA6B), (13, 0xC2B2AE35)):
        state ^= state >> shift
        state = state * factor & _MASK
    return state ^ state >> 16


def identity(name: str) -> np.float32:
    """A name's identity: its hash as the bits of a float, one bit turned where that would be no plain number."""
    return _as_float(murmur3(name.encode()))


def _as_float(code: int) -> np.float32:
    exponent = code >> 23 & 255
    if exponent in (0, 255):
        code ^= 1 << 23
    return np.frombuffer(code.to_bytes(4, "little"), np.float32)[0]


def names_of(about: Mapping[str, Any], crypto: Mapping[str, str]) -> dict[str, list[str]]:
    """The names in each Cryptomatte layer's manifest. about: the header; crypto: the layers and their keys in it."""
    found: dict[str, list[str]] = {}
    for layer, key in crypto.items():
        try:
            listed = json.loads(about.get(f"cryptomatte/{key}/manifest", "{}"))
            found[layer] = [str(name) for name in listed][:MOST_NAMES] if isinstance(listed, dict) else []
        except ValueError:
            found[layer] = []
    return found


def identities(about: Mapping[str, Any], key: str) -> dict[str, np.float32]:
    """The identities of the names of a layer's manifest, as it says them."""
    out = {}
    for name, code in json.loads(about.get(f"cryptomatte/{key}/manifest", "{}")).items():
        out[str(name)] = _as_float(int(str(code), 16))
    return out


def coverage(frame: Frame, layer: str, name: str) -> F32:
    """(H, W) float32, 0 to 1: how much of each pixel is covered by the thing of that name.

    Raises KeyError where there is no such layer.
    """
    wanted = identities(frame.holds.about, frame.holds.crypto[layer]).get(name, identity(name))
    out = np.zeros(frame.size, np.float32)
    rank = 0
    while f"{layer}{rank:02d}.R" in frame.holds.channels:
        for ids, cover in (("R", "G"), ("B", "A")):
            if f"{layer}{rank:02d}.{cover}" in frame.holds.channels:
                same = frame.channel(f"{layer}{rank:02d}.{ids}") == wanted
                out += np.where(same, frame.channel(f"{layer}{rank:02d}.{cover}"), np.float32(0))
        rank += 1
    return np.clip(np.nan_to_num(out), 0, 1).astype(np.float32)


def ranked(mattes: Sequence[F32], names: Sequence[str], layer: str) -> dict[str, NDArray[Any]]:
    """The channels of a layer that holds these mattes, (H, W) float32 of 0 to 1 each, by their names.

    Of a pixel that more of them cover than there is room for, the ones that cover most are kept. Mattes may overlap:
    each comes back as it was.
    """
    ids = np.array([identity(name) for name in names], np.float32)
    stack = np.stack(mattes)
    order = np.argsort(-stack, axis=0, kind="stable")[:RANKS]
    covers = np.take_along_axis(stack, order, 0)
    out: dict[str, NDArray[Any]] = {}
    empty = np.zeros(stack.shape[1:], np.float32)
    for n in range(RANKS):
        there = n < len(mattes)
        cover = covers[n] if there else empty
        letters = ("R", "G") if n % 2 == 0 else ("B", "A")
        out[f"{layer}{n // 2:02d}.{letters[0]}"] = (
            np.where(cover > 0, ids[order[n]], 0).astype(np.float32) if there else empty
        )
        out[f"{layer}{n // 2:02d}.{letters[1]}"] = np.ascontiguousarray(cover, np.float32)
    return out


def header(names: Sequence[str], layer: str) -> dict[str, str]:
    """What an EXR's header says of a layer with these names."""
    key = f"cryptomatte/{murmur3(layer.encode()):08x}"[: len("cryptomatte/") + 7]
    codes = {name: f"{int(identity(name).view(np.uint32)):08x}" for name in names}
    return {f"{key}/name": layer, f"{key}/hash": "MurmurHash3_32", f"{key}/conversion": "uint32_to_float32",
            f"{key}/manifest": json.dumps(codes)}  # fmt: skip
