"""The audit of a redaction: on every frame, which faces there are, and how much of each is covered."""

from __future__ import annotations

import base64
import html
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np

from cuvrel.core.arrays import F32, U8
from cuvrel.core.redaction.faces import Face, alike, faces
from cuvrel.core.redaction.people import look_through

OPEN = 0.1  # of a face that may be open at the most
TOLD = 0.6  # score from which on a face that is found in the covered picture counts, whatever the cover says


@dataclass(frozen=True)
class Seen:
    """A face on a frame, and how much of it is covered, 0 to 1. shows: it is found in the covered picture itself."""

    face: Face
    covered: float
    shows: bool = False

    @property
    def exposed(self) -> bool:
        """Whether it can be made out."""
        return self.covered < 1 - OPEN or self.shows


@dataclass(frozen=True)
class AuditedFrame:
    """A frame of the result that the audit looked at, and the faces that it knows of there."""

    frame: int
    seen: tuple[Seen, ...]

    @property
    def exposed(self) -> bool:
        """Whether any face can be made out on it."""
        return any(one.exposed for one in self.seen)


def covered(face: Face, cover: F32) -> float:
    """How much of a face a cover, (H, W) float32, hides, 0 to 1. A pixel counts where it is covered wholly."""
    high, wide = cover.shape
    x0, x1 = max(0, int(np.floor(face.x))), min(wide, int(np.ceil(face.x + face.width)))
    y0, y1 = max(0, int(np.floor(face.y))), min(high, int(np.ceil(face.y + face.height)))
    if x1 <= x0 or y1 <= y0:
        return 1.0
    y, x = np.mgrid[y0:y1, x0:x1] + 0.5
    (mx, my) = face.middle
    inside = ((x - mx) / (face.width / 2)) ** 2 + ((y - my) / (face.height / 2)) ** 2 <= 1
    part = cover[y0:y1, x0:x1][inside]
    return float((part > 0.9).mean()) if part.size else 1.0


def audited(
    plate: Callable[[int], U8], cover: Callable[[int], F32], frames: Sequence[int],
    picture: Callable[[int], U8] | None = None, corner: tuple[float, float] = (0.0, 0.0),
) -> Iterator[AuditedFrame]:  # fmt: skip
    """Every frame, in its order: the plate's faces and how much of each is covered.

    plate: a frame as it was shot, (H, W, 3) uint8 sRGB. cover: what is covered, (H, W) float32, 0 to 1. picture: the
    frame as it is exported; faces that are found in it are exposed, whether the plate has shown them or not. corner:
    the column and the row of that at which the plate's corner lies.
    """
    for frame, found in look_through(plate, frames):
        over = cover(frame)
        told = [] if picture is None else [one for one in faces(picture(frame)) if one.score >= TOLD]
        shows = [replace(one, x=one.x - corner[0], y=one.y - corner[1]) for one in told]
        seen = [Seen(one, covered(one, over), any(alike(one, other) for other in shows)) for one in found]
        new = [one for one in shows if not any(alike(one, other) for other in found)]
        yield AuditedFrame(frame, (*seen, *(Seen(one, covered(one, over), shows=True) for one in new)))


def runs(looked: Sequence[AuditedFrame]) -> list[tuple[int, int]]:
    """Runs of exposed frames, first and last."""
    return [(run["first"], run["last"]) for run in runs_of([one.frame for one in looked if one.exposed])]


def runs_of(frames: Sequence[int]) -> list[dict[str, int]]:
    """Runs of frames without a gap, each as its first and last."""
    out: list[dict[str, int]] = []
    for frame in frames:
        if out and frame - out[-1]["last"] == 1:
            out[-1]["last"] = frame
        else:
            out.append({"first": frame, "last": frame})
    return out


def report(looked: Sequence[AuditedFrame], **about: Any) -> dict[str, Any]:
    """The report as JSON. about: what else it says, as the hash of the file that it speaks of."""
    rows = []
    for one in looked:
        found = [
            {"box": [round(float(n), 1) for n in (s.face.x, s.face.y, s.face.width, s.face.height)],
             "score": round(s.face.score, 3), "covered": round(s.covered, 3)} | ({"shows": True} if s.shows else {})
            for s in one.seen
        ]  # fmt: skip
        rows.append({"frame": one.frame, "faces": found, "exposed": one.exposed})
    exposed = runs_of([one.frame for one in looked if one.exposed])
    return {**about, "looked_at": len(rows), "exposed": exposed, "clean": not exposed, "frames": rows}


def page(told: dict[str, Any], title: str, pictures: Mapping[int, bytes] | None = None) -> str:
    """The report as a page that needs nothing else. pictures: by frame, a picture of it, as JPEG."""
    clean = told["clean"]
    verdict = (
        "Nobody was found exposed who was not accepted."
        if clean
        else f"{len(told['exposed'])} runs of frames leave a face open."
    )
    about = "".join(
        f"<dt>{html.escape(name.replace('_', ' '))}</dt><dd>{html.escape(str(value))}</dd>"
        for name, value in told.items() if value and name not in ("frames", "exposed", "clean", "accepted")
    )  # fmt: skip
    rows = []
    for run in told["exposed"]:
        worst = min((f for f in told["frames"] if run["first"] <= f["frame"] <= run["last"]),
                    key=lambda f: min((s["covered"] for s in f["faces"]), default=1.0))  # fmt: skip
        shown = (pictures or {}).get(worst["frame"])
        image = ""
        if shown:
            data = base64.b64encode(shown).decode()
            image = f'<img src="data:image/jpeg;base64,{data}" alt="frame {worst["frame"]}">'
        least = min((s["covered"] for s in worst["faces"]), default=1.0)
        rows.append(f"<tr><td>{run['first']} to {run['last']}</td><td>{least:.0%} covered</td><td>{image}</td></tr>")
    table = f"<table><tr><th>Frames</th><th>At worst</th><th></th></tr>{''.join(rows)}</table>" if rows else ""
    style = (
        "body{font:15px/1.5 system-ui,sans-serif;margin:2rem auto;max-width:46rem;color:#25262a;background:#fbf9f2}"
        "dt{float:left;clear:left;width:9rem;color:#6a6659}dd{margin-left:9rem}td,th{text-align:left;"
        "padding:.3rem .8rem .3rem 0;vertical-align:top}img{max-width:18rem;border:1px solid #cfc6b4}"
        ".bad{color:#b0331f}"
    )
    reasons = "".join(
        f"<li>frames {one['first']} to {one['last']}: {html.escape(one['reason'])}</li>"
        for one in told.get("accepted", [])
    )
    table += f"<h2>Accepted</h2><ul>{reasons}</ul>" if reasons else ""
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{html.escape(title)}</title>'
        f'<style>{style}</style><h1>{html.escape(title)}</h1><p class="{"" if clean else "bad"}"><strong>{verdict}'
        "</strong> A search can miss a face: look at the pictures yourself before you rely on it.</p>"
        f"<dl>{about}</dl>{table}</html>\n"
    )


def small_picture(picture: U8, wide: int = 480) -> bytes:
    """A picture, made smaller, as JPEG."""
    scale = min(1.0, wide / picture.shape[1])
    small = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return bytes(cv2.imencode(".jpg", cv2.cvtColor(small, cv2.COLOR_RGB2BGR))[1].tobytes())
