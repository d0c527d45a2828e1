"""What the numbers of footage mean, and how they come to linear light of BT.709 primaries.

A space is a matrix (colour differences to RGB), a range of codes, primaries and a transfer. Sources: ITU-R BT.601,
BT.709, BT.2020 (matrices, ranges), BT.2100 and SMPTE ST 2084 (PQ, HLG), ITU-T H.273 (the numbers that files carry for
all of these), BT.2408 (the reference white of 203 cd/m2, which is light of 1 here). Film's density is as Cineon files
have it (Kennel, Conversion of 10-bit log film data to 8-bit linear or video data, 1995).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal, get_args

import numpy as np

from cuvrel.core.arrays import F32, F64
from cuvrel.core.imaging.colour import to_light
from cuvrel.core.imaging.row_kernels import in_rows, kernel, small_kernel

MatrixName = Literal["bt601", "bt709", "bt2020", "rgb"]
RangeName = Literal["limited", "full"]
Primaries = Literal["bt709", "bt601-525", "bt601-625", "bt2020", "p3"]
Transfer = Literal["sdr", "linear", "pq", "hlg", "cineon"]
WHITE = 203.0  # cd/m2 of light 1
HLG_PEAK = 1000.0  # cd/m2 of the nominal HLG display, whose system gamma is 1.2

_MATRICES: dict[int, MatrixName] = {0: "rgb", 1: "bt709", 4: "bt601", 5: "bt601", 6: "bt601", 9: "bt2020", 10: "bt2020"}
_PRIMARIES: dict[int, Primaries] = {1: "bt709", 5: "bt601-625", 6: "bt601-525", 7: "bt601-525", 9: "bt2020", 12: "p3"}
_TRANSFERS: dict[int, Transfer] = {1: "sdr", 4: "sdr", 5: "sdr", 6: "sdr", 7: "sdr", 8: "linear", 11: "sdr", 13: "sdr",
                                   14: "sdr", 15: "sdr", 16: "pq", 18: "hlg"}  # fmt: skip
LUMA = {"bt601": (0.299, 0.114), "bt709": (0.2126, 0.0722), "bt2020": (0.2627, 0.0593)}
"""The shares of red and blue in luma."""
# x and y of red, green and blue; white is D65
_XY = {
    "bt709": ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06)),
    "bt601-525": ((0.63, 0.34), (0.31, 0.595), (0.155, 0.07)),
    "bt601-625": ((0.64, 0.33), (0.29, 0.60), (0.15, 0.06)),
    "bt2020": ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)),
    "p3": ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060)),
}


D65 = (0.3127, 0.3290)
OF_SPACE = ("matrix", "range", "primaries", "transfer", "colour")


@dataclass(frozen=True)
class Space:
    """What the numbers of a picture mean. colour: a colour space of the configuration's (managed.py), which then says
    what primaries and transfer are.
    """

    matrix: MatrixName = "bt709"
    range: RangeName = "limited"
    primaries: Primaries = "bt709"
    transfer: Transfer = "sdr"
    colour: str = ""

    @property
    def plain(self) -> bool:
        """Whether its RGB is what a screen takes: sRGB or BT.709, whose curves are held to be one here."""
        return self.transfer == "sdr" and self.primaries == "bt709" and not self.colour

    def with_hand(self, hand: dict[str, str]) -> Space:
        """As somebody set it by hand."""
        set_ = {name: value for name, value in hand.items() if name in OF_SPACE}
        return replace(self, **set_)  # type: ignore[arg-type]  # `checked_hand` has looked at the values


def tagged(
    matrix: int, range_: int, primaries: int, transfer: int, height: int, rgb: bool, full: bool
) -> tuple[Space, list[str]]:
    """The space that a file's numbers (H.273) tell, and the parts of it that had to be assumed.

    Untagged pictures are taken as players take them: BT.709 from 720 lines up, BT.601's matrix below, limited range,
    the primaries and curve of a screen. full: the pixel format itself says so. rgb: there are no colour differences.
    """
    assumed = []
    space = Space()
    if rgb:
        space = replace(space, matrix="rgb", range="full")
    else:
        known = _MATRICES.get(matrix)
        if known is None or known == "rgb":
            assumed.append("matrix")
            known = "bt709" if height >= 720 else "bt601"
        space = replace(space, matrix=known)
        if full or range_ == 2:
            space = replace(space, range="full")
        elif range_ != 1:
            assumed.append("range")
    if transfer in _TRANSFERS:
        space = replace(space, transfer=_TRANSFERS[transfer])
    else:
        assumed.append("transfer")
    if primaries in _PRIMARIES:
        space = replace(space, primaries=_PRIMARIES[primaries])
    else:
        assumed.append("primaries")
    return space, assumed


def _to_xyz(primaries: str) -> F64:
    """RGB to XYZ (SMPTE RP 177)."""
    white = np.array([D65[0] / D65[1], 1, (1 - D65[0] - D65[1]) / D65[1]])
    columns = np.array([[x / y, 1, (1 - x - y) / y] for x, y in _XY[primaries]]).T
    return columns * np.linalg.solve(columns, white)


def from_chromaticities(stated: Sequence[float]) -> F32 | None:
    """(3, 3) float32: linear RGB of any primaries to BT.709's; None where they are none, or BT.709's themselves.

    stated: x and y of red, green, blue and white. Another white than D65 is adapted to by Bradford's matrix (Lam, 1985,
    as ICC.1 has it).
    """
    if len(stated) < 8:
        return None
    given = np.asarray(stated[:8], np.float64).reshape(4, 2)
    if np.abs(given[:3] - np.array(_XY["bt709"])).max() < 1e-3 and np.abs(given[3] - D65).max() < 1e-3:
        return None
    if (np.abs(given[:, 1]) < 1e-6).any():
        return None
    columns = np.stack([given[:3, 0] / given[:3, 1], np.ones(3), (1 - given[:3].sum(axis=1)) / given[:3, 1]])
    x, y = given[3]
    white = np.array([x / y, 1, (1 - x - y) / y])
    if abs(np.linalg.det(columns)) < 1e-9:
        return None
    to_xyz = columns * np.linalg.solve(columns, white)
    cones = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
    here = np.array([D65[0] / D65[1], 1, (1 - D65[0] - D65[1]) / D65[1]])
    adapted = np.linalg.solve(cones, np.diag((cones @ here) / (cones @ white)) @ cones)
    return np.asarray(np.linalg.solve(_to_xyz("bt709"), adapted @ to_xyz), np.float32)


def to_bt709(primaries: str) -> F32:
    """(3, 3) float32: linear RGB of these primaries to linear RGB of BT.709's."""
    if primaries == "bt709":
        return np.eye(3, dtype=np.float32)
    return np.asarray(np.linalg.solve(_to_xyz("bt709"), _to_xyz(primaries)), np.float32)


