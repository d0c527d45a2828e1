"""What planes show, frame by frame, before it is treated and placed: a film for each kind of plane."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol

from cuvrel.core.imaging.blend import through
from cuvrel.core.imaging.colour import encode
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.errors import MediaError
from cuvrel.core.recipe.models import Plane, Shot
from cuvrel.core.recipe.values import Env
from cuvrel.core.stand.nodes import Node, node
from cuvrel.core.stand.pieces import Inner
from cuvrel.core.stand.setting import lit as lit_of
from cuvrel.core.stand.sources import Sources
from cuvrel.core.stand.working import Working

Size = tuple[float, float]


@dataclass(frozen=True)
class Film:
    """A plane's frames.

    picture: one of them, (H, W, 4) float32 premultiplied linear RGBA. seen: the bytes in which its motion is looked
    for; None where nothing is made between two frames. count: how many there are; None: the film runs with the shot,
    whatever the plane's time says. fps: its own rate, if it has one. size: rows and columns of the picture in plate
    pixels; None is the frame's. glazes: there is no picture of its own; it treats what lies behind.
    """

    picture: Callable[[int], Node]
    seen: Callable[[int], Node] | None = None
    count: int | None = None
    fps: float | None = None
    size: Size | None = None
    glazes: bool = False


class Taken(Protocol):
    """What a kind of plane takes its pictures from: the stand."""

    shot: Shot
    sources: Sources
    scale: float
    size: tuple[int, int]
    plate_size: tuple[int, int]
    frames: int
    working: Working

    def env(self, time: float) -> Env: ...

    def plate(self, frame: int) -> Node: ...

    def worked(self, frame: int) -> Node: ...

    def matte(self, matte_id: str, frame: int) -> Node: ...

    def cut(self, matte_id: str, frame: int) -> Node: ...

    def held_by(self, group: str, frame: int) -> Node: ...

    def nothing(self) -> Node: ...

    def inner(self, footage_id: str, scale: float) -> Inner: ...


FilmOf = Callable[[Taken, Plane, int], Film]
_films: dict[str, FilmOf] = {}


def shows(kind: str) -> Callable[[FilmOf], FilmOf]:
    """Registers what a kind of plane shows: from the stand, the plane and the frame of the shot."""

    def keep(film: FilmOf) -> FilmOf:
        _films[kind] = film
        return film

    return keep


def film_of(stand: Taken, plane: Plane, frame: int) -> Film:
    """A plane's film."""
    return _films[plane.kind](stand, plane, frame)


def plate_extent(stand: Taken) -> Size | None:
    """The plate's rows and columns, where they are not the frame's."""
    plate = stand.shot.plate_footage()
    return None if stand.shot.size == (plate.width, plate.height) else (float(plate.height), float(plate.width))


@shows("plate")
def _plate(stand: Taken, plane: Plane, frame: int) -> Film:
    return Film(stand.worked, stand.plate, stand.frames, size=plate_extent(stand))


@shows("glaze")
def _glaze(stand: Taken, plane: Plane, frame: int) -> Film:
    """Alone it shows the plate glazed."""
    return Film(stand.worked, size=plate_extent(stand), glazes=True)


@shows("cutout")
def _cutout(stand: Taken, plane: Plane, frame: int) -> Film:
    matte = str(plane.matte)
    return Film(lambda f: stand.cut(matte, f), stand.plate, stand.frames, size=plate_extent(stand))


@shows("line")
def _line(stand: Taken, plane: Plane, frame: int) -> Film:
    matte, entry, scale = str(plane.matte), declared("plane", "line"), stand.scale
    values = plane.values("plane").at(stand.env(frame))

    def drawn(f: int) -> Node:
        ink = node("plane:line", [values, scale], [stand.matte(matte, f)], lambda m: entry.run(m, values, scale))
        return stand.working.into(ink)

    return Film(drawn, None, stand.frames, size=plate_extent(stand))


