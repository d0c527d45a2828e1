"""Shapes as closed polygons: the drawn line itself, and where its softness begins and ends."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from cuvrel.core.arrays import F64, Mask
from cuvrel.core.imaging.homography import growth
from cuvrel.core.imaging.raster import turning
from cuvrel.core.recipe.shapes import Shape, ShapeKey, ShapeKind, ShapePoint
from cuvrel.core.recipe.values import Env

ROUND = 256  # sides of an ellipse
THIN = 1.6  # plate pixels of a line that has no width of its own
CURVE = 16  # straight pieces of a curve between two points


@dataclass(frozen=True)
class Outline:
    """Polygons of as many points each, (N, 2) in plate pixels: the line, and its inner and outer softness."""

    line: F64
    inner: F64
    outer: F64

    @property
    def soft(self) -> bool:
        """Whether there is any softness."""
        return bool(np.abs(self.outer - self.inner).max() > 1e-6)


def outline(kind: ShapeKind, key: ShapeKey) -> Outline:
    """The polygons of a shape at one of its times."""
    if kind in ("ellipse", "box"):
        line, normal = _ellipse(key) if kind == "ellipse" else _box(key)
        soft = np.array([[key.inner, key.outer]])
        turn = np.deg2rad(key.angle)
        spin = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
        line, normal = line @ spin + (key.x, key.y), normal @ spin
        # softness to the inside ends where the shape does
        soft = np.minimum(soft, [[0.5 * min(key.width, key.height), np.inf]])
        return Outline(line, line - normal * soft[:, :1], line + normal * soft[:, 1:])
    table = np.array([(p.x, p.y, p.inner, p.outer) for p in key.points], np.float64)
    if kind == "line":
        return _band(open_curve(table, np.array([p.corner for p in key.points])), max(key.width, THIN) / 2)
    if kind == "curve":
        table = curve(table, np.array([p.corner for p in key.points]))
    line = table[:, :2]
    along = np.roll(line, -1, axis=0) - np.roll(line, 1, axis=0)
    normal = np.stack([along[:, 1], -along[:, 0]], axis=1) * turning(line)
    normal /= np.maximum(np.hypot(*normal.T), 1e-9)[:, None]
    return Outline(line, line - normal * table[:, 2:3], line + normal * table[:, 3:4])


def outline_at(shape: Shape, env: Env) -> Outline:
    """The polygons of a shape in an environment, where it rides to."""
    here = held(shape, env)
    return outline(here.kind, here.keys[0])


def held(shape: Shape, env: Env) -> Shape:
    """The shape as it is in an environment, where it rides to, at all times; equal outlines give equal shapes.

    What rides in perspective is a polygon from then on where it was an ellipse or a box.
    """
    key = shape.at(env).model_copy(update={"frame": 0, "ease": "hold", "only": []})
    if not shape.rides:
        return shape.model_copy(update={"keys": [key]})
    kind, rides = shape.kind, shape.rides
    if kind in ("ellipse", "box"):
        (ride,) = rides
        if ride.how != "perspective":
            return shape.model_copy(update={"keys": [_alike(key, env.moved(ride))], "rides": []})
        kind, key = "polygon", _pointed(kind, key)
    moves = {n: env.moved(ride) for ride in rides for n in ride.only}
    others = next((env.moved(ride) for ride in rides if not ride.only), None)
    points = [_carried(point, moves.get(n, others)) for n, point in enumerate(key.points)]
    thick = key.width * growth(others, points[0].x, points[0].y) if others is not None else key.width
    key = key.model_copy(update={"points": points, "width": thick})
    return shape.model_copy(update={"kind": kind, "keys": [key], "rides": []})


def _alike(key: ShapeKey, way: F64) -> ShapeKey:
    """An ellipse or a box moved, grown and turned."""
    x, y, _ = way @ (key.x, key.y, 1.0)
    size, turn = float(np.hypot(way[0, 0], way[1, 0])), float(np.degrees(np.arctan2(way[1, 0], way[0, 0])))
    sizes = {name: getattr(key, name) * size for name in ("width", "height", "inner", "outer")}
    return key.model_copy(update={"x": float(x), "y": float(y), "angle": key.angle + turn, **sizes})


def _pointed(kind: ShapeKind, key: ShapeKey) -> ShapeKey:
    """An ellipse or a box as a polygon."""
    line = outline(kind, key.model_copy(update={"inner": 0.0, "outer": 0.0})).line
    points = [ShapePoint(x=x, y=y, inner=key.inner, outer=key.outer) for x, y in line.tolist()]
    return ShapeKey(frame=key.frame, ease=key.ease, points=points)


def _carried(point: ShapePoint, way: F64 | None) -> ShapePoint:
    if way is None:
        return point
    x, y, depth = way @ (point.x, point.y, 1.0)
    size = growth(way, point.x, point.y)
    return point.model_copy(update={"x": float(x / depth), "y": float(y / depth),
                                    "inner": point.inner * size, "outer": point.outer * size})  # fmt: skip


def _band(table: F64, half: float) -> Outline:
    """The outline of a line with a width: there along the one side, back along the other."""
    line = table[:, :2]
    along = np.gradient(line, axis=0)
    normal = np.stack([along[:, 1], -along[:, 0]], axis=1) / np.maximum(np.hypot(*along.T), 1e-9)[:, None]

    def round_it(by: F64) -> F64:
        return np.concatenate([line + normal * by[:, None], (line - normal * by[:, None])[::-1]])

    whole = np.full(len(line), half)
    return Outline(round_it(whole), round_it(np.maximum(whole - table[:, 2], 0.02)), round_it(whole + table[:, 3]))


def _ellipse(key: ShapeKey) -> tuple[F64, F64]:
    t = np.arange(ROUND) * (2 * np.pi / ROUND)
    a, b = key.width / 2, key.height / 2
    line = np.stack([a * np.cos(t), b * np.sin(t)], axis=1)
    normal = np.stack([b * np.cos(t), a * np.sin(t)], axis=1)
    return line, normal / np.maximum(np.hypot(*normal.T), 1e-9)[:, None]


def _box(key: ShapeKey) -> tuple[F64, F64]:
    a, b = key.width / 2, key.height / 2
    radius = key.round * min(a, b)
    arc = np.linspace(0, np.pi / 2, 33 if radius > 0 else 2)
    lines, normals = [], []
    for quarter, (sx, sy) in enumerate([(1, 1), (-1, 1), (-1, -1), (1, -1)]):
        turned = arc + quarter * np.pi / 2
        normal = np.stack([np.cos(turned), np.sin(turned)], axis=1)
        lines.append(np.array([sx * (a - radius), sy * (b - radius)]) + radius * normal)
        # a sharp corner's softness keeps it a corner
        normals.append(normal if radius > 0 else np.array([[sx, sy], [sx, sy]], np.float64))
    return np.concatenate(lines), np.concatenate(normals)


def handles(points: F64, corner: Mask) -> tuple[F64, F64]:
    """Each point's Bézier handles towards the next and the previous point, (N, 2) each.

    They lie along the line between the point's neighbours, a third of the way to the next point long: the
    curve passes every point smoothly and makes no loops. A corner has none. The interface draws the same.
    """
    after, before = np.roll(points, -1, axis=0), np.roll(points, 1, axis=0)
    along = after - before
    along /= np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    along[corner] = 0
    forth = points + along * (np.hypot(*(after - points).T) / 3)[:, None]
    back = points - along * (np.hypot(*(points - before).T) / 3)[:, None]
    return forth, back


def curve(table: F64, corner: Mask) -> F64:
    """A closed smooth curve through points, as (N * CURVE, 4): x, y and the softness on both sides."""
    points = table[:, :2]
    forth, back = handles(points, corner)
    after, back = np.roll(table, -1, axis=0), np.roll(back, -1, axis=0)
    t = (np.arange(CURVE) / CURVE)[None, :, None]
    place = (
        (1 - t) ** 3 * points[:, None]
        + 3 * (1 - t) ** 2 * t * forth[:, None]
        + 3 * (1 - t) * t**2 * back[:, None]
        + t**3 * after[:, None, :2]
    )
    smooth = t * t * (3 - 2 * t)
    soft = table[:, None, 2:] + (after - table)[:, None, 2:] * smooth
    return np.concatenate([place, soft], axis=2).reshape(-1, 4)


def open_curve(table: F64, corner: Mask) -> F64:
    """A smooth curve from the first point to the last one, (M, 4): x, y and the softness on both sides.

    It is the first half of the closed one that goes there and comes back by the same points.
    """
    there = np.concatenate([table, table[-2:0:-1]])
    both = curve(there, np.concatenate([corner, corner[-2:0:-1]]))
    return np.concatenate([both[: (len(table) - 1) * CURVE], table[-1:]])
