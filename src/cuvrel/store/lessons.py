"""What touched frames teach following, kept beside their mattes."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core.follow.adaptation import Lesson, nearest
from cuvrel.core.follow.inference import network
from cuvrel.store.blobs import Blobs
from cuvrel.store.models import MatteFrame


def keep_lesson(session: Session, blobs: Blobs, touched: MatteFrame, step: int, lesson: Lesson) -> None:
    """Keeps what a touched frame teaches, unless its matte has changed. touched: its row of then."""
    row = session.get(MatteFrame, (touched.shot_id, touched.owner, touched.frame), with_for_update=True)
    if row is not None and row.origin == "touched" and row.blob == touched.blob:
        valid = {"of": row.blob, "by": network(several=True).key}
        there = row.lessons if row.lessons and row.lessons.items() >= valid.items() else valid
        row.lessons = {**there, str(step): blobs.put(lesson.to_bytes())}


def lessons_about(session: Session, blobs: Blobs, shot_id: int, owner: str, frame: int) -> list[Lesson]:
    """The lessons of a trace that are learned from at a frame.

    Those of mattes that touched frames still have, and of the network that follows.
    """
    rows = session.execute(
        select(MatteFrame.frame, MatteFrame.lessons).where(
            MatteFrame.shot_id == shot_id,
            MatteFrame.owner == owner,
            MatteFrame.origin == "touched",
            MatteFrame.lessons["of"].astext == MatteFrame.blob,
            MatteFrame.lessons["by"].astext == network(several=True).key,
        )
    )
    kept = {(number, step): found[str(step)] for number, found in rows for step in (1, -1) if str(step) in found}
    return [Lesson.from_bytes(blobs.get(kept[arrival])) for arrival in nearest(kept, frame)]
