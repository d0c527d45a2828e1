"""Who is in a shot: faces found frame by frame, joined over time into persons by motion and likeness.

Nothing of who somebody is is worked out or kept: a person is a run of boxes, and is told from another one by how the
picture looks inside of them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.redaction.faces import SURE, Face, alike, around, faces

Read = Callable[[int], U8]
EVERY = 6  # frames from one search of the whole picture to the next; between, faces are looked at where they should be
GONE = 72  # frames after which somebody who was not seen is not waited for any more
FEW = 3  # frames on which somebody must be seen at the least, unless one of them is beyond doubt
KIN = 0.55  # likeness from which on two runs may be of one person
JUMP = 1.2  # of a face's size that it moves at the most from a frame to the next


@dataclass
class Person:
    """Somebody: their face by frame, and how the picture looks there (a histogram of colours that adds up to 1)."""

    faces: dict[int, Face] = field(default_factory=dict)
    looks: F32 = field(default_factory=lambda: np.zeros(0, np.float32))

    @property
    def best(self) -> int:
        """The frame on which the face is seen best."""
        return max(self.faces, key=lambda n: self.faces[n].score * self.faces[n].size ** 0.5)

    @property
    def first(self) -> int:
        """The first frame on which the face is seen."""
        return min(self.faces)

    @property
    def last(self) -> int:
        """The last one."""
        return max(self.faces)


def look_through(read: Read, frames: Sequence[int], fine: bool = True) -> Iterator[tuple[int, list[Face]]]:
    """The faces of each of some frames, in their order. read: a frame's picture, (H, W, 3) uint8 sRGB.

    Every few frames the whole picture is searched, and at the end; between, a face is looked at where it was, going on
    as it did. What a search finds anew is looked for backwards, too, as far as the last search that could have found
    it: faces that are small are searched for every second time.
    """
    known: list[list[Face]] = []
    told = fine_before = 0
    for at, n in enumerate(frames):
        picture = read(n)
        before, ago = known[-1] if known else [], known[-2] if at > 1 else []
        ends = at == len(frames) - 1
        if at % EVERY and not ends:
            known.append(_gone_on_to(picture, before, ago))
            continue
        small = fine and (at % (2 * EVERY) == 0 or ends)
        found = faces(picture, small)
        # what was there a frame ago and was not found is looked at once more, where it was
        lost = [one for one in before if not any(alike(one, other) for other in found)]
        found += [seen for one in lost if (seen := around(picture, one)) is not None]
        known.append(found)
        _backwards(read, frames, at, fine_before if fine else at - EVERY, known)
        if small or not fine:
            # nothing that is found later is looked for before this frame
            yield from zip(frames[told:at], known[told:at], strict=True)
            told, fine_before = at, at
    yield from zip(frames[told:], known[told:], strict=True)


def _gone_on_to(picture: U8, here: Sequence[Face], ago: Sequence[Face]) -> list[Face]:
    """The faces of the next frame, looked at where they should be. here, ago: those of the two frames before it."""
    now: list[Face] = []
    for one in here:
        seen = around(picture, _gone_on(one, ago))
        if seen is not None and not any(alike(seen, other) for other in now):
            now.append(seen)
    return now


def _gone_on(face: Face, before: Sequence[Face]) -> Face:
    """Where a face is a frame on, if it goes on as it did."""
    was = min(before, key=lambda one: _apart(one, face), default=None)
    if was is None or _apart(was, face) > JUMP * face.size:
        return face
    return Face(2 * face.x - was.x, 2 * face.y - was.y, face.width, face.height, face.score)


def _apart(one: Face, other: Face) -> float:
    return float(np.hypot(one.middle[0] - other.middle[0], one.middle[1] - other.middle[1]))


def _backwards(read: Read, frames: Sequence[int], start: int, least: int, known: list[list[Face]]) -> None:
    """Looks for the faces of a search on the frames before it, back to `least`, where they are not known there."""
    for face in known[start]:
        here = face
        for n in range(start - 1, max(-1, least - 1), -1):
            if any(alike(here, other) for other in known[n]):
                break
            seen = around(read(frames[n]), here)
            if seen is None:
                break
            known[n].append(seen)
            here = seen


def likeness(one: F32, other: F32) -> float:
    """How alike two histograms are, 0 to 1 (the Bhattacharyya coefficient)."""
    return float(np.sqrt(one * other).sum())


def looks_of(picture: U8, face: Face) -> F32:
    """How the picture looks at a face and a little below it: a histogram of hue, chroma and lightness, (192,)."""
    high, wide = picture.shape[:2]
    x0, x1 = max(0, int(face.x - 0.2 * face.width)), min(wide, int(face.x + 1.2 * face.width))
    y0, y1 = max(0, int(face.y - 0.4 * face.height)), min(high, int(face.y + 1.9 * face.height))
    if x1 - x0 < 2 or y1 - y0 < 2:
        return np.full(192, 1 / 192, np.float32)
    part = cv2.cvtColor(np.ascontiguousarray(picture[y0:y1, x0:x1]), cv2.COLOR_RGB2HSV)
    counts = cv2.calcHist([part], [0, 1, 2], None, [8, 4, 6], [0, 180, 0, 256, 0, 256]).ravel()
    return np.asarray(counts / max(counts.sum(), 1), np.float32)


class Joining:
    """Joins faces into persons, frame after frame in their order."""

    def __init__(self) -> None:
        self.persons: list[Person] = []

    def add(self, frame: int, found: Sequence[Face], picture: U8) -> None:
        """The faces of the next frame."""
        left = list(found)
        pairs = []
        looks = {id(face): looks_of(picture, face) for face in left}
        for person in self.persons:
            gap = frame - person.last
            if gap > GONE:
                continue
            last = person.faces[person.last]
            for face in left:
                like = likeness(person.looks, looks[id(face)])
                far = _apart(last, face) / max(last.size, face.size)
                grown = max(last.size, face.size) / min(last.size, face.size)
                if far > JUMP * min(gap, 12) or grown > 1.25 * min(gap, 6) + 0.3 or (gap > 2 and like < KIN):
                    continue
                pairs.append((far / min(gap, 12) + 1 - like, person, face))
        taken: set[int] = set()
        for _, person, face in sorted(pairs, key=lambda one: one[0]):
            if id(face) in taken or frame in person.faces:
                continue
            taken.add(id(face))
            person.faces[frame] = face
            person.looks = person.looks * np.float32(0.9) + looks[id(face)] * np.float32(0.1)
        for face in left:
            if id(face) not in taken:
                self.persons.append(Person({frame: face}, looks[id(face)]))

    def people(self) -> list[Person]:
        """All of them that are more than a passing likeness of a face, in the order in which they come."""
        return [one for one in self.persons
                if len(one.faces) >= FEW or max(face.score for face in one.faces.values()) > SURE]  # fmt: skip


def people(read: Read, frames: Sequence[int], tell: Callable[[int], None] = lambda done: None) -> list[Person]:
    """Everybody whose face is seen on some frames. tell: is told how many frames have been looked at."""
    joining = Joining()
    for done, (frame, found) in enumerate(look_through(read, frames), 1):
        joining.add(frame, found, read(frame))
        tell(done)
    return joining.people()
