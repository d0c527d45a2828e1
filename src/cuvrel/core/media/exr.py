"""EXR pictures: which of their channels are colour, named layers and parts, and what their headers say.

Sources: the OpenEXR file layout and its conventions for channels' names (LAYER.R and so on; parts have names of their
own); SMPTE ST 2065-4 and the standard attributes for `chromaticities` and `timeCode`.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
from numpy.typing import NDArray

from cuvrel.core.arrays import F32
from cuvrel.core.media.space import from_chromaticities

MARK = b"\x76\x2f\x31\x01"
MOST = 65504.0  # the largest half float
COLOURS = (("R", "G", "B"), ("r", "g", "b"), ("red", "green", "blue"), ("X", "Y", "Z"), ("x", "y", "z"))
"""What the three channels of a picture may be called."""
FIRST = ("rgba", "rgb", "beauty", "combined", "color", "colour", "c", "main")
"""Layers that are taken for the picture itself where no channels without a layer are, in this order."""


@dataclass(frozen=True)
class Contents:
    """What a file holds by its header.

    channels: part and name in it of each channel, by the name that is shown: of a part's, where two have the same.
    layers: what can be looked at, by name: its three channels, or one that is grey; the first is what is meant.
    alphas: the alpha of a layer that has one. about: the first part's header. crypto: the names of its Cryptomatte
    layers, whose channels are no pictures.
    """

    channels: dict[str, tuple[int, str]]
    layers: dict[str, tuple[str, ...]]
    alphas: dict[str, str]
    about: Mapping[str, Any]
    crypto: dict[str, str] = field(default_factory=dict)


def contents(parts: list[Any]) -> Contents:
    """What the parts of a file hold; OpenEXR's own, of which the headers are enough."""
    listed = [[channel.name for channel in part.header["channels"]] for part in parts]
    everywhere = [name for names in listed for name in names]
    titles = [str(part.header.get("name", n)) for n, part in enumerate(parts)]
    channels: dict[str, tuple[int, str]] = {}
    groups: dict[str, dict[str, str]] = {}
    crypto = {
        str(value): str(name).split("/")[1]
        for part in parts
        for name, value in part.header.items()
        if str(name).startswith("cryptomatte/") and str(name).endswith("/name")
    }
    for n, names in enumerate(listed):
        for name in names:
            shown = name if everywhere.count(name) == 1 else f"{titles[n]}/{name}"
            channels[shown] = n, name
            layer, _, letter = name.rpartition(".")
            if len(parts) > 1 and layer.split(".")[0] != titles[n]:
                layer = f"{titles[n]}.{layer}" if layer else titles[n]
            if not any(layer.startswith(one) for one in crypto):
                groups.setdefault(layer, {})[letter] = shown
    layers: dict[str, tuple[str, ...]] = {}
    alphas: dict[str, str] = {}
    for layer, letters in groups.items():
        colour = next((found for found in COLOURS if all(one in letters for one in found)), None)
        single = [letter for letter in letters if letter not in ("A", "a", "alpha")] or list(letters)
        if colour is not None:
            layers[layer] = tuple(letters[one] for one in colour)
        for letter in single if colour is None else [one for one in single if one not in colour]:
            name = f"{layer}.{letter}" if layer and len(letters) > 1 else layer or letter
            layers.setdefault(name, (letters[letter],))
        alpha = next((letters[one] for one in ("A", "a", "alpha") if one in letters), None)
        if alpha is not None and colour is not None:
            alphas[layer] = alpha
        elif alpha is not None and len(single) == 1 and single[0] in ("Y", "y"):
            alphas[next(name for name, one in layers.items() if one == (letters[single[0]],))] = alpha
    order = sorted(layers, key=lambda name: _rank(name, layers[name]))
    return Contents(channels, {name: layers[name] for name in order}, alphas, parts[0].header, crypto)


def _rank(name: str, channels: tuple[str, ...]) -> tuple[bool, int]:
    """How far down a layer is in the list of what may be meant: pictures before greys, the nameless before all."""
    last = name.rpartition(".")[2].lower()
    if len(channels) == 3:
        return False, 0 if not name else 1 + (FIRST.index(last) if last in FIRST else len(FIRST))
    return True, 0 if last in ("y", "r") else 1


@contextmanager
def opened(data: bytes) -> Iterator[Any]:
    """A file that is there as bytes: OpenEXR reads files alone."""
    with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
        path = Path(folder) / "one.exr"
        path.write_bytes(data)
        yield OpenEXR.File(str(path), separate_channels=True)


class Frame:
    """One picture, all of its channels laid into its display window; what is beyond a data window is nothing."""

    def __init__(self, file: Any) -> None:
        self._parts = file.parts
        self.holds = contents(list(file.parts))
        low, high = self.holds.about["displayWindow"]
        self._corner = int(low[0]), int(low[1])
        self.size = int(high[1] - low[1]) + 1, int(high[0] - low[0]) + 1

    def channel(self, name: str) -> F32:
        """(H, W) float32 of a channel by its shown name, as it is. Raises KeyError."""
        n, own = self.holds.channels[name]
        part = self._parts[n]
        plane = np.asarray(part.channels[own].pixels)
        if plane.dtype != np.float32:
            plane = plane.astype(np.float32)
        about = next(one for one in part.header["channels"] if one.name == own)
        if (about.ySampling, about.xSampling) != (1, 1):
            plane = plane.repeat(about.ySampling, 0).repeat(about.xSampling, 1)
        if plane.shape == self.size:
            return plane
        out = np.zeros(self.size, np.float32)
        origin = part.header["dataWindow"][0]
        x, y = int(origin[0]) - self._corner[0], int(origin[1]) - self._corner[1]
        cut = plane[max(0, -y) : self.size[0] - y, max(0, -x) : self.size[1] - x]
        out[max(0, y) : max(0, y) + cut.shape[0], max(0, x) : max(0, x) + cut.shape[1]] = cut
        return out

    def picture(self, layer: str = "", as_is: bool = False) -> tuple[F32, F32 | None]:
        """A layer as (H, W, 3) linear light of BT.709 primaries, multiplied by its alpha, and that, (H, W), if any.

        Where the file's primaries are wider, light may be below 0.

        An unknown name is what is meant. as_is: of the file's own primaries. Raises StopIteration where there is no
        channel at all.
        """
        known = self.holds.layers
        name = layer if layer in known else next(iter(known))
        planes = [finite(self.channel(one)) for one in known[name]]
        colour = np.stack(planes, axis=2) if len(planes) == 3 else np.repeat(planes[0][..., None], 3, axis=2)
        stated = self.holds.about.get("chromaticities")
        if stated is not None and len(planes) == 3 and not as_is:
            way = from_chromaticities([float(one) for one in np.ravel(np.asarray(stated))])
            if way is not None:
                colour = np.asarray(colour @ way.T, np.float32)
        alpha = self.holds.alphas.get(name)
        return colour, None if alpha is None else np.clip(finite(self.channel(alpha)), 0, 1)


def finite(plane: NDArray[Any], signed: bool = False) -> F32:
    """Floats without infinities and what is no number; what is below 0 is 0, where it is not `signed`."""
    least = -MOST if signed else 0.0
    return np.nan_to_num(np.asarray(plane, np.float32), nan=0.0, posinf=MOST, neginf=least).clip(least, MOST)
