"""The work itself: ingest, follow, export. Each goes on from its last progress when run again."""

from __future__ import annotations

import json
import logging
import tempfile
import time
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from sqlalchemy.exc import OperationalError

from cuvrel import memory
from cuvrel.core import catalogue
from cuvrel.core.arrays import U8
from cuvrel.core.export.order import safe
from cuvrel.core.follow.plan import FollowPass, Progress
from cuvrel.core.follow.run import Settings
from cuvrel.core.imaging.network import release_networks
from cuvrel.core.keys.clean_plate import MOST, drawn_coverage, joined_plate, median_plate, spaced
from cuvrel.core.media.probe import MediaInfo, pack_sequence
from cuvrel.core.media.writer import png_bytes
from cuvrel.core.motion.cuts import found_cuts, small
from cuvrel.core.recipe.check import read_shot
from cuvrel.core.recipe.errors import CuvrelError, MediaError
from cuvrel.core.recipe.models import Shot
from cuvrel.core.recipe.values import START
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import work_out
from cuvrel.core.stand.settle import live
from cuvrel.jobs.exporting import Exporting
from cuvrel.jobs.redaction import audit, found_people
from cuvrel.jobs.running import Interrupted, Stopped, advance, heed
from cuvrel.jobs.tracking import Courses
from cuvrel.store import packing
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database, notify
from cuvrel.store.disk_space import NoRoom, is_full
from cuvrel.store.following import StoredFrames
from cuvrel.store.footage import make_ready, prepare, say_ready
from cuvrel.store.mattes import plate_row, seen_by, store_matte
from cuvrel.store.models import FootageRow, JobRow, MatteFrame, Project, ShotRow
from cuvrel.store.packed import opened
from cuvrel.store.pictures import StoreSources
from cuvrel.store.resources import Resources
from cuvrel.store.shots import edit, locked, shot_of
from cuvrel.store.tracking import StoredMeasures

log = logging.getLogger("cuvrel.jobs")