@shows("group")
def _group(stand: Taken, plane: Plane, frame: int) -> Film:
    return Film(lambda f: stand.held_by(plane.id, f), None, stand.frames)


@shows("fill")
def _fill(stand: Taken, plane: Plane, frame: int) -> Film:
    values, size, run = plane.values("plane").at(stand.env(frame)), stand.size, declared("plane", "fill").run
    if values["footage"]:
        return _footage(stand, plane, frame)
    return Film(lambda f: stand.working.into(node("plane:fill", [values, size], [], lambda: run(size, values, 1.0))))


@shows("element")
def _footage(stand: Taken, plane: Plane, frame: int) -> Film:
    """Other footage, fitted to the frame."""
    values = plane.values("plane").at(stand.env(frame))
    if not values["footage"]:
        return Film(lambda f: stand.nothing(), None, stand.frames)
    footage = stand.shot.footage_by_id(str(values["footage"]))
    if footage.shot:
        return _shot(stand, footage.id, values)
    wide, high = stand.shot.size
    own = _fitted((footage.width, footage.height), (wide, high), str(values.get("fit", "cover")))
    # never larger than it is; placing it enlarges better than reading it does
    rows, columns = (
        max(2, round(min(float(n), m * stand.scale))) for n, m in zip((footage.height, footage.width), own, strict=True)
    )
    size = rows, columns
    dropped = _dropping(values)

    def raw(f: int) -> Node:
        return stand.sources.picture(footage.id, f, size)

    def lit(f: int) -> Node:
        light = lit_of(stand.sources, footage.id, f, size)
        if values.get("see_through") == "its alpha":
            light = node("through", None, [light, stand.sources.alpha(footage.id, f, size)], through)
        return stand.working.into(dropped(light))

    whole = own == (high, wide) and size == stand.size
    return Film(lit, raw, footage.frames, footage.fps, None if whole else own)


@shows("take")
def _take(stand: Taken, plane: Plane, frame: int) -> Film:
    """Another take, as large as it came."""
    return _footage(stand, plane, frame)


def _fitted(picture: tuple[int, int], frame: tuple[int, int], fit: str) -> Size:
    """Rows and columns that a picture takes in a frame; both are given by width and height."""
    across, down = frame[0] / picture[0], frame[1] / picture[1]
    if fit != "stretch":
        across = down = {"cover": max(across, down), "contain": min(across, down)}.get(fit, 1.0)
    return picture[1] * down, picture[0] * across


def _dropping(values: dict[str, Any]) -> Callable[[Node], Node]:
    """Makes black or white of a picture see-through, as the plane's values ask."""
    run, how = declared("plane", "element").run, {"see_through": values.get("see_through", "nothing")}
    if how["see_through"] not in ("black", "white"):
        return lambda light: light
    return lambda light: node("plane:element", how, [light], lambda p: run(p, how, 1.0))


def _shot(stand: Taken, entry: str, values: dict[str, Any]) -> Film:
    """Another shot, or a reel, as it is now, from its range's first frame on; nothing where it is not there.

    It is seen through where it holds nothing, whatever is dropped of it besides.
    """
    try:
        shot = stand.sources.inside(entry)[0]
        own = _fitted(shot.size, stand.shot.size, str(values.get("fit", "cover")))
        inner = stand.inner(entry, min(1.0, stand.scale * own[1] / shot.size[0]))
    except MediaError:
        return Film(lambda f: stand.nothing(), None, stand.frames)
    frames, dropped = shot.frames, _dropping(values)

    def lit(f: int) -> Node:
        return stand.working.into(dropped(inner.result(frames[f])))

    def seen(f: int) -> Node:
        return node("seen", None, [inner.result(frames[f])], encode)

    wide, high = stand.shot.size
    whole = own == (high, wide) and inner.size == stand.size
    return Film(lit, seen, len(frames), shot.fps, None if whole else own)
