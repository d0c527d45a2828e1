"""Colour spaces and views by OpenColorIO: what footage is, how it is looked at, what an export is written in.

The configuration is the one that the environment variable OCIO names, else the ACES studio configuration that the
library carries. Inside there is linear light of BT.709 primaries; colours which these can't hold are below 0 and are
kept, so that they come out again in wider ones. Light goes to and from a configuration by its role `aces_interchange`
(ACES2065-1); one that has none is taken to be linear BT.709 in its role `scene_linear`.
"""

from __future__ import annotations

import os
import threading
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal

import numpy as np
import PyOpenColorIO as ocio

from cuvrel.core.arrays import F32, F64, U8
from cuvrel.core.imaging.colour import encode, log2, rounded
from cuvrel.core.imaging.lattice import through_lattice
from cuvrel.core.imaging.row_kernels import in_rows, kernel
from cuvrel.core.media.space import Space, from_chromaticities, light
from cuvrel.core.recipe.errors import MediaError

BUILT_IN = "ocio://studio-config-latest"
AP0 = (0.7347, 0.2653, 0.0, 1.0, 0.0001, -0.0770, 0.32168, 0.33767)
AP1 = (0.713, 0.293, 0.165, 0.830, 0.128, 0.044, 0.32168, 0.33767)
FAULTS = (ocio.Exception, ocio.ExceptionMissingFile)
STEPS = 65  # a side of the lattice that stands for a view on the screen
DARK, BRIGHT = -10.0, 8.0  # the stops about 0.18 that it spans

_lock = threading.Lock()


@dataclass(frozen=True)
class SpaceName:
    """A colour space: its name, its family, and what its numbers are: of a scene, of a display, or no colours."""

    name: str
    family: str
    of: Literal["scene", "display", "data"]


@lru_cache(maxsize=1)
def config() -> Any:
    """The configuration. Raises MediaError where OCIO names one that can't be read."""
    named = os.environ.get("OCIO", "")
    try:
        found = ocio.Config.CreateFromFile(named or BUILT_IN)
        found.validate()
    except FAULTS as fault:
        raise MediaError(f"The colour configuration that OCIO names can't be read: {fault}.") from fault
    return found


@lru_cache(maxsize=1)
def fingerprint() -> str:
    """A short key of the configuration: another one gives other pictures."""
    return str(config().getCacheID())[:16]


@lru_cache(maxsize=1)
def spaces() -> tuple[SpaceName, ...]:
    """All colour spaces, in the configuration's order."""
    kinds = {"sdr-video": "display", "hdr-video": "display", "edr-video": "display", "data": "data"}
    return tuple(
        SpaceName(one.getName(), one.getFamily(), kinds.get(one.getEncoding(), "data" if one.isData() else "scene"))  # type: ignore[arg-type]  # the words of `of`
        for one in config().getColorSpaces()
    )


@lru_cache(maxsize=1)
def views() -> tuple[tuple[str, str], ...]:
    """All displays with each of their views, the default ones first."""
    found = config()
    first = found.getDefaultDisplay()
    displays = sorted(found.getDisplays(), key=lambda one: one != first)
    return tuple(
        (display, one)
        for display in displays
        for one in sorted(found.getViews(display), key=lambda view: view != found.getDefaultView(display))
    )


def is_space(name: str) -> bool:
    """Whether the configuration has a colour space of this name."""
    return any(one.name == name and one.of != "data" for one in spaces())


def checked_colour(colour: str) -> None:
    """Raises MediaError for what an export can't be written in: "", "plain", "space:NAME" and "view:DISPLAY|VIEW"."""
    way, _, rest = colour.partition(":")
    if way == "view":
        display, _, view = rest.partition("|")
        checked_view(display, view)
    elif way == "space":
        if not is_space(rest):
            raise MediaError(f"There is no colour space '{rest}'.", "Choose one of the list.")
    elif colour not in ("", "plain"):
        raise MediaError(f"Nothing can be written in '{colour}'.", "Choose a colour space or a view.")


def of_scene(name: str) -> bool:
    """Whether a space holds a scene's light, which needs a view to be looked at: a camera's curve, or linear light."""
    return any(one.name == name and one.of == "scene" for one in spaces())


def checked_view(display: str, view: str) -> None:
    """Raises MediaError for a view that the configuration does not have."""
    if (display, view) not in views():
        raise MediaError(f"There is no view '{view}' for the display '{display}'.", "Choose another view.")


