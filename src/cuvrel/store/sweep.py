"""Removing blobs that nothing points to any more."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select

from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database
from cuvrel.store.models import FootageRow, JobRow, MatteFrame


def used_blobs(database: Database) -> set[str]:
    """Every blob that a row points to."""
    used: set[str] = set()
    with database.session() as session:
        for footage in session.scalars(select(FootageRow)):
            if footage.state != "refused":
                used |= _named(footage.blob, footage.proxy.get("blob"), footage.film.get("blob"))
        for blob, base, lessons in session.execute(select(MatteFrame.blob, MatteFrame.base, MatteFrame.lessons)):
            used |= _named(blob, (base or {}).get("blob"), *((lessons or {}).get(step) for step in ("1", "-1")))
        for job in session.scalars(select(JobRow)):
            used |= _of_job(job)
    return used


def _named(*blobs: str | None) -> set[str]:
    return {blob for blob in blobs if blob}


def _of_job(job: JobRow) -> set[str]:
    found: list[Any] = [job.args.get("frames"), job.result.get("blob")]
    if job.state in ("waiting", "working", "failed"):
        found += [part[0] for part in job.progress.get("parts", [])]
    return {str(blob) for blob in found if blob}


def sweep(database: Database, blobs: Blobs, older: float = 3600.0) -> int:
    """Removes what is unused and older than `older` seconds; returns how many blobs went."""
    return blobs.sweep(used_blobs(database), older)
