"""From somebody to a cover: a track of their head, an ellipse that rides on it, a plane that hides what is under it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from itertools import pairwise
from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F64, U8
from cuvrel.core.imaging.homography import FROM_MIDDLE
from cuvrel.core.imaging.sampling import averaged_down
from cuvrel.core.recipe.tracks import Track
from cuvrel.core.redaction.faces import Face
from cuvrel.core.redaction.people import Person
from cuvrel.core.tracks.follow import CanNotTrack, Found, Start, Tracker
from cuvrel.core.tracks.path import Measured, own_frame
from cuvrel.core.tracks.pyramids import Scenes

Json = dict[str, Any]
HEAD = (1.3, 1.75, -0.12)  # of a head: its width and height, and how far its middle lies below the box's, in boxes
ON = 36  # frames that a head is followed on where no face is seen before it first is, and after it last was
UNSEEN = 0.55  # the least doubt of a frame on which no face is seen
HELD = 0.5  # doubt above which following a head by how it looks is given up
SIDE = 120  # pixels of a small picture of somebody
STEADY = 2.0  # frames over which sizes and places of boxes are averaged, Gaussian


def head_of(face: Face) -> tuple[float, float, float, float]:
    """The ellipse about a head: middle, width and height, in plate pixels."""
    (x, y), (wide, high, down) = face.middle, HEAD
    return x, y + down * face.height, wide * face.width, high * face.height


def head_track(person: Person, ident: str, name: str) -> Track:
    """The track of somebody's head, marked where their face is seen best."""
    frame = person.best
    x, y, wide, high = head_of(person.faces[frame])
    turns = np.arange(24) * (2 * np.pi / 24)
    points = np.column_stack([x + wide / 2 * np.cos(turns), y + high / 2 * np.sin(turns)]).round(2)
    return Track.model_validate(
        {"id": ident, "name": name, "kind": "region", "frame": frame, "points": points.tolist()}
    )


def steadied(person: Person) -> dict[int, Face]:
    """Somebody's face by frame, without the jitter of single boxes: each the mean of those about it in time."""
    numbers = sorted(person.faces)
    table = np.array([(f.x, f.y, f.width, f.height) for f in (person.faces[n] for n in numbers)])
    out = {}
    for n in numbers:
        weights = np.exp(-0.5 * ((np.array(numbers) - n) / STEADY) ** 2)
        near = np.abs(np.array(numbers) - n) <= 3 * STEADY
        # places by a line through them, so that who walks is not drawn back
        design = np.column_stack([np.ones(len(numbers)), np.array(numbers) - n])[near]
        root = np.sqrt(weights[near])[:, None]
        fit = np.linalg.lstsq(design * root, table[near] * root, rcond=None)[0]
        x, y, w, h = (float(v) for v in fit[0])
        out[n] = Face(x, y, max(w, 2.0), max(h, 2.0), person.faces[n].score)
    return out


def head_frames(person: Person, track: Track, read: Callable[[int], U8], frames: Sequence[int]) -> dict[int, Measured]:
    """What is stored of somebody's track: where their face was found, and where their head went while it was not.

    Where no face is seen the head is followed by how it looks, from either side; what can't be followed is left to be
    bridged. Both are said to be in doubt.
    """
    own, faces = own_frame(track), steadied(person)
    reference = faces[track.frame]
    out: dict[int, Measured] = {}
    for n, face in faces.items():
        matrix = _from_to(reference, face) @ own
        out[n] = Measured(matrix, matrix, float(np.clip(0.9 - face.score, 0, 0.5)))
    scenes = Scenes(read)
    for gap in _gaps(sorted(faces), frames):
        found: dict[int, tuple[int, F64]] = {}
        for wanted, start in gap:
            for far, (n, way) in enumerate(_followed(scenes, faces[start], start, wanted), 1):
                if n not in found or far < found[n][0]:
                    found[n] = far, way @ _from_to(reference, faces[start]) @ own
        for n, (_, matrix) in found.items():
            out[n] = Measured(matrix, matrix, UNSEEN, "no face is seen: followed by how it looks")
        for n in {n for wanted, _ in gap for n in wanted} - found.keys():
            if min(faces) < n < max(faces):
                out[n] = Measured(None, None, 1.0, "no face is seen: bridged by smooth motion")
    return out


