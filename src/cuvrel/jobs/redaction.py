"""Long work of a redaction: finding who is in a shot, and the audit; and what is kept of either."""

from __future__ import annotations

import json
from collections.abc import Callable, Container, Mapping, Sequence
from typing import Any

import numpy as np

from cuvrel.core.arrays import U8
from cuvrel.core.recipe.hashing import key_of
from cuvrel.core.redaction.audit import AuditedFrame, audited, report, runs_of
from cuvrel.core.redaction.covering import cover_shape, head_frames, head_track, portrait
from cuvrel.core.redaction.people import Joining, Person, people
from cuvrel.core.stand.build import Stand
from cuvrel.core.stand.nodes import Cache, work_out
from cuvrel.core.stand.uncovered import Uncovered
from cuvrel.core.stand.view_kinds import ResultView
from cuvrel.core.stand.views import view
from cuvrel.store.audits import is_clean, picture_keys
from cuvrel.store.blobs import Blobs

Read = Callable[[int], U8]
Json = dict[str, Any]


def found_people(read: Read, frames: Sequence[int], blobs: Blobs, tell: Callable[[int, int], None]) -> list[Json]:
    """Everybody in some frames, each as a job's result tells of them (see `kept`)."""
    found = people(read, frames, lambda done: tell(done, len(frames)))
    return [kept(person, read, frames, blobs, n) for n, person in enumerate(found, 1)]


def kept(person: Person, read: Read, frames: Sequence[int], blobs: Blobs, number: int) -> Json:
    """Somebody as a job's result tells of them: when they are seen, a picture, and what covers them (`cover`, a blob).

    That holds the track of their head, what is stored of its frames, and the shape that rides on it. head: the first
    point of that track, by which a shot knows whether somebody is covered.
    """
    track = head_track(person, "head", f"Head {number}")
    rows = head_frames(person, track, read, frames)
    cover = {
        "track": track.model_dump(mode="json"),
        "shape": cover_shape(person, track, "face"),
        "frames": [[n, json.loads(one.packed()), round(one.doubt, 3)] for n, one in sorted(rows.items())],
    }
    return {"first": person.first, "last": person.last, "seen": len(person.faces), "frame": person.best,
            "head": list(track.points[0]),
            "picture": blobs.put(portrait(read(person.best), person.faces[person.best])),
            "cover": blobs.put(json.dumps(cover).encode())}  # fmt: skip


def audit(
    stand: Stand, cache: Cache, frames: Sequence[int], blobs: Blobs, before: Mapping[str, Any] | None,
    tell: Callable[[int, int], None],
) -> Json:  # fmt: skip
    """The audit of frames of a shot as a job's result.

    before: an earlier one, which counts for every frame whose picture is still the one that it looked at; those are
    not looked at again. `clean` is true only when every frame of the shot's range was looked at as it is now, and
    nothing was found open that is not accepted.
    """
    keys = picture_keys(stand, stand.shot.frames)
    kept_rows = [] if before is None else json.loads(blobs.get(before["rows"]))
    old = {row["frame"]: row for row in kept_rows if row.get("key") == keys.get(row["frame"])}
    frames = [n for n in frames if n not in old]
    hiding = Uncovered(stand)

    def plate(n: int) -> U8:
        return np.ascontiguousarray(work_out(stand.plate(n), cache))

    def shown(n: int) -> U8:
        return np.ascontiguousarray(work_out(view(stand, ResultView(), n), cache)[..., :3])

    looked: list[AuditedFrame] = []
    joining = Joining()
    for run in runs_of(frames):
        whole = range(run["first"], run["last"] + 1)
        for one in audited(plate, lambda n: work_out(hiding.hidden(n), cache), whole, shown, stand.corner):
            looked.append(one)
            joining.add(one.frame, [seen.face for seen in one.seen if seen.exposed], plate(one.frame))
            tell(len(looked), len(frames))
    findings = [finding for n, person in enumerate(joining.persons, 1)
                for finding in _findings(person, looked, plate, stand.shot.frames, blobs, n)]  # fmt: skip
    findings += [] if before is None else _still(before["findings"], old)
    findings.sort(key=lambda one: int(one["first"]))
    rows = [{**row, "key": keys[row["frame"]]} for row in report(looked)["frames"]] + list(old.values())
    rows.sort(key=lambda row: int(row["frame"]))
    left_out = len(keys) - len(rows)
    return {"looked_at": len(rows), "left_out": left_out, "findings": findings, "clean": is_clean(findings, left_out),
            "pictures": key_of(sorted((row["frame"], row["key"]) for row in rows)),
            "rows": blobs.put(json.dumps(rows).encode())}  # fmt: skip


def _still(findings: Sequence[Json], frames: Container[int]) -> list[Json]:
    """What is left of findings on frames that are as they were: a finding that reaches beyond them is cut there."""
    out = []
    for one in findings:
        for run in runs_of([n for n in range(one["first"], one["last"] + 1) if n in frames]):
            frame = min(max(one["frame"], run["first"]), run["last"])
            out.append({**one, **run, "frame": frame})
    return out


def _findings(
    person: Person, looked: Sequence[AuditedFrame], plate: Read, frames: Sequence[int], blobs: Blobs, number: int
) -> list[Json]:
    """Runs of frames on which somebody is exposed, each with a picture of the worst."""
    by_frame = {one.frame: one for one in looked}
    numbers, out, start = sorted(person.faces), [], 0
    for n in range(1, len(numbers) + 1):
        if n < len(numbers) and numbers[n] - numbers[n - 1] <= 2:
            continue
        run = numbers[start:n]
        start = n
        open_ = {at: next(s.covered for s in by_frame[at].seen if s.face is person.faces[at]) for at in run}
        worst = min(open_, key=lambda at: open_[at])
        part = Person({at: person.faces[at] for at in run}, person.looks)
        about = kept(part, plate, frames, blobs, number)
        picture = blobs.put(portrait(plate(worst), person.faces[worst]))
        out.append({**about, "first": run[0], "last": run[-1], "frame": worst, "person": number,
                    "covered": round(open_[worst], 3), "picture": picture, "accepted": None})  # fmt: skip
    return out
