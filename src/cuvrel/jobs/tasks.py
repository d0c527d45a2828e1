"""The work itself: ingest, follow, export. Each goes on from its last progress when run again."""

from __future__ import annotations

import json
import shutil
import tempfile
import time
from dataclasses import asdict
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select
from sqlalchemy.orm import Session

from cuvrel.core import catalogue
from cuvrel.core.follow.carry import Follower, Halt, Known
from cuvrel.core.follow.evidence import Beyond
from cuvrel.core.follow.lessons import Arrival, Lesson
from cuvrel.core.follow.run import Settings, examined, joined, pictured, set_out, span
from cuvrel.core.media.probe import MediaInfo, pack_sequence
from cuvrel.core.media.reader import Reader
from cuvrel.core.media.writer import join_videos, png_bytes, zip_folder
from cuvrel.core.pulls.clean_plate import MOST, drawn_coverage, joined_plate, median_plate, spaced
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.declared import declared
from cuvrel.core.recipe.errors import CuvrelError, MediaError
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.export import Export, export_kind, open_writer, picture, sidecar, write_range
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.settle import live
from cuvrel.jobs.queue import Stopped, advance
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database, notify
from cuvrel.store.footage import make_ready
from cuvrel.store.lessons import keep_lesson, lessons_about
from cuvrel.store.mattes import known_far, plate_row, store_followed, store_matte, stored_matte, touched_near
from cuvrel.store.models import FootageRow, JobRow, MatteFrame, ShotRow
from cuvrel.store.pictures import Readers, StoreSources
from cuvrel.store.shots import edit, locked

F32 = NDArray[np.float32]
U8 = NDArray[np.uint8]
PATIENCE = 12  # frames after a halt that was waved through in which no new halt is raised
RANGE = 24  # frames of an export that are written, and lost at the most, at a time


