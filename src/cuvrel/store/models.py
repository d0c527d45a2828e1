"""The rows."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Identity, Index, Sequence, String, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


def now() -> datetime:
    """The time, with its zone."""
    return datetime.now(UTC)


class Base(DeclarativeBase):
    """Base of all rows."""

    type_annotation_map = {dict[str, Any]: JSONB, list[Any]: JSONB, datetime: TIMESTAMP(timezone=True)}


class Project(Base):
    """A project holds footage and shots. trashed: since when it, or any other row that has this, is in the trash."""

    __tablename__ = "projects"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    created: Mapped[datetime] = mapped_column(default=now)
    updated: Mapped[datetime] = mapped_column(default=now)
    trashed: Mapped[datetime | None]


class FootageRow(Base):
    """Media brought in. state: working, ready or refused (with a message)."""

    __tablename__ = "footage"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(255))
    state: Mapped[str] = mapped_column(String(16), default="working")
    message: Mapped[str] = mapped_column(default="")
    blob: Mapped[str] = mapped_column(String(40))
    size: Mapped[int] = mapped_column(BigInteger)
    info: Mapped[dict[str, Any]] = mapped_column(default=dict)
    proxy: Mapped[dict[str, Any]] = mapped_column(default=dict)  # blob, width, height, info
    film: Mapped[dict[str, Any]] = mapped_column(default=dict)  # blob, step, width, height
    sound: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")  # blob of samples, deep, count
    created: Mapped[datetime] = mapped_column(default=now)
    trashed: Mapped[datetime | None]


class ShotRow(Base):
    """A shot, or a reel, at `revision`; `cursor` is the last edit that is in force.

    document: as it was at the revision `written`; the changes since lead to what it is now (see store/documents.py).
    forgotten: up to which revision changes are not kept any more. about: what lists of shots tell of it, and under
    "holds" the numbers of the shots that lie in it.
    """

    __tablename__ = "shots"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str] = mapped_column(String(8), default="shot", server_default="shot")
    name: Mapped[str] = mapped_column(String(200))
    document: Mapped[dict[str, Any]] = mapped_column(deferred=True)
    revision: Mapped[int] = mapped_column(default=0)
    written: Mapped[int] = mapped_column(default=0)
    forgotten: Mapped[int] = mapped_column(default=0)
    cursor: Mapped[int] = mapped_column(default=0)
    about: Mapped[dict[str, Any]] = mapped_column(default=dict)
    updated: Mapped[datetime] = mapped_column(default=now)
    trashed: Mapped[datetime | None]


class EditRow(Base):
    """One step of the history, to undo (`inverse`) and redo (`ops`); `seq` counts from 1."""

    __tablename__ = "edits"
    document_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True)
    label: Mapped[str] = mapped_column(String(200), default="")
    gesture: Mapped[str | None] = mapped_column(String(40))  # edits of one gesture are one step of the history
    ops: Mapped[list[Any]]
    inverse: Mapped[list[Any]]
    at: Mapped[datetime] = mapped_column(default=now)


class ChangeRow(Base):
    """What led to a revision, undo and redo included: what a stale edit is held against.

    Of a drag, whose every step takes the place of the one before, the last step alone is kept.
    """

    __tablename__ = "changes"
    document_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True)
    revision: Mapped[int] = mapped_column(primary_key=True)
    ops: Mapped[list[Any]]


frame_stamps = Sequence("frame_stamps", metadata=Base.metadata)


class MatteFrame(Base):
    """One stored frame of its owner: of a trace or a track, origin touched or followed; or of a settled matte, settled.

    owner: the id of the pull or the track, or a settled matte's key (see core/stand/settle.py). stamp: grows with every
    change of any frame.

    `blob` is a grey PNG at plate size, none where a touch can't be solved yet; of a track it is what was measured, as
    JSON (core/tracks/path.py), and its touches are in the document alone. `base` is the followed
    frame that a touch mends; it comes back when the touch is undone. `lessons` are the blobs of what a touched
    frame teaches by the step, "1" or "-1", by which following came to it; they hold for the blob "of" and for the
    network "by".
    """

    __tablename__ = "matte_frames"
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True)
    owner: Mapped[str] = mapped_column(String(40), primary_key=True)
    frame: Mapped[int] = mapped_column(primary_key=True)
    origin: Mapped[str] = mapped_column(String(16))
    doubt: Mapped[float] = mapped_column(default=0.0)
    blob: Mapped[str | None] = mapped_column(String(40))
    base: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    halt: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    lessons: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    stamp: Mapped[int] = mapped_column(
        BigInteger, frame_stamps, server_default=frame_stamps.next_value(), onupdate=frame_stamps.next_value()
    )


class VersionRow(Base):
    """A named version of a shot or a reel: its document as it was at a revision, its stored frames, and the frame
    that its picture shows (a third into the shot where there is none; store/versions.py)."""

    __tablename__ = "versions"
    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(200))
    revision: Mapped[int]
    document: Mapped[dict[str, Any]] = mapped_column(deferred=True)
    frames: Mapped[list[Any]] = mapped_column(deferred=True)
    shown: Mapped[int | None]
    created: Mapped[datetime] = mapped_column(default=now)


class LookRow(Base):
    """A look that a person saved or brought in; it belongs to no project (see core/looks)."""

    __tablename__ = "looks"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    document: Mapped[dict[str, Any]]
    created: Mapped[datetime] = mapped_column(default=now)


class PresetRow(Base):
    """How somebody likes to export (see core/export)."""

    __tablename__ = "presets"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    settings: Mapped[dict[str, Any]]
    created: Mapped[datetime] = mapped_column(default=now)


class JobRow(Base):
    """Long work. state: waiting, working, done, failed or stopped. parent_id: the job that it is a part of."""

    __tablename__ = "jobs"
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(16))
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    shot_id: Mapped[int | None] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), index=True)
    footage_id: Mapped[int | None] = mapped_column(ForeignKey("footage.id", ondelete="CASCADE"))
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("jobs.id", ondelete="CASCADE"), index=True)
    title: Mapped[str] = mapped_column(String(200), default="")
    args: Mapped[dict[str, Any]] = mapped_column(default=dict)
    progress: Mapped[dict[str, Any]] = mapped_column(default=dict)  # the job's own, to go on from
    result: Mapped[dict[str, Any]] = mapped_column(default=dict)
    state: Mapped[str] = mapped_column(String(16), default="waiting", index=True)
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    message: Mapped[str] = mapped_column(default="")
    stop: Mapped[bool] = mapped_column(default=False)
    queue_id: Mapped[int | None] = mapped_column(BigInteger)
    worker: Mapped[int | None]  # whose turn it is or was; a living one holds a lock of this number (jobs/worker.py)
    tries: Mapped[int] = mapped_column(default=0)  # how often it was begun since it last came further
    reached: Mapped[int] = mapped_column(default=0)  # the largest `done` so far
    told: Mapped[int] = mapped_column(default=0)  # how often its standing was told; a larger number is newer
    free: Mapped[int | None] = mapped_column(BigInteger)  # bytes that were free when it ended for want of room
    created: Mapped[datetime] = mapped_column(default=now)
    started: Mapped[datetime | None]
    finished: Mapped[datetime | None]
    trashed: Mapped[datetime | None]

    __table_args__ = (Index("jobs_by_shot_and_state", "shot_id", "state"), UniqueConstraint("queue_id"))


class LeaseRow(Base):
    """A blob that is kept although no row names it, or not yet: as long as `job` waits or is worked on, and where there
    is no job, until a time. One that is over says that the blob may go unless something names it.
    """

    __tablename__ = "leases"
    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    key: Mapped[str] = mapped_column(String(40), index=True)
    job: Mapped[int | None]
    until: Mapped[datetime]