@lru_cache(maxsize=1)
def _between() -> tuple[Any, str]:
    """The transform from light of BT.709 to what a configuration is entered by, and the name of that."""
    found = config()
    if found.hasRole("aces_interchange"):
        way = from_chromaticities(AP0)
        assert way is not None
        whole = np.eye(4)
        whole[:3, :3] = np.linalg.inv(way.astype(np.float64))
        return ocio.MatrixTransform([float(one) for one in whole.ravel()]), "aces_interchange"
    return ocio.MatrixTransform(), "scene_linear"


@lru_cache(maxsize=64)
def _processor(kind: str, name: str, view: str = "") -> Any:
    matrix, entry = _between()
    group = ocio.GroupTransform()
    if kind == "from":
        group.appendTransform(ocio.ColorSpaceTransform(src=name, dst=entry))
        back = ocio.MatrixTransform(matrix.getMatrix())
        back.setDirection(ocio.TRANSFORM_DIR_INVERSE)
        group.appendTransform(back)
    elif kind == "to":
        group.appendTransform(matrix)
        group.appendTransform(ocio.ColorSpaceTransform(src=entry, dst=name))
    else:
        group.appendTransform(matrix)
        group.appendTransform(ocio.DisplayViewTransform(src=entry, display=name, view=view))
    try:
        return config().getProcessor(group).getDefaultCPUProcessor()
    except FAULTS as fault:
        raise MediaError(f"The colour configuration can't do that: {fault}.") from fault


def _applied(processor: Any, rgb: F32) -> F32:
    out = np.array(rgb, np.float32, order="C")

    def band(y0: int, y1: int, whole: F32) -> None:
        if y1 > y0:
            processor.applyRGB(whole[y0:y1])

    in_rows(band, out.shape[0], out)
    return out


def to_light(rgb: F32, name: str) -> F32:
    """(H, W, 3) float32 in a colour space as linear light of BT.709, below 0 where that is narrower.

    Raises MediaError.
    """
    with _lock:
        processor = _processor("from", name)
    return _applied(processor, rgb)


@lru_cache(maxsize=1)
def working_spaces() -> tuple[str, ...]:
    """The spaces that planes can be worked on in: linear light of primaries that hold BT.709."""
    found = config()
    linear = [one.name for one in spaces() if found.getColorSpace(one.name).getEncoding() == "scene-linear"]
    return tuple(name for name in linear if (way := _linear(name)) is not None and way.min() > -1e-3)


def working_matrix(name: str) -> F64:
    """From light of BT.709 to one of `working_spaces`, (3, 3). Raises MediaError for another one."""
    way = _linear(name) if name in working_spaces() else None
    if way is None:
        raise MediaError(f"Nothing can be worked on in '{name}'.", f"Known: {', '.join(working_spaces())}.")
    return way


@lru_cache(maxsize=64)
def _linear(name: str) -> F64 | None:
    """The matrix to a space, (3, 3); None where it is more than a matrix, has another white, or changes nothing."""
    probe = np.concatenate([np.eye(3), 4 * np.eye(3)])[None].astype(np.float32)
    out = from_light(probe, name)[0].astype(np.float64)
    if np.abs(out[3:6] - 4 * out[:3]).max() > 1e-3 or np.abs(out[:3].sum(axis=0) - 1).max() > 0.01:
        return None
    return None if np.abs(out[:3] - np.eye(3)).max() < 1e-4 else np.asarray(out[:3].T)


def from_light(rgb: F32, name: str) -> F32:
    """(H, W, 3) float32 linear light of BT.709 in a colour space. Raises MediaError."""
    with _lock:
        processor = _processor("to", name)
    return _applied(processor, rgb)


def viewed(rgb: F32, display: str, view: str) -> F32:
    """(H, W, 3) float32 linear light of BT.709 as a display takes it through a view, exactly. Raises MediaError."""
    with _lock:
        processor = _processor("view", display, view)
    return _applied(processor, rgb)


@lru_cache(maxsize=1)
def _to_ap1() -> F32:
    way = from_chromaticities(AP1)
    assert way is not None
    return np.linalg.inv(way.astype(np.float64)).astype(np.float32)


