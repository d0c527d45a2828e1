"""Which blobs the stored frames of a shot lie in; lists that have not changed are not read again."""

from __future__ import annotations

import json
import threading
from collections import OrderedDict
from functools import lru_cache
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from cuvrel.store import blobs as store
from cuvrel.store.models import MatteFrame

KEPT = 200  # owners of frames
State = tuple[int, int]
Blobs = dict[int, str]


class FrameLists:
    """The blobs of frames by shot and owner, with what tells whether they are still so. Safe to share."""

    def __init__(self) -> None:
        self._kept: OrderedDict[tuple[int, str], tuple[State, Blobs]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, shot_id: int, owner: str, state: State) -> Blobs | None:
        """The list of an owner's frames, which must not be written to; None where it is not known in this state."""
        with self._lock:
            found = self._kept.get((shot_id, owner))
            if found is None or found[0] != state:
                return None
            self._kept.move_to_end((shot_id, owner))
            return found[1]

    def put(self, shot_id: int, owner: str, state: State, blobs: Blobs) -> None:
        """Keeps a list."""
        with self._lock:
            self._kept[shot_id, owner] = state, blobs
            while len(self._kept) > KEPT:
                self._kept.popitem(last=False)


def stored_blobs(session: Session, shot_id: int) -> dict[str, Blobs]:
    """The blob of every stored frame of a shot, by owner and frame."""
    lists: FrameLists = session.info["frames"]
    # every change of a frame gives it a higher stamp, so that their sum and number tell of any
    states = session.execute(
        select(MatteFrame.owner, func.count(), func.sum(MatteFrame.stamp))
        .where(MatteFrame.shot_id == shot_id)
        .group_by(MatteFrame.owner)
    )
    out = {}
    for owner, count, stamps in states:
        state = int(count), int(stamps)
        found = lists.get(shot_id, owner, state)
        if found is None:
            rows = session.execute(
                select(MatteFrame.frame, MatteFrame.blob, MatteFrame.stamp).where(
                    MatteFrame.shot_id == shot_id, MatteFrame.owner == owner
                )
            ).all()
            found = {frame: blob for frame, blob, _ in rows if blob}
            # the state of what was read, which may be newer than what was asked for
            lists.put(shot_id, owner, (len(rows), sum(int(stamp) for _, _, stamp in rows)), found)
        out[owner] = found
    return out


def snapshot(session: Session, shot_id: int) -> list[list[Any]]:
    """Every stored frame of a shot as [owner, frame, blob]."""
    return [[owner, frame, blob] for owner, blobs in stored_blobs(session, shot_id).items()
            for frame, blob in sorted(blobs.items())]  # fmt: skip


def listed(blobs: store.Blobs, snapshot: str) -> frozenset[str]:
    """The blobs of a snapshot of stored frames, as a job works from it; none where that is gone."""
    try:
        return _listed(blobs, snapshot)
    except (FileNotFoundError, ValueError):
        return frozenset()


@lru_cache(maxsize=64)
def _listed(blobs: store.Blobs, snapshot: str) -> frozenset[str]:
    return frozenset(str(one[2]) for one in json.loads(blobs.get(snapshot)) if one[2])
