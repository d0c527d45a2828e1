"""Reels as timeline files: OpenTimelineIO's own (`.otio`), and CMX 3600 edit lists (`.edl`) by its adapter.

A piece is a clip that is named after its shot, its range is in the shot's own rate, and a join is a transition that
begins with the new clip: the old one's media runs on below it. What the formats do not know, moves above all, lies as
JSON in the metadata under `cuvrel`; in an edit list it is a comment.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, Literal, get_args

import opentimelineio as otio
from pydantic import ValidationError

from cuvrel.core.recipe.errors import CuvrelError, RecipeError
from cuvrel.core.recipe.models import Footage
from cuvrel.core.recipe.rates import exact
from cuvrel.core.recipe.reel import Laid, Marker, Piece, Reel

Kind = Literal["otio", "edl"]
KINDS = get_args(Kind)
_ADAPTERS: dict[str, str] = {"otio": "otio_json", "edl": "cmx_3600"}
DISSOLVE, WIPE = "SMPTE_Dissolve", "SMPTE_Wipe"
NOTE = "CUVREL "  # what begins a comment of ours in an edit list
MOST = 20 << 20  # characters of a file
DAY = 24 * 3600


def written(reel: Reel, names: Mapping[str, str], files: Mapping[str, str], kind: Kind) -> str:
    """A reel as the text of a timeline file. names, files: what each shot is called, and its plate's file, by entry.

    Raises RecipeError for what the format can't hold.
    """
    if not reel.pieces:
        raise RecipeError("A reel without a piece has no timeline.", "Lay a shot in first.")
    rate = float(exact(reel.fps))
    track = otio.schema.Track("V1", kind=otio.schema.TrackKind.Video)
    laid = reel.laid()
    for n, one in enumerate(laid):
        if one.shared:
            track.append(_transition(one, rate))
        track.append(_clip(reel, laid, n, names, files, kind, rate))
    if kind == "otio":
        for marker in reel.markers:
            track.markers.append(_marked(marker.name, marker.frame, rate))
    line = otio.schema.Timeline(reel.name, global_start_time=_time(0, rate))
    line.tracks.append(track)
    if kind == "otio":
        about = reel.model_dump(mode="json", exclude={"pieces", "footage", "markers"})
        line.metadata["cuvrel"] = {"reel": json.dumps(about)}
    try:
        more = {"rate": rate} if kind == "edl" else {}
        text = str(otio.adapters.write_to_string(line, _ADAPTERS[kind], **more))
        return text if kind == "otio" else _with_wipes(text, laid)
    except (otio.exceptions.OTIOError, RuntimeError, ValueError) as fault:
        raise RecipeError(f"This reel can't be written as an edit list: {_sentence(fault)}", "Use .otio.") from fault


def _time(value: float, rate: float) -> Any:
    return otio.opentime.RationalTime(value, rate)


def _marked(name: str, at: float, rate: float) -> Any:
    return otio.schema.Marker(name=name, marked_range=otio.opentime.TimeRange(_time(at, rate), _time(1, rate)))


def _wipes(one: Laid) -> bool:
    return one.piece.join.get("kind") in ("push", "cover", "uncover", "matte")


def _transition(one: Laid, rate: float) -> Any:
    kind = WIPE if _wipes(one) else DISSOLVE
    return otio.schema.Transition(
        str(one.piece.join.get("kind")), kind, in_offset=_time(0, rate), out_offset=_time(one.shared, rate)
    )


def _with_wipes(text: str, laid: tuple[Laid, ...]) -> str:
    """An edit list in which joins that slide are wipes: the adapter writes a dissolve for each."""
    joins = iter([one for one in laid if one.shared])

    def named(event: re.Match[str]) -> str:
        return f"{event[1]}{'W001' if _wipes(next(joins)) else 'D'.ljust(4)} "

    return re.sub(r"^(\d+ +\S+ +\S+ +)D +(?=\d)", named, text, flags=re.MULTILINE)


def _clip(
    reel: Reel, laid: tuple[Laid, ...], n: int, names: Mapping[str, str], files: Mapping[str, str], kind: Kind,
    rate: float,
) -> Any:  # fmt: skip
    one, entry = laid[n], reel.footage_by_id(laid[n].piece.shot)
    kept = one.count - (laid[n + 1].shared if n + 1 < len(laid) else 0)
    own = float(exact(entry.fps))
    name = names.get(entry.id, entry.name)
    if kind == "otio":
        length = _time(float(kept * one.pace), own)
        span = otio.opentime.TimeRange(_time(one.piece.first, own), length)
    else:
        # an edit list has one rate
        span = otio.opentime.TimeRange(_time(round(one.piece.first / float(one.pace)), rate), _time(kept, rate))
    whole = otio.opentime.TimeRange(_time(0, span.start_time.rate), _time(max(entry.frames, 1), span.start_time.rate))
    media = otio.schema.ExternalReference(files.get(entry.id) or name, whole)
    marked = [marker for marker in reel.markers if 0 <= marker.frame - one.begin < kept and kind == "edl"]
    own_about = one.piece.model_dump(mode="json", exclude={"shot"})
    # an edit list's own markers are in capitals, and said twice where clips are joined
    own_about |= {"markers": [marker.model_dump() for marker in marked]} if marked else {}
    about = json.dumps(own_about, separators=(",", ":"))
    clip = otio.schema.Clip(name, media, span)
    if kind == "otio":
        clip.metadata["cuvrel"] = {"piece": about}
    else:
        clip.metadata["cmx_3600"] = {"reel": "AX", "comments": [NOTE + about]}
        for marker in marked:
            clip.markers.append(_marked(marker.name, span.start_time.value + marker.frame - one.begin, rate))
    return clip


# reading


@dataclass(frozen=True)
class Cut:
    """A clip that was read. media: what it is called; first, length: seconds of the media; shared: seconds that it has
    in common with the one before. piece: what a file of ours says of it, else {}. join: what a file of others says.
    """

    media: str
    first: float
    length: float
    shared: float
    piece: dict[str, Any]
    join: str = ""
    file: str = ""


@dataclass(frozen=True)
class Timeline:
    """What a timeline file holds. said: what of it was left out. about: of a file of ours, the reel's other parts."""

    name: str
    fps: float
    cuts: list[Cut]
    markers: list[Marker]
    said: list[str]
    about: dict[str, Any] = field(default_factory=dict)

    @property
    def media(self) -> dict[str, str]:
        """The names of all media, in the order in which they first come, each with its file's name if it has one."""
        out: dict[str, str] = {}
        for one in self.cuts:
            out.setdefault(one.media, one.file)
        return out


