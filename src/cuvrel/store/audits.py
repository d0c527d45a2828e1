"""Whether a shot is as its audit looked at it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core.recipe.hashing import key_of
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.view_kinds import ResultView
from cuvrel.core.stand.views import view
from cuvrel.store.blobs import Blobs
from cuvrel.store.lying import whole_of
from cuvrel.store.models import JobRow, ShotRow
from cuvrel.store.pictures import Readers, StoreSources
from cuvrel.store.shots import shot_of


def state_of(session: Session, row: ShotRow) -> str:
    """A key of all that a shot's pictures are made from: its document, its stored frames, how its footage is read.

    The same state has the same pictures. Another one may have them, too: see `picture_keys`.
    """
    whole = whole_of(session, row)
    inside = [whole.shots] if whole.shots else []
    return key_of(whole.document, whole.frames, whole.read, *inside)


def picture_keys(stand: Stand, frames: Sequence[int]) -> dict[int, str]:
    """The key of the result on each of some frames: the same key is the same picture."""
    return {n: view(stand, ResultView(), n).key for n in frames}


def is_clean(findings: Sequence[Mapping[str, Any]], left_out: int) -> bool:
    """Whether an audit is clean: no frame of the range was left out, and nothing is open that is not accepted."""
    return not left_out and all(one["accepted"] for one in findings)


@dataclass(frozen=True)
class Standing:
    """A shot's newest audit. now: the result is as it was looked at, on every frame of the range. clean: nothing is
    open that is not accepted, and no frame of the range was left out.
    """

    job: JobRow
    now: bool

    @property
    def clean(self) -> bool:
        """Whether it found nothing that is not accepted, on any frame."""
        return bool(self.job.result["clean"])


def standing(session: Session, row: ShotRow, blobs: Blobs, readers: Readers) -> Standing | None:
    """How a shot stands to its newest audit; None where it was never audited."""
    wanted = select(JobRow).where(JobRow.shot_id == row.id, JobRow.kind == "audit", JobRow.state == "done")
    last = session.scalars(wanted.order_by(JobRow.id.desc()).limit(1)).first()
    if last is None:
        return None
    told = last.result
    if told.get("left_out") or "pictures" not in told:  # the latter: an audit of an earlier release
        return Standing(last, False)
    if told.get("state") == state_of(session, row):
        return Standing(last, True)
    shot = shot_of(session, row)
    sources = StoreSources(session, row.id, shot, blobs, readers, proxies=False)
    keys = picture_keys(Stand(shot, sources), shot.frames)
    return Standing(last, told["pictures"] == key_of(sorted(keys.items())))