def _from_to(one: Face, other: Face) -> F64:
    """How a box became another one: place and size."""
    (x, y), (u, v) = one.middle, other.middle
    size = float(np.sqrt(other.width * other.height / (one.width * one.height)))
    return np.array([[size, 0, u - size * x], [0, size, v - size * y], [0, 0, 1.0]])


def _gaps(seen: Sequence[int], frames: Sequence[int]) -> Iterable[list[tuple[list[int], int]]]:
    """Runs of frames on which no face is seen, each with the frames from which they are come to, in their order."""
    first, last = seen[0], seen[-1]
    yield [([n for n in range(first - 1, first - 1 - ON, -1) if n >= frames[0]], first)]
    for a, b in pairwise(seen):
        if b - a > 1:
            yield [(list(range(a + 1, b)), a), (list(range(b - 1, a, -1)), b)]
    yield [([n for n in range(last + 1, last + 1 + ON) if n <= frames[-1]], last)]


def _followed(scenes: Scenes, face: Face, start: int, wanted: Sequence[int]) -> Iterable[tuple[int, F64]]:
    """How a head goes on from a frame while it can be followed, between plate pixels."""
    if not wanted:
        return
    x, y, wide, high = head_of(face)
    box = np.array([[x - wide / 2, y - high / 2], [x + wide / 2, y - high / 2],
                    [x + wide / 2, y + high / 2], [x - wide / 2, y + high / 2]])  # fmt: skip
    try:
        tracker = Tracker(scenes, Start("region", start, box))
    except CanNotTrack:
        return
    back = np.linalg.inv(FROM_MIDDLE @ tracker.first.matrix)
    found: Found
    for found in tracker.follow(wanted):
        if found.doubt > HELD:
            return
        yield found.frame, np.asarray(FROM_MIDDLE @ found.matrix @ back, np.float64)


def cover_shape(person: Person, track: Track, ident: str) -> Json:
    """The ellipse over somebody's head, which rides on its track and grows where that is in doubt."""
    x, y, wide, high = (round(n, 2) for n in head_of(person.faces[track.frame]))
    key = {"frame": track.frame, "x": x, "y": y, "width": wide, "height": high}
    ride = {"track": track.id, "frame": track.frame, "how": "position and size", "widen": 0.35}
    return {"id": ident, "name": track.name, "kind": "ellipse", "keys": [key], "rides": [ride]}


def cover_parts(shapes: Sequence[Json], matte: str, plane: str, values: Mapping[str, Any]) -> tuple[Json, Json]:
    """The matte of some covers, and the plane that hides what is under it."""
    pull = {"id": f"{matte}-shapes", "kind": "shape", "shapes": list(shapes)}
    step = {"id": f"{plane}-cover", "kind": "cover", "params": dict(values)}
    return (
        {"id": matte, "name": "Covered", "pulls": [pull]},
        {"id": plane, "name": "Cover", "kind": "glaze", "gate": {"matte": matte}, "treatments": [step]},
    )


def portrait(picture: U8, face: Face) -> bytes:
    """A small picture of somebody's head, as JPEG."""
    x, y, wide, high = head_of(face)
    half = max(wide, high) * 0.6
    way = np.array([[SIDE / (2 * half), 0, SIDE / 2 - x * SIDE / (2 * half)],
                    [0, SIDE / (2 * half), SIDE / 2 - y * SIDE / (2 * half)], [0, 0, 1.0]])  # fmt: skip
    picture, way = averaged_down(picture, way)
    cut = cv2.warpAffine(cv2.cvtColor(picture, cv2.COLOR_RGB2BGR), way[:2], (SIDE, SIDE), flags=cv2.INTER_LINEAR,
                         borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
    return bytes(cv2.imencode(".jpg", cut, [cv2.IMWRITE_JPEG_QUALITY, 88])[1].tobytes())
