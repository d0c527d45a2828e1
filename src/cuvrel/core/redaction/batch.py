"""A whole redaction without a hand: everybody's face found, covered, and looked for again in what came out."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from cuvrel.core.arrays import U8
from cuvrel.core.media.probe import MediaInfo
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.models import Shot
from cuvrel.core.redaction.covering import cover_parts, cover_shape, head_frames, head_track
from cuvrel.core.redaction.people import Person
from cuvrel.core.stand.sources import FrameSources
from cuvrel.core.tracks.path import Measured

Read = Callable[[int], U8]


def redaction(
    info: MediaInfo, read: Read, people: Sequence[Person], values: Mapping[str, Any]
) -> tuple[Shot, FrameSources]:
    """The shot in which everybody's face is covered, and its sources. values: of the cover, as in a document."""
    frames = range(info.frames)
    tracks, shapes, measured = [], [], {}
    for number, person in enumerate(people, 1):
        track = head_track(person, f"head{number}", f"Head {number}")
        tracks.append(track.model_dump(mode="json"))
        shapes.append(cover_shape(person, track, f"face{number}"))
        measured[track.id] = head_frames(person, track, read, frames)
    plate = {"id": "1", "name": "clip", "hash": "0" * 40, "width": info.width, "height": info.height,
             "frames": info.frames, "fps": info.fps}  # fmt: skip
    matte, plane = cover_parts(shapes, "covered", "cover", values)
    document = {
        "name": "Redaction", "plate": "1", "footage": [plate], "tracks": tracks, "mattes": [matte],
        "planes": [plane, {"id": "plate", "name": "Plate", "kind": "plate"}],
    }  # fmt: skip
    return read_shot(document), FrameSources(lambda _, frame: read(frame), tracks=measured)


def unsure(people: Sequence[Person], tracks: Mapping[str, Mapping[int, Measured]], count: int) -> list[str]:
    """What a redaction could not be sure of, in sentences."""
    out = [] if people else ["No face was found at all."]
    for number, person in enumerate(people, 1):
        rows = tracks[f"head{number}"]
        unseen = sum(one.reason.startswith("no face") for one in rows.values())
        if unseen:
            out.append(f"Head {number}: no face is seen on {unseen} frames from {min(rows)} to {max(rows)}; the cover "
                       "goes on there by how the head looks, or by smooth motion, and is larger.")  # fmt: skip
        if len(person.faces) < 6:
            out.append(f"Head {number}: a face is seen on {len(person.faces)} frames alone; it may be none.")
        if min(rows) > 0 or max(rows) < count - 1:
            out.append(f"Head {number}: covered on frames {min(rows)} to {max(rows)}; elsewhere it was not found.")
    return out
