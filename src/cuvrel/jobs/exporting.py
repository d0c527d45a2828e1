"""Exports: cut into ranges that any worker takes, and joined by one.

The job of an export makes a job for each range and rests. With the end of the last of them the export's own job goes
back into the queue, and joins the parts. A worker that dies loses its range and nothing else.
"""

from __future__ import annotations

import json
import os
import shutil
import socket
import tempfile
import time
import zipfile
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core.export.formats import former
from cuvrel.core.export.order import Order
from cuvrel.core.export.pictures import layers, size_of
from cuvrel.core.export.sidecar import sidecar
from cuvrel.core.export.sound_track import sound_for
from cuvrel.core.export.write import packed, write_frames
from cuvrel.core.media.probe import MediaInfo
from cuvrel.core.media.writer import join_videos
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.sound.mix import Mix
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache
from cuvrel.core.stand.viewing import viewing_of
from cuvrel.jobs.queue import OPEN, enqueue, locked_job, put, tell
from cuvrel.jobs.running import Parted, Stopped, advance, heed
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database
from cuvrel.store.models import FootageRow, JobRow
from cuvrel.store.pictures import Readers, StoreSources, sounds_of

RANGE = 24  # frames that are written, and lost at the most, at a time
LATER = -1  # ranges wait for what a person waits for