@lru_cache(maxsize=8)
def _lattice(display: str, view: str) -> F32:
    """A view at a lattice of light by stops, in the wide primaries that ACES works in."""
    stops = np.linspace(DARK, BRIGHT, STEPS)
    axis = 0.18 * (2.0**stops - 2.0**DARK)
    red, green, blue = np.meshgrid(axis, axis, axis, indexing="ij")
    wide = np.stack([red, green, blue], axis=-1).reshape(STEPS * STEPS, STEPS, 3)
    light = (wide @ np.linalg.inv(_to_ap1().astype(np.float64)).T).astype(np.float32)
    return viewed(light, display, view).reshape(STEPS, STEPS, STEPS, 3)


@lru_cache(maxsize=64)
def _is_slow(display: str, view: str) -> bool:
    """Whether a view does more than matrices, curves and tables: the renderings of ACES take half a second a frame."""
    matrix, entry = _between()
    group = ocio.GroupTransform([matrix, ocio.DisplayViewTransform(src=entry, display=display, view=view)])
    with _lock:
        found = config().getProcessor(group).createGroupTransform()
    return any(isinstance(one, ocio.FixedFunctionTransform) for one in found)


@kernel
def _in_stops(y0: int, y1: int, rgb: F32, wide: F32, out: F32) -> None:
    """Light as places of a view's lattice, 0 to 1."""
    dark, span = np.float32(2.0**DARK), np.float32(1 / (BRIGHT - DARK))
    for y in range(y0, y1):
        for x in range(rgb.shape[1]):
            r, g, b = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            for c in range(3):
                v = max(wide[c, 0] * r + wide[c, 1] * g + wide[c, 2] * b, np.float32(0))
                out[y, x, c] = (log2(v * np.float32(1 / 0.18) + dark) - np.float32(DARK)) * span


def for_screen(rgb: F32, display: str, view: str) -> U8:
    """Linear light of BT.709, (H, W, 3) or (H, W, 4) float32 whose alpha counts for nothing, through a view.

    As (H, W, 3) uint8, and quickly: a lattice stands for a view that takes long, within a code for most colours and
    within some for the most saturated ones (`bench colour` tells). Raises MediaError.
    """
    if not _is_slow(display, view):
        return rounded(viewed(rgb[..., :3], display, view))
    at = np.empty((*rgb.shape[:2], 3), np.float32)
    in_rows(_in_stops, rgb.shape[0], rgb, _to_ap1(), at)
    return rounded(through_lattice(at, _lattice(display, view)))


def default_view() -> tuple[str, str]:
    """The display and the view that a scene's light is looked at by where nobody chose another."""
    return views()[0]


def chromaticities(name: str) -> tuple[float, ...] | None:
    """x and y of red, green, blue and white of a space of linear light, as an EXR states them; None for others."""
    known = next((one for one in config().getColorSpaces() if one.getName() == name), None)
    if known is None or known.getEncoding() != "scene-linear" or not config().hasRole("aces_interchange"):
        return None
    to_ap0 = config().getProcessor(name, "aces_interchange").getDefaultCPUProcessor()
    of_ap0 = np.array([to_ap0.applyRGB(one) for one in ([1.0, 0, 0], [0, 1.0, 0], [0, 0, 1.0], [1.0, 1.0, 1.0])])
    # ACES2065-1 to XYZ of its own white (SMPTE ST 2065-1)
    xyz = of_ap0 @ np.array([[0.9525523959, 0.0, 0.0000936786], [0.3439664498, 0.7281660966, -0.0721325464],
                             [0.0, 0.0, 1.0088251844]]).T  # fmt: skip
    places = xyz[:, :2] / xyz.sum(axis=1, keepdims=True)
    return tuple(float(one) for one in places.ravel())


def lit(rgb: F32, space: Space) -> F32:
    """(H, W, 3) float32 RGB as it was encoded in a space, as (H, W, 4) opaque linear light of BT.709 primaries.

    Raises MediaError.
    """
    if not space.colour:
        return light(rgb, space)
    out = np.ones((*rgb.shape[:2], 4), np.float32)
    out[..., :3] = to_light(rgb, space.colour)
    return out


def on_screen(lit: F32, space: Space) -> U8:
    """(H, W, 4) light of footage as a screen shows it, (H, W, 3) uint8. space: that of the footage.

    A scene's light goes through the default view.
    """
    if space.colour and of_scene(space.colour):
        return for_screen(lit, *default_view())
    return encode(lit)
