"""Keeping the store tidy: what nothing points to any more, and what nobody asks for."""

from __future__ import annotations

import json

from sqlalchemy import select, text
from sqlalchemy.orm import Session

from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database
from cuvrel.store.models import FootageRow, JobRow, MatteFrame, VersionRow
from cuvrel.store.shots import prune
from cuvrel.store.trash import expire, footage_blobs, frame_blobs, job_blobs

EVERY = 3600.0  # seconds between two sweeps
LOCK = 7022  # who holds it keeps all blobs as they are; of PostgreSQL's advisory locks


def used_blobs(session: Session, blobs: Blobs) -> set[str]:
    """Every blob that a row points to, in the trash or not, and those that the snapshot of a job lists which may still
    be worked on: it works from the stored frames of then.
    """
    used: set[str] = set()
    for footage in session.scalars(select(FootageRow)):
        used |= footage_blobs(footage)
    for row in session.execute(select(MatteFrame.blob, MatteFrame.base, MatteFrame.lessons)):
        used |= frame_blobs(*row)
    for frames in session.scalars(select(VersionRow.frames)):
        for one in frames:
            used |= frame_blobs(one["blob"], one["base"], one["lessons"])
    for job in session.scalars(select(JobRow)):
        used |= job_blobs(job)
        if job.state != "done" and "frames" in job.args:
            used |= _listed(blobs, str(job.args["frames"]))
    return used


def _listed(blobs: Blobs, snapshot: str) -> set[str]:
    """The blobs of a snapshot of stored frames (store/frames.py); none where that is gone."""
    try:
        frames = json.loads(blobs.get(snapshot))
    except (FileNotFoundError, ValueError):
        return set()
    return {str(blob) for _, _, blob in frames if blob}


def sweep(database: Database, blobs: Blobs, older: float = 3600.0) -> int:
    """Removes blobs that are unused and older than `older` seconds; returns how many went."""
    with database.session() as session:
        used = used_blobs(session, blobs)
    return blobs.sweep(used, older)


def tidy(database: Database, blobs: Blobs, older: float = 3600.0) -> None:
    """Empties the trash of what is too old, forgets old changes, and sweeps.

    One process at a time does it, and none while a backup is taken.
    """
    with database.session() as held:
        if not held.scalar(text("SELECT pg_try_advisory_xact_lock(:lock)"), {"lock": LOCK}):
            return
        with database.session() as session:
            expire(session)
            prune(session)
        sweep(database, blobs, older)