def read(text: str, kind: Kind, name: str, fps: float = 24.0) -> Timeline:
    """What a timeline file holds. fps: of an edit list, which does not say it. Raises RecipeError for what is none."""
    if len(text) > MOST:
        raise RecipeError(f"'{name}' is larger than a timeline can be.")
    try:
        more = {"rate": fps} if kind == "edl" else {}
        whole = otio.adapters.read_from_string(text, _ADAPTERS[kind], **more)
    except Exception as fault:  # the adapters raise whatever comes to them
        raise RecipeError(f"'{name}' can't be read as a timeline: {_sentence(fault)}", "Export it again.") from fault
    said: list[str] = []
    if isinstance(whole, otio.schema.SerializableCollection):
        lines = [one for one in whole if isinstance(one, otio.schema.Timeline)]
        if len(lines) > 1:
            said.append(f"It holds {len(lines)} timelines; the first one was read.")
        whole = lines[0] if lines else None
    if not isinstance(whole, otio.schema.Timeline):
        raise RecipeError(f"'{name}' holds no timeline.")
    tracks = [one for one in whole.video_tracks() if any(isinstance(part, otio.schema.Clip) for part in one)]
    if not tracks:
        raise RecipeError(f"There is no clip in '{name}'.")
    if len(tracks) > 1:
        said.append(f"{len(tracks) - 1} more video tracks were left out.")
    if sounds := sum(len(one) for one in whole.audio_tracks()):
        said.append(f"{sounds} clips of sound were left out.")
    cuts = _cuts(tracks[0], said)
    rate = _rate(whole, tracks[0], fps)
    about = _own(whole, "reel")
    markers = [_marker(one, 0.0, rate) for one in [*whole.tracks.markers, *tracks[0].markers]]
    for clip in tracks[0].find_clips():
        shift = _seconds(clip.range_in_parent().start_time) - _seconds(clip.trimmed_range().start_time)
        markers += [_marker(one, shift, rate) for one in clip.markers]
    ours = [Marker.model_validate(one) for cut in cuts for one in cut.piece.pop("markers", [])]
    if any(cut.piece for cut in cuts) and kind == "edl":
        markers = list(ours)
    title = (whole.name or Path(name).stem)[:120] or "Reel"
    return Timeline(title, rate, cuts, [one for one in markers if one is not None], said, about)


def _rate(line: Any, track: Any, fps: float) -> float:
    """What a timeline runs at: as it says, else as its first clip does."""
    said = line.global_start_time
    found = said.rate if said is not None else next(iter(track.find_clips())).trimmed_range().duration.rate
    return round(float(found), 6) if 0 < found <= 1000 else fps


def _marker(marker: Any, shift: float, rate: float) -> Marker | None:
    """shift: seconds from the marker's own time to the reel's."""
    at = round((_seconds(marker.marked_range.start_time) + shift) * rate)
    return Marker(frame=at, name=(marker.name or "marker")[:120]) if 0 <= at < 10_000_000 else None