class Works:
    """What the tasks need. One per worker process."""

    def __init__(self, database: Database, blobs: Blobs, cache_bytes: int) -> None:
        catalogue.load()
        self.database, self.blobs = database, blobs
        self.readers = Readers(blobs)
        self.cache = Cache(cache_bytes)

    def work(self, row: JobRow) -> str:
        """Does the job of this row."""
        works = {"ingest": self.ingest, "follow": self.follow, "export": self.export, "settle": self.settle,
                 "clean_plate": self.clean_plate}  # fmt: skip
        return works[row.kind](row)

    def ingest(self, row: JobRow) -> str:
        """Makes uploaded footage ready, or refuses it and leaves nothing behind but the sentence."""
        last = 0.0

        def progress(done: int, total: int) -> None:
            nonlocal last
            if done == total or time.monotonic() - last > 0.25:
                last = time.monotonic()
                with self.database.session() as session:
                    advance(session, row.id, done, total)

        try:
            with self.database.session() as session:
                footage = session.get(FootageRow, row.footage_id)
                if footage is None:
                    raise Stopped
                make_ready(session, footage, self.blobs, progress)
                notify(session, "footage", footage=footage.id, state="ready", project=row.project_id)
            return "Ready."
        except MediaError as fault:
            self._refuse(row, str(fault))
            raise
        except Stopped:
            self._refuse(row, "Bringing it in was stopped.")
            raise

    def _refuse(self, row: JobRow, message: str) -> None:
        with self.database.session() as session:
            footage = session.get(FootageRow, row.footage_id)
            if footage is not None:
                footage.state, footage.message = "refused", message
                notify(session, "footage", footage=footage.id, state="refused", project=row.project_id)

    def follow(self, row: JobRow) -> str:
        """Carries a trace on from a frame until a touched frame, the end, a halt or a stop."""
        pull_id, step = str(row.args["pull"]), int(row.args["step"])
        start = int(row.progress.get("at", row.args["start"]))
        with self.database.session() as session:
            shot_row = session.get(ShotRow, row.shot_id)
            if shot_row is None:
                raise Stopped
            shot = read_shot(shot_row.document)
            try:
                _, pull = shot.trace(pull_id)
            except KeyError:
                raise CuvrelError("The trace to follow is not in the shot any more.") from None
            plate = plate_row(session, shot)
            info, blob = MediaInfo.from_json(plate.info), plate.blob
            frames, goal = _frames_to_go(session, shot_row.id, pull_id, start, step, info.frames)
            begun = session.get(MatteFrame, (shot_row.id, pull_id, start))
            matte = stored_matte(self.blobs, begun) if begun else None
            if matte is None:
                raise CuvrelError("There is no matte on this frame to follow from.", "Draw an in mark on it first.")
            # where a followed frame is gone on from, the touched one behind it teaches
            followed = begun is not None and begun.origin == "followed"
            taught = touched_near(session, self.blobs, shot_row.id, pull_id, start, -step) if followed else None
        reader = self.readers.get(blob, info)
        values = declared("pull", "trace").read(pull.params).at(0)
        settings = Settings(float(values["snap"]), float(values["detail"]), float(values["hold"]))
        halting = bool(values["halt"])
        keep = bool(row.args.get("keep")) and "at" not in row.progress
        patience = PATIENCE if keep or (begun is not None and begun.halt) else 0
        first = int(row.args["start"])
        total = abs(goal - first)
        seen = None if taught is None else (reader.frame(taught[0]), taught[1])
        if not frames and "at" not in row.progress:
            return "The next frame is touched already."
        others, far = self._elsewhere(shot_row.id, pull_id, start if taught is None else taught[0], reader)
        learned = self._learned(shot_row.id, pull_id, start)
        follower = set_out((reader.frame(start), matte), settings, seen, others, far=far, lessons=learned)
        for number, found in span(reader.frame, frames, follower, keep):
            halt = found.halt if halting and patience <= 0 else None
            patience -= 1
            kept_blob = store_matte(self.blobs, found.matte)
            with self.database.session() as session:
                kept = store_followed(session, shot_row.id, pull_id, number, kept_blob, found.doubt,
                                      asdict(found.halt) if found.halt and halting else None)  # fmt: skip
                if not kept:
                    return f"Followed up to the touched frame {number}."
                advance(session, row.id, abs(number - first), total, at=number)
                if halt is not None:
                    self._halted(session, row.id, number, halt)
                    return f"Halted: {halt.reason}."
        if not 0 <= goal + step < info.frames:
            return "Followed to the end."
        place = follower.known()
        self._examine(shot_row.id, pull_id, reader, follower, (goal + step, step))
        self._from_beyond(row, pull_id, reader, goal + step, step, settings, place)
        return "Followed to the next touched frame, and joined with what comes back from it."

    def _from_beyond(
        self, row: JobRow, pull_id: str, reader: Reader, beyond: int, step: int, settings: Settings, place: Known
    ) -> None:
        """Follows back from the touched frame that was reached, and joins both ways by their doubt.

        place: what the way there knew of it at its end.
        """
        shot_id, count = row.shot_id or 0, reader.info.frames
        begin = int(row.progress.get("back", beyond))
        with self.database.session() as session:
            frames, nearest = _frames_to_go(session, shot_id, pull_id, begin, -step, count)
            first = nearest - step  # the touched frame behind, if there is one
            far, at = (session.get(MatteFrame, (shot_id, pull_id, n)) for n in (beyond, begin))
            ends = [stored_matte(self.blobs, one) if one else None for one in (far, at)]
        if not 0 <= first < count or ends[0] is None or ends[1] is None:
            return
        total = 2 * (abs(beyond - first) - 1)
        taught = None if begin == beyond else (reader.frame(beyond), ends[0])

        def there_first(number: int) -> Beyond | None:
            with self.database.session() as session:
                found = self._kept(session, shot_id, pull_id, number, "followed")
                return None if found is None else Beyond(found[0], abs(number - first), found[1].doubt)

        others, more = self._elsewhere(shot_id, pull_id, beyond, reader)
        learned = self._learned(shot_id, pull_id, begin)
        follower = set_out((reader.frame(begin), ends[1]), settings, taught, others, place, more, learned)
        for number, found in span(reader.frame, frames, follower, beyond=there_first):
            with self.database.session() as session:
                known = self._kept(session, shot_id, pull_id, number, "followed")
                if known is None:
                    return
                matte, there = known
                share = abs(number - first) / abs(beyond - first)
                both, doubt = joined((matte, there.doubt), (found.matte, found.doubt), share)
                store_followed(session, shot_id, pull_id, number, store_matte(self.blobs, both), doubt, there.halt)
                advance(session, row.id, total // 2 + abs(beyond - number), total, back=number)
        self._examine(shot_id, pull_id, reader, follower, (first, -step))

    def _learned(self, shot_id: int, pull_id: str, frame: int) -> list[Lesson]:
        with self.database.session() as session:
            return lessons_about(session, self.blobs, shot_id, pull_id, frame)

    def _examine(self, shot_id: int, pull_id: str, reader: Reader, follower: Follower, arrival: Arrival) -> None:
        """Keeps what a touched frame teaches to which following has come."""
        with self.database.session() as session:
            touched = self._kept(session, shot_id, pull_id, arrival[0], "touched")
        if touched is None:
            return
        matte, there = touched
        lesson = examined(reader.frame, reader.info.frames, follower, arrival, matte)
        with self.database.session() as session:
            keep_lesson(session, self.blobs, there, arrival[1], lesson)

    def _kept(
        self, session: Session, shot_id: int, pull_id: str, number: int, origin: str
    ) -> tuple[F32, MatteFrame] | None:
        """The matte and the row of a frame of that origin; None for any other."""
        there = session.get(MatteFrame, (shot_id, pull_id, number))
        matte = stored_matte(self.blobs, there) if there and there.origin == origin else None
        return None if there is None or matte is None else (matte, there)

    def _halted(self, session: Session, job_id: int, number: int, halt: Halt) -> None:
        row = session.get(JobRow, job_id)
        if row is not None:
            row.result = {"halt": asdict(halt), "frame": number}

    def _elsewhere(self, shot_id: int, pull_id: str, frame: int, reader: Reader) -> list[list[tuple[U8, F32]]]:
        """Pictures and mattes of the touched frames on either side of one, and of others that show its place."""
        with self.database.session() as session:
            near = [touched_near(session, self.blobs, shot_id, pull_id, frame, step) for step in (-1, 1)]
            far = known_far(session, self.blobs, shot_id, pull_id, frame)
        return pictured(reader.frame, [one for one in near if one], far)

    def settle(self, row: JobRow) -> str:
        """Stores all frames of a matte as they are, and then lets the shot use them."""
        matte_id, token = str(row.args["matte"]), str(row.args["token"])
        with self.database.session() as session:
            shot_row = session.get(ShotRow, row.shot_id)
            if shot_row is None:
                raise Stopped
            shot = live(read_shot(row.args["document"]), matte_id)
            sources = StoreSources(session, shot_row.id, shot, self.blobs, self.readers, proxies=False)
        stand = Stand(shot, sources)
        for frame in range(int(row.progress.get("at", -1)) + 1, stand.frames):
            blob = store_matte(self.blobs, work_out(stand.matte(matte_id, frame), self.cache))
            with self.database.session() as session:
                session.merge(
                    MatteFrame(shot_id=shot_row.id, pull_id=token, frame=frame, origin="settled", doubt=0.0, blob=blob)
                )
                advance(session, row.id, frame + 1, stand.frames, at=frame)
        with self.database.session() as session:
            now = locked(session, shot_row.id)
            place = next((n for n, m in enumerate(now.document["mattes"]) if m["id"] == matte_id), None)
            if place is None:
                raise CuvrelError("The matte to settle is not in the shot any more.")
            ops = [{"op": "replace", "path": f"/mattes/{place}/settled", "value": token}]
            edit(session, shot_row.id, now.revision, ops, f"settle {now.document['mattes'][place]['name']}")
        return "Settled."

    def clean_plate(self, row: JobRow) -> str:
        """Builds a clean plate from the shot's frames, and brings it in as footage."""
        shot = read_shot(row.args["document"])
        how = str(row.args["how"])
        with self.database.session() as session:
            sources = StoreSources(session, row.shot_id or 0, shot, self.blobs, self.readers, proxies=False)
        stand = Stand(shot, sources)
        seen = None
        if how == "parts":
            parts = row.args["parts"]
            pictures = [work_out(stand.plate(int(part["frame"])), self.cache) for part in parts]
            covers = [
                work_out(stand.matte(part["matte"], int(part["frame"])), self.cache)
                if part["matte"]
                else np.ones(stand.size, np.float32)
                for part in parts
            ]
            plate = joined_plate(pictures[0], list(zip(pictures[1:], covers[1:], strict=True)))
        else:
            # a large picture's frames would not fit into memory: fewer of them do nearly as well
            most = int(np.clip(600_000_000 // (4 * stand.size[0] * stand.size[1]), 9, MOST))
            frames = spaced(int(row.args["first"]), int(row.args["last"]), most)
            pictures, mattes = [], []
            for n, frame in enumerate(frames):
                pictures.append(work_out(stand.plate(frame), self.cache))
                if how == "free":
                    mattes.append(work_out(stand.matte(str(row.args["matte"]), frame), self.cache))
                with self.database.session() as session:
                    advance(session, row.id, n + 1, len(frames))
            plate, seen = median_plate(pictures, mattes if how == "free" else None)
        footage = self._bring_in(row, plate, f"Clean plate of {shot.name}.png"[-255:])
        covered, drawn = 1.0, {}
        if seen is not None:
            covered = float((seen > 0).mean())
            coded = cv2.imencode(".jpg", cv2.cvtColor(drawn_coverage(plate, seen), cv2.COLOR_RGB2BGR))[1].tobytes()
            drawn = {"blob": self.blobs.put(coded), "filename": "coverage.jpg"}
        with self.database.session() as session:
            fresh = session.get(JobRow, row.id)
            if fresh is not None:
                fresh.result = {"footage": footage, "covered": round(covered, 4), **drawn}
            notify(session, "footage", footage=footage, state="ready", project=row.project_id)
        if covered < 1:
            return f"Ready. No frame shows the background of {100 * (1 - covered):.1f} % of the picture."
        return "Ready."

    def _bring_in(self, row: JobRow, picture: U8, name: str) -> int:
        """A still as footage of the job's project; its id."""
        with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
            still, packed = Path(folder) / "still.png", Path(folder) / "still.zip"
            still.write_bytes(png_bytes(picture))
            pack_sequence([("clean-plate.png", still)], packed)
            size = packed.stat().st_size
            blob = self.blobs.put_file(packed)
        with self.database.session() as session:
            footage = FootageRow(project_id=row.project_id, name=name, blob=blob, size=size)
            session.add(footage)
            session.flush()
            make_ready(session, footage, self.blobs)
            return footage.id

    def export(self, row: JobRow) -> str:
        """Writes the export range by range, then joins the ranges; ranges that are done are not done again."""
        export = export_kind(str(row.args["kind"]))
        shot = read_shot(row.args["document"])
        frames = json.loads(self.blobs.get(str(row.args["frames"])))
        first, last = int(row.args["first"]), int(row.args["last"])
        target = row.args.get("target")
        name = str(row.args["name"])
        with self.database.session() as session:
            sources = StoreSources(
                session, row.shot_id or 0, shot, self.blobs, self.readers, proxies=False, frames=frames
            )
        stand = Stand(shot, sources)
        parts: list[list[object]] = list(row.progress.get("parts", []))
        total = last - first + 1
        with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
            for index, begin in enumerate(range(first, last + 1, RANGE)):
                end = min(last, begin + RANGE - 1)
                if index < len(parts) and self.blobs.has(str(parts[index][0])):
                    continue
                part = self._range(row, export, stand, target, (begin, end), first, total, Path(folder), name)
                parts = [*parts[:index], [part, end - begin + 1]]
                with self.database.session() as session:
                    advance(session, row.id, end - first + 1, total, parts=parts)
            about = sidecar(export, name, (first, last), shot.first_number, stand.fps, stand.size)
            joined = self._join(export, parts, Path(folder), name, about)
            size = joined.stat().st_size
            blob = self.blobs.put_file(joined)
        with self.database.session() as session:
            fresh = session.get(JobRow, row.id)
            if fresh is None or fresh.stop:
                raise Stopped
            fresh.result = {"blob": blob, "filename": name + export.suffix, "size": size, "sidecar": about}
            fresh.progress = {}
        return "Ready."

    def _range(
        self, row: JobRow, export: Export, stand: Stand, target: object, span_: tuple[int, int], first: int, total: int,
        folder: Path, name: str,
    ) -> str:  # fmt: skip
        begin, end = span_
        where = folder / (f"part-{begin}" + ("" if export.form == "png" else export.suffix))
        number = stand.shot.first_number + begin
        writer = open_writer(export, where, stand.size, stand.fps, name, number)
        nodes = (picture(stand, export.what, None if target is None else str(target), export.alpha, f)
                 for f in range(begin, end + 1))  # fmt: skip
        count, last = begin, time.monotonic()

        def tick() -> bool:
            nonlocal count, last
            count += 1
            if time.monotonic() - last > 0.3:
                last = time.monotonic()
                with self.database.session() as session:
                    advance(session, row.id, count - first, total)
            return True

        write_range(nodes, writer, self.cache, tick)
        if export.form == "png":
            packed = folder / f"part-{begin}.zip"
            zip_folder(where, packed)
            shutil.rmtree(where)
            where = packed
        return self.blobs.put_file(where)

    def _join(
        self, export: Export, parts: list[list[object]], folder: Path, name: str, about: dict[str, object]
    ) -> Path:
        to = folder / ("joined" + export.suffix)
        if export.form == "png":
            pictures = folder / "pictures"
            pictures.mkdir()
            for blob, _ in parts:
                shutil.unpack_archive(self.blobs.path(str(blob)), pictures, "zip")
            (pictures / f"{name}.json").write_text(json.dumps(about, indent=1) + "\n")
            zip_folder(pictures, to)
            return to
        join_videos([(self.blobs.path(str(blob)), int(str(count))) for blob, count in parts], to)
        return to


def _frames_to_go(session: Session, shot_id: int, pull_id: str, start: int, step: int, count: int) -> tuple[range, int]:
    """The frames from `start` (left out) up to, not including, the next touched one; and the last of them."""
    rows = session.scalars(
        select(MatteFrame.frame).where(
            MatteFrame.shot_id == shot_id, MatteFrame.pull_id == pull_id, MatteFrame.origin == "touched"
        )
    ).all()
    ahead = [f for f in rows if (f - start) * step > 0]
    if step > 0:
        end = min(ahead) if ahead else count
        return range(start + 1, end), end - 1
    end = max(ahead) if ahead else -1
    return range(start - 1, end, -1), end + 1