class Exporting:
    """Makes exports. One per worker process."""

    def __init__(self, database: Database, blobs: Blobs, readers: Readers, cache: Cache) -> None:
        self._database, self._blobs, self._readers, self._cache = database, blobs, readers, cache
        self._kept: tuple[int, Order, Stand] | None = None

    def rest(self) -> None:
        """Lets go of the stand of the last export."""
        self._kept = None

    def export(self, row: JobRow) -> str:
        """Cuts an export into ranges, or joins them once all are there. Raises Parted while they are not."""
        order, stand = self._prepared(row)
        if not order.how.split:
            return self._whole(row, order, stand)
        with self._database.session() as session:
            parts = _parts(session, row.id)
            if not parts:
                count = len(order.frames)
                for begin in range(0, count, RANGE):
                    put(session, "range", row.project_id, row.title, priority=LATER, shot_id=row.shot_id,
                        parent_id=row.id, args={"begin": begin, "end": min(count, begin + RANGE)},
                        total=min(count, begin + RANGE) - begin)  # fmt: skip
                parts = _parts(session, row.id)
            for part in parts:
                if part.state == "waiting" and part.queue_id is None:  # the export was stopped, and is run again
                    enqueue(session, part, LATER)
            open_ = any(part.state in OPEN for part in parts)
            done = [part.result for part in parts if part.state == "done"]
            blobs = [(str(one["blob"]), int(one["count"])) for one in done]
            by = sorted({str(one.get("by", "")) for one in done})
        if open_:
            raise Parted
        self._finish(row, order, stand, blobs)
        with self._database.session() as session:
            for part in _parts(session, row.id):
                session.delete(part)
        return "Ready." if len(by) < 2 else f"Ready; {len(by)} workers had a part in it."

    def part(self, row: JobRow) -> str:
        """Writes one range of an export."""
        with self._database.session() as session:
            whole = session.get(JobRow, row.parent_id)
            if whole is None or whole.stop:
                raise Stopped
        order, stand = self._prepared(whole)
        begin, end = int(row.args["begin"]), int(row.args["end"])
        with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
            written = self._written(row, order, stand, order.frames[begin:end], begin, Path(folder), whole)
            blob = self._blobs.put_file(written)
        with self._database.session() as session:
            fresh = session.get(JobRow, row.id)
            if fresh is None or fresh.stop:
                raise Stopped
            fresh.result = {"blob": blob, "count": end - begin, "by": f"{socket.gethostname()}-{os.getpid()}"}
            fresh.done = end - begin
        return "Ready."

    def _prepared(self, row: JobRow) -> tuple[Order, Stand]:
        """An export's order and stand; those of the last one are kept, as its ranges follow one another."""
        if self._kept is not None and self._kept[0] == row.id:
            return self._kept[1:]
        shot = read_shot(row.args["document"])
        frames = json.loads(self._blobs.get(str(row.args["frames"])))
        order = Order.from_json(former(row.args), shot.fps)
        with self._database.session() as session:
            sources = StoreSources(
                session, row.shot_id or 0, shot, self._blobs, self._readers, proxies=False, frames=frames,
                shots=row.args.get("shots", {}),
            )  # fmt: skip
        stand = Stand(shot, sources, order.scale(shot))
        self._kept = row.id, order, stand
        return order, stand

    def _written(
        self, row: JobRow, order: Order, stand: Stand, frames: list[int], begin: int, folder: Path, whole: JobRow | None
    ) -> Path:
        """Some of an export's frames as a file. begin: which of the export's frames is the first."""
        name, pictures = str((whole or row).args["name"]), order.how.form == "pictures"
        where = folder / (f"part-{begin}" + ("" if pictures else order.how.suffix))
        number = stand.shot.first_number + (order.first + begin if pictures else order.first)
        done, last = 0, 0.0

        def tick() -> bool:
            nonlocal done, last
            done += 1
            if time.monotonic() - last > 0.3:
                last = time.monotonic()
                with self._database.session() as session:
                    locked_job(session, row.id)
                    advance(session, row.id, done, len(frames))
                    if whole is not None:
                        counted(session, whole.id)
            else:
                heed()
            return True

        write_frames(stand, order, frames, where, name, number, self._cache, tick)
        return packed(where, folder / f"part-{begin}.zip") if pictures else where

    def _whole(self, row: JobRow, order: Order, stand: Stand) -> str:
        """What can't be cut into ranges."""
        with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
            written = self._written(row, order, stand, order.frames, 0, Path(folder), None)
            about = self._about(row, order, stand, None)
            self._keep(row, order, written, about, order.how.suffix)
        return "Ready."

    def _finish(self, row: JobRow, order: Order, stand: Stand, parts: list[tuple[str, int]]) -> None:
        """Joins the parts, with the sound, and keeps the file as the job's result."""
        with tempfile.TemporaryDirectory(prefix="cuvrel-") as name:
            folder = Path(name)
            if order.how.form == "pictures":
                about = self._about(row, order, stand, None)
                to = folder / "joined.zip"
                self._pictures(parts, to, f"{row.args['name']}.json", about)
                self._keep(row, order, to, about, ".zip")
                return
            with self._database.session() as session:
                mix = Mix(stand.shot, sounds_of(session, stand.shot, self._blobs, row.args.get("shots", {})))
                plate = session.get(FootageRow, int(stand.shot.plate)) if stand.shot.plate.isdigit() else None
                recording = None
                if plate is not None and plate.sound:
                    recording = self._blobs.path(plate.blob), MediaInfo.from_json(plate.info)
            sound = sound_for(order, mix, recording)
            about = self._about(row, order, stand, None if sound is None else type(sound).__name__.lower())
            to = folder / f"joined{order.how.suffix}"
            join_videos([(self._blobs.path(blob), count) for blob, count in parts], to, sound,
                        order.timecode(stand.shot), stand.shot.plate_footage().reel)  # fmt: skip
            self._keep(row, order, to, about, order.how.suffix)

    def _pictures(self, parts: list[tuple[str, int]], to: Path, name: str, about: dict[str, Any]) -> None:
        """One ZIP of the parts' pictures and the sidecar."""
        with zipfile.ZipFile(to, "w", zipfile.ZIP_STORED) as archive:
            for blob, _ in parts:
                with zipfile.ZipFile(self._blobs.path(blob)) as part:
                    for member in part.infolist():
                        with part.open(member) as source, archive.open(member.filename, "w", force_zip64=True) as into:
                            shutil.copyfileobj(source, into, 1 << 20)
            archive.writestr(name, json.dumps(about, indent=1) + "\n")

    def _about(self, row: JobRow, order: Order, stand: Stand, sound: str | None) -> dict[str, Any]:
        named = layers(stand, order) if order.settings.what == "layers" else ()
        return sidecar(order, str(row.args["name"]), stand.shot, size_of(stand, order), sound, named,
                       viewing_of(stand))  # fmt: skip

    def _keep(self, row: JobRow, order: Order, file: Path, about: dict[str, Any], suffix: str) -> None:
        size = file.stat().st_size
        blob = self._blobs.put_file(file)
        with self._database.session() as session:
            fresh = session.get(JobRow, row.id, with_for_update=True)
            if fresh is None or fresh.stop:
                raise Stopped
            filename = str(row.args["name"]) + suffix
            fresh.result = {"blob": blob, "filename": filename, "size": size, "sidecar": about}
            fresh.progress, fresh.done, fresh.total = {}, len(order.frames), len(order.frames)


def _parts(session: Session, job_id: int) -> list[JobRow]:
    return list(session.scalars(select(JobRow).where(JobRow.parent_id == job_id).order_by(JobRow.id)))


def counted(session: Session, job_id: int) -> None:
    """Writes down how much of an export its parts have done. Raises Stopped where it is to stop."""
    row = session.get(JobRow, job_id, with_for_update=True)
    if row is None or row.stop:
        raise Stopped
    row.done = sum(part.done for part in _parts(session, job_id))
    tell(session, row)