def _cuts(track: Any, said: list[str]) -> list[Cut]:
    out: list[Cut] = []
    shared, taken, kind = 0.0, 0.0, ""
    children = list(track)
    for n, part in enumerate(children):
        if isinstance(part, otio.schema.Transition):
            before, after = _seconds(part.in_offset), _seconds(part.out_offset)
            shared, taken, kind = before + after, before, _kind_of(part)
            if out:  # the clip before runs on below it
                last = out[-1]
                out[-1] = replace(last, length=last.length + after)
            continue
        if isinstance(part, otio.schema.Gap):
            if part.duration().value > 0 and 0 < n < len(children) - 1:
                said.append(f"A gap of {_seconds(part.duration()):.2f} s was left out.")
        elif isinstance(part, otio.schema.Clip):
            span = part.trimmed_range()
            if any(isinstance(one, otio.schema.TimeEffect) for one in part.effects):
                said.append(f"The speed of '{part.name}' was left out.")
            first, length = _seconds(span.start_time) - taken, _seconds(span.duration) + taken
            first -= _begin(part)
            # an edit list says of a join's event which file it comes from, and of which it goes to after that
            file = "" if shared and "cmx_3600" in part.metadata else _file(part)
            media = part.name or file or f"clip {len(out) + 1}"
            out.append(Cut(media, first, length, shared if out else 0.0, _own(part, "piece"), kind, file))
        else:
            said.append(f"'{part.name or type(part).__name__}' was left out: it is a timeline of its own.")
        shared, taken, kind = 0.0, 0.0, ""
    return out


def _begin(clip: Any) -> float:
    """Where a clip's media begins, in seconds of its own time: its time code, where it says that."""
    whole = getattr(clip.media_reference, "available_range", None)
    return _seconds(whole.start_time) if whole is not None else 0.0


def _kind_of(transition: Any) -> str:
    return "push" if transition.transition_type == WIPE else "mix"


def _seconds(time: Any) -> float:
    return float(time.value) / float(time.rate) if time.rate > 0 else 0.0


def _file(clip: Any) -> str:
    address = getattr(clip.media_reference, "target_url", None)
    return str(address).replace("\\", "/").rsplit("/", 1)[-1][:255] if address else ""


def _own(thing: Any, what: str) -> dict[str, Any]:
    """What a file of ours says of a clip or a timeline, as JSON; {} where it says nothing that can be read."""
    raw = dict(thing.metadata.get("cuvrel", {})).get(what)
    if raw is None:
        comments = dict(thing.metadata.get("cmx_3600", {})).get("comments", [])
        # of an event with a join the old clip's comments come first
        raw = next((str(one)[len(NOTE) :] for one in reversed(comments) if str(one).startswith(NOTE)), None)
    try:
        found = json.loads(raw) if raw else {}
    except ValueError:
        return {}
    return found if isinstance(found, dict) else {}


def _sentence(fault: Exception) -> str:
    text = " ".join(str(fault).split())[:200].rstrip(".") or type(fault).__name__
    return f"{text}."


def as_reel(line: Timeline, entries: Mapping[str, Footage]) -> tuple[dict[str, Any], list[str]]:
    """The document of a reel, and what had to be left out or fitted. entries: what stands for each medium, by its name.

    Raises RecipeError where nothing of it can be shown.
    """
    said = list(line.said)
    pieces: list[Piece] = []
    for n, cut in enumerate(line.cuts):
        entry = entries[cut.media]
        own = _piece(cut, entry, f"p{n + 1}")
        if own is None:
            rate = entry.fps or line.fps
            first, count = round(cut.first * rate), max(1, round(cut.length * rate))
            last = first + count - 1
            held = max(0, min(first, entry.frames - 1)), max(0, min(last, entry.frames - 1))
            if held != (first, last):
                said.append(f"'{cut.media}' has the frames 0 to {entry.frames - 1}; {first} to {last} were asked for.")
            length = round(cut.shared * line.fps)
            join = {"kind": cut.join or "mix", "length": float(length)} if length else {}
            own = Piece(id=f"p{n + 1}", shot=entry.id, first=held[0], last=held[1], join=join)
        pieces.append(own)
    used = {piece.shot for piece in pieces}
    known = {one.id: one for one in entries.values()}
    document: dict[str, Any] = {
        "kind": "reel", "name": line.name, "format": {"fps": line.fps},
        "planes": [{"id": "pieces", "name": "Pieces", "kind": "plate"}],
    }  # fmt: skip
    document |= {name: line.about[name] for name in ("planes", "format", "first_number", "range") if name in line.about}
    document |= {
        "footage": [one.model_dump(mode="json") for ident, one in known.items() if ident in used],
        "pieces": [one.model_dump(mode="json") for one in pieces],
        "markers": [one.model_dump(mode="json") for one in line.markers],
    }
    return document, said


def _piece(cut: Cut, entry: Footage, ident: str) -> Piece | None:
    """A piece as a file of ours says it, where that still agrees with what was cut."""
    if not cut.piece:
        return None
    try:
        piece = Piece.model_validate({**cut.piece, "id": ident, "shot": entry.id})
        for family in ("fitting", "move", "join"):
            piece.values(family)
    except (ValidationError, CuvrelError):
        return None
    agrees = abs(piece.first / (entry.fps or 24) - cut.first) < 1 / (entry.fps or 24) and piece.last < entry.frames
    return piece if agrees or not entry.frames else None