class Works(Resources):
    """The tasks, a method each, and what they compute with. One per worker process."""

    def __init__(self, database: Database, blobs: Blobs, caches: int) -> None:
        """caches: their bytes in all."""
        catalogue.load()
        super().__init__(database, blobs, caches)
        self.exporting = Exporting(database, blobs, self.readers, self.cache)

    def rest(self) -> None:
        """Lets go of all that is kept for the next job, which may be long in coming."""
        self.exporting.rest()
        self.readers.clear()
        self.cache.clear()
        release_networks()
        memory.trim()

    def work(self, row: JobRow) -> str:
        """Does the job of this row."""
        works = {
            "ingest": self.ingest, "follow": self.follow, "settle": self.settle, "clean_plate": self.clean_plate,
            "track": self.track, "people": self.people, "audit": self.audit, "cuts": self.cuts,
            "solve": self.solve, "pack": self.pack, "unpack": self.unpack,
            "export": self.exporting.export, "range": self.exporting.part,
        }  # fmt: skip
        return works[row.kind](row)

    def ingest(self, row: JobRow) -> str:
        """Makes uploaded footage ready, or refuses it and leaves nothing behind but the sentence.

        What is not the file's fault (it was stopped, the disk is full, the store does not answer) refuses nothing: the
        file stays, and it is brought in when the job is run again.
        """
        try:
            self._leave(row, "working", "", once="stopped")
            with self.database.session() as session:
                footage = session.get(FootageRow, row.footage_id)
                if footage is None:
                    raise Stopped
                blob, hand = footage.blob, dict(footage.info.get("hand", {}))
            if not self.blobs.has(blob):
                raise CuvrelError("The file is not in the store.", "Bring it in again.")
            made = prepare(self.blobs, blob, hand, self._telling(row))
            with self.database.session() as session:
                footage = session.get(FootageRow, row.footage_id)
                if footage is None:
                    raise Stopped
                say_ready(session, footage, made)
                notify(session, "footage", footage=footage.id, state="ready", project=row.project_id)
            return "Ready."
        except (OperationalError, Interrupted):
            raise
        except Stopped:
            self._leave(row, "stopped", "Bringing it in was stopped.")
            raise
        except Exception as fault:  # what a broken file makes foreign decoders raise is not known beforehand
            if (kept := _not_of_the_file(fault)) is not None:
                self._leave(row, "stopped", str(kept))
                raise kept from fault
            if isinstance(fault, MediaError):
                self._leave(row, "refused", str(fault))
                raise
            log.warning("footage %s: %r", row.footage_id, fault)
            unknown = MediaError("The file can't be brought in; it is broken in a way that is not known.",
                                 "Play it in a media player, or export it again.")  # fmt: skip
            self._leave(row, "refused", str(unknown))
            raise unknown from fault

    def _leave(self, row: JobRow, state: str, message: str, once: str | None = None) -> None:
        """Writes down how footage stands that is not ready. once: only where it stood so."""
        with self.database.session() as session:
            footage = session.get(FootageRow, row.footage_id)
            # what is ready was merely looked at anew
            if footage is not None and footage.state != "ready" and footage.state == (once or footage.state):
                footage.state, footage.message = state, message
                notify(session, "footage", footage=footage.id, state=state, project=row.project_id)

    def follow(self, row: JobRow) -> str:
        """Carries a trace on from a frame until a touched frame, the range's end, a halt or a stop."""
        pull_id, start = str(row.args["pull"]), int(row.args["start"])
        with self.database.session() as session:
            shot_row = session.get(ShotRow, row.shot_id)
            if shot_row is None:
                raise Stopped
            shot = shot_of(session, shot_row)
            try:
                _, pull = shot.trace(pull_id)
            except KeyError:
                raise CuvrelError("The trace to follow is not in the shot any more.") from None
            seen = seen_by(session, shot_row.id, shot, pull_id, self.blobs, self.readers)
        values = pull.values().at(START)
        halting = bool(values["halt"])
        frames = StoredFrames(self.database, self.blobs, shot_row.id, pull_id, halting)
        there = frames.statuses()
        if start not in there:
            raise CuvrelError("There is no matte on this frame to follow from.", "Draw an in mark on it first.")
        ways = [(start, int(row.args["step"]))]
        if row.args.get("whole"):
            touched = sorted(n for n, one in there.items() if one.origin == "touched") or [start]
            ways = [(touched[0], -1), *((frame, 1) for frame in touched)]
        settings = Settings(float(values["snap"]), float(values["detail"]), float(values["hold"]))
        said = ""
        for number in range(int(row.progress.get("way", 0)), len(ways)):
            begun = row.progress if row.progress.get("way", 0) == number else {}
            way = FollowPass(
                seen.frame, seen.count, frames, *ways[number], settings, halting,
                bool(row.args.get("keep")), shot.frames, begun.get("at"), begun.get("back"),
            )  # fmt: skip
            last = None
            for last in way:
                at = {"back": last.frame.number} if last.back else {"at": last.frame.number, "back": None}
                with self.database.session() as session:
                    advance(session, row.id, last.done, last.total, way=number, **at)
            said = self._followed(row, way, last)
            if way.outcome == "halted":
                break
        return said

    def _followed(self, row: JobRow, way: FollowPass, last: Progress | None) -> str:
        """The closing line of a way; a halt is kept as the job's result."""
        if way.outcome == "halted" and last is not None and last.frame.halt is not None:
            with self.database.session() as session:
                fresh = session.get(JobRow, row.id)
                if fresh is not None:
                    fresh.result = {"halt": asdict(last.frame.halt), "frame": last.frame.number}
            return f"Halted: {last.frame.halt.reason}."
        return {
            "nothing": "The next frame is touched already.",
            "end": "Followed to the end.",
            "taken": "Followed up to a frame that was touched meanwhile.",
            "touched": "Followed to the next touched frame.",
        }.get(way.outcome, "Followed to the next touched frame, and joined with what comes back from it.")

    def solve(self, row: JobRow) -> str:
        """Solves marked frames that were too many for the edit that marked them."""
        frames = row.args["frames"]
        for done in range(int(row.progress.get("at", 0)), len(frames)):
            self.touches.finish(self.database, int(row.shot_id or 0), str(frames[done][0]), int(frames[done][1]))
            with self.database.session() as session:
                advance(session, row.id, done + 1, len(frames), at=done + 1)
        return "Solved."

    def track(self, row: JobRow) -> str:
        """Follows tracks, from a frame on or as far as they go, and stores what is measured."""
        wanted, args = [str(one) for one in row.args["tracks"]], row.args
        with self.database.session() as session:
            shot_row = session.get(ShotRow, row.shot_id)
            if shot_row is None:
                raise Stopped
            shot = shot_of(session, shot_row)
            if not {one.id for one in shot.tracks}.issuperset(wanted):
                raise CuvrelError("The track to follow is not in the shot any more.")
            plate = plate_row(session, shot)
            sources = StoreSources(session, shot_row.id, shot, self.blobs, self.readers, proxies=False)
        reader = self.readers.get(plate.blob, MediaInfo.from_json(plate.info))
        courses = Courses(
            shot, Stand(shot, sources), self.cache, reader.frame,
            lambda track: StoredMeasures(self.database, self.blobs, shot_row.id, track), wanted, int(args["start"]),
            args["step"] or None, args.get("to"), row.progress.get("been", {}),
        )  # fmt: skip
        for done, total, been in courses:
            with self.database.session() as session:
                advance(session, row.id, done, total, been=been)
        self._result(row, courses.result)
        return courses.said

    def people(self, row: JobRow) -> str:
        """Looks for everybody whose face is seen in the shot's range."""
        shot, plate = self._shot_and_plate(row)
        reader = self.readers.get(plate.blob, MediaInfo.from_json(plate.info))
        found = found_people(reader.frame, shot.frames, self.blobs, self._telling(row))
        self._result(row, {"people": found})
        return f"{len(found)} people found." if len(found) != 1 else "One person found."

    def cuts(self, row: JobRow) -> str:
        """Looks for other camera shots in the plate, and marks where they begin in place of what was marked."""
        shot, plate = self._shot_and_plate(row)
        info = MediaInfo.from_json(plate.proxy["info"])
        reader = self.readers.get(plate.proxy["blob"], info)
        tell = self._telling(row)
        found = found_cuts((small(reader.frame(n)) for n in range(info.frames)), lambda done: tell(done, info.frames))
        value = [{"frame": one.frame, "to": one.to} for one in found]
        with self.database.session() as session:
            now = locked(session, int(row.shot_id or 0))
            if shot_of(session, now).plate != shot.plate:
                raise CuvrelError("Another plate has come under the shot meanwhile.")
            edit(session, now.id, now.revision, [{"op": "replace", "path": "/cuts", "value": value}], "find cuts")
        return f"{len(found)} cuts found." if len(found) != 1 else "One cut found."

    def audit(self, row: JobRow) -> str:
        """Looks at every frame of the result for faces that are open."""
        shot = read_shot(row.args["document"])
        stored = json.loads(self.blobs.get(str(row.args["frames"])))
        with self.database.session() as session:
            sources = StoreSources(
                session, row.shot_id or 0, shot, self.blobs, self.readers, proxies=False, frames=stored
            )
            of = None if row.args["of"] is None else session.get(JobRow, int(row.args["of"]))
            before = None if of is None else dict(of.result)
        first, last = row.args["first"], row.args["last"]
        frames = [n for n in shot.frames if (first is None or n >= first) and (last is None or n <= last)]
        found = audit(Stand(shot, sources), self.cache, frames, self.blobs, before, self._telling(row))
        self._result(row, {**found, "revision": row.args["revision"], "state": row.args.get("state")})
        open_ = sum(not one["accepted"] for one in found["findings"])
        said = "Nobody was found exposed." if not open_ else f"{open_} finding{'s' * (open_ > 1)}."
        left = found["left_out"]
        return said if not left else f"{said} {left} frames of the range were not looked at as they are now."

    def _shot_and_plate(self, row: JobRow) -> tuple[Shot, FootageRow]:
        """The shot that a job works on, as it is now, and its plate. Raises Stopped where it is gone."""
        with self.database.session() as session:
            shot_row = session.get(ShotRow, row.shot_id)
            if shot_row is None:
                raise Stopped
            shot = shot_of(session, shot_row)
            return shot, plate_row(session, shot)

    def _telling(self, row: JobRow) -> Callable[[int, int], None]:
        """Writes down how many of how many are done, not too often. Raises Stopped when that was asked for."""
        last = 0.0

        def tell(done: int, total: int) -> None:
            nonlocal last
            heed()
            if done == total or time.monotonic() - last > 0.25:
                last = time.monotonic()
                with self.database.session() as session:
                    advance(session, row.id, done, total)

        return tell

    def _result(self, row: JobRow, result: dict[str, Any]) -> None:
        with self.database.session() as session:
            fresh = session.get(JobRow, row.id)
            if fresh is None or fresh.stop:
                raise Stopped
            fresh.result = result

    def pack(self, row: JobRow) -> str:
        """Writes the project into one open file."""
        with tempfile.TemporaryDirectory(prefix="cuvrel-") as folder:
            to = Path(folder) / "project.zip"
            with self.database.session() as session:
                project = session.get(Project, row.project_id)
                if project is None:
                    raise Stopped
                packing.pack(session, self.blobs, project, to)
                name = f"{safe(project.name) or 'project'}.zip"
            size = to.stat().st_size
            self._result(row, {"blob": self.blobs.put_file(to), "filename": name, "size": size})
        return "Ready."

    def unpack(self, row: JobRow) -> str:
        """Fills an empty project from a packed one, whole or not at all."""
        path, name = self.blobs.path(str(row.args["packed"])), str(row.args["name"])
        with opened(path, name, self.blobs.room) as packed, self.database.session() as session:
            project = session.get(Project, row.project_id)
            if project is None:
                raise Stopped
            packing.fill(session, self.blobs, project, packed, self._telling(row))
            project.name = packed.about.project[:120]
            notify(session, "project", project=project.id)
        with self.database.session() as session:
            fresh = session.get(JobRow, row.id)
            if fresh is not None:
                fresh.args = {}  # the packed file is not needed any more
        return "Brought in."

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
        frames = shot.frames
        for frame in range(int(row.progress.get("at", frames[0] - 1)) + 1, frames[-1] + 1):
            blob = store_matte(self.blobs, work_out(stand.matte(matte_id, frame), self.cache))
            with self.database.session() as session:
                session.merge(
                    MatteFrame(shot_id=shot_row.id, owner=token, frame=frame, origin="settled", doubt=0.0, blob=blob)
                )
                advance(session, row.id, frame - frames[0] + 1, len(frames), at=frame)
        with self.database.session() as session:
            now = locked(session, shot_row.id)
            mattes = shot_of(session, now).mattes
            place = next((n for n, one in enumerate(mattes) if one.id == matte_id), None)
            if place is None:
                raise CuvrelError("The matte to settle is not in the shot any more.")
            ops = [{"op": "replace", "path": f"/mattes/{place}/settled", "value": token}]
            edit(session, shot_row.id, now.revision, ops, f"settle {mattes[place].name}")
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
                else np.ones(stand.plate_size, np.float32)
                for part in parts
            ]
            plate = joined_plate(pictures[0], list(zip(pictures[1:], covers[1:], strict=True)))
        else:
            # a large picture's frames would not fit into memory: fewer of them do nearly as well
            most = int(np.clip(600_000_000 // (4 * stand.plate_size[0] * stand.plate_size[1]), 9, MOST))
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


def _not_of_the_file(fault: BaseException | None) -> CuvrelError | None:
    """What is said of a fault that is the machine's and not the footage's; None where it is the footage's."""
    while fault is not None:
        if isinstance(fault, CuvrelError) and not isinstance(fault, MediaError):
            return fault
        if is_full(fault):
            return NoRoom("The disk is full; the file is kept.", "Make room; it goes on by itself then.")
        fault = fault.__cause__ or fault.__context__
    return None