@small_kernel
def _pq(v: float) -> float:
    """ST 2084: the code 0 to 1 as cd/m2."""
    p = min(max(v, 0.0), 1.0) ** (1 / 78.84375)
    return 10000.0 * (max(p - 0.8359375, 0.0) / (18.8515625 - 18.6875 * p)) ** (1 / 0.1593017578125)


@small_kernel
def _hlg(v: float) -> float:
    """BT.2100: the code 0 to 1 as the scene's light, 0 to 1."""
    v = max(v, 0.0)
    return v * v / 3.0 if v <= 0.5 else (np.exp((v - 0.55991073) / 0.17883277) + 0.28466892) / 12.0


# film's printing density as Cineon files have it: codes of 10 bits, white at 685, black at 95, 0.002 of density each
_FILM_WHITE, _FILM_STEP = 685.0, 0.002 / 0.6
_FILM_BLACK = 10 ** ((95.0 - _FILM_WHITE) * _FILM_STEP)


@small_kernel
def _film(v: float) -> float:
    """Film's printing density, as codes of 10 bits over 1023, as light."""
    return (10 ** ((v * 1023.0 - _FILM_WHITE) * _FILM_STEP) - _FILM_BLACK) / (1.0 - _FILM_BLACK)


def film_to_light(values: F32) -> F32:
    """`_film` for an array of any shape."""
    lit = 10 ** ((values * np.float32(1023) - np.float32(_FILM_WHITE)) * np.float32(_FILM_STEP))
    return np.asarray((lit - np.float32(_FILM_BLACK)) / np.float32(1 - _FILM_BLACK), np.float32)


def light_to_film(light: F32) -> F32:
    """Its inverse; what is darker than black is brought to where the curve ends."""
    lit = np.maximum(light * np.float32(1 - _FILM_BLACK) + np.float32(_FILM_BLACK), np.float32(1e-6))
    return np.asarray((np.float32(_FILM_WHITE) + np.log10(lit) / np.float32(_FILM_STEP)) / np.float32(1023), np.float32)


@kernel
def _light(y0: int, y1: int, rgb: F32, transfer: int, matrix: F32, moved: bool, out: F32) -> None:
    for y in range(y0, y1):
        for x in range(rgb.shape[1]):
            r, g, b = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            if transfer == 0:
                r, g, b = to_light(max(r, 0.0)), to_light(max(g, 0.0)), to_light(max(b, 0.0))
            elif transfer == 4:
                r, g, b = _film(r), _film(g), _film(b)
            elif transfer == 2:
                r, g, b = _pq(r) / 203.0, _pq(g) / 203.0, _pq(b) / 203.0
            elif transfer == 3:
                r, g, b = _hlg(r), _hlg(g), _hlg(b)
                lit = max(0.2627 * r + 0.6780 * g + 0.0593 * b, 1e-6) ** 0.2 * (1000.0 / 203.0)
                r, g, b = r * lit, g * lit, b * lit
            if moved:
                r, g, b = (
                    matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b,
                    matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b,
                    matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b,
                )
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r, g, b
            out[y, x, 3] = 1.0


def light(rgb: F32, space: Space) -> F32:
    """(H, W, 3) float32 RGB as it was encoded, 0 to 1, as (H, W, 4) opaque float32 linear light of BT.709 primaries.

    What is brighter than reference white is above 1; colours that BT.709 can't hold are below 0 and are kept.
    """
    out = np.empty((*rgb.shape[:2], 4), np.float32)
    matrix = to_bt709(space.primaries)
    in_rows(_light, rgb.shape[0], np.ascontiguousarray(rgb), get_args(Transfer).index(space.transfer), matrix,
            space.primaries != "bt709", out)  # fmt: skip
    return out
