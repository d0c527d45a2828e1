"""The headless command line."""

from __future__ import annotations

import functools
import json
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from cuvrel import __version__
from cuvrel.core.recipe.errors import CuvrelError


def sentences(run: Callable[..., Any]) -> Callable[..., Any]:
    """Faults that a person can do something about end in a sentence and exit code 2."""

    @functools.wraps(run)
    def wrapped(*args: Any, **kwargs: Any) -> Any:
        try:
            return run(*args, **kwargs)
        except CuvrelError as fault:
            click.echo(f"cuvrel: {fault}", err=True)
            sys.exit(2)

    return wrapped


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__)
def main() -> None:
    """Cuvrel: pull the matte of a moving subject, check it, mend it, and treat the subject alone.

    follow and render work on files alone. pack, unpack, backup, restore and up use the database in the folder
    that CUVREL_VAR names (./var by default).
    """


@main.command()
@click.argument("footage", type=click.Path(exists=True, path_type=Path))
@click.option(
    "--marks", type=click.Path(exists=True, dir_okay=False, path_type=Path), required=True, help="JSON file of marks."
)
@click.option(
    "--to", type=click.Path(dir_okay=False, path_type=Path), required=True, help="The matte: grey FFV1 in MKV."
)
@click.option(
    "--report", type=click.Path(dir_okay=False, path_type=Path), help="JSON file of doubt, time and origin per frame."
)
@click.option("--no-halt", is_flag=True, help="Go on where following would halt on doubt.")
@click.option(
    "--snap", type=click.FloatRange(0, 1), default=0.7, show_default=True, help="How strongly the outline seeks edges."
)
@click.option(
    "--detail", type=click.FloatRange(0, 1), default=1.0, show_default=True, help="Soft edges from the picture."
)
@click.option(
    "--hold", type=click.FloatRange(0, 1), default=0.35, show_default=True, help="How strongly the shape is kept."
)
@sentences
def follow(
    footage: Path, marks: Path, to: Path, report: Path | None, no_halt: bool, snap: float, detail: float, hold: float
) -> None:
    """Trace a subject from marks and follow it both ways over the whole clip.

    FOOTAGE is a video, or a ZIP or a folder of pictures. MARKS looks like

    \b
      {"marks": [{"frame": 12, "kind": "in", "radius": 6.0,
                  "points": [[640.0, 300.0], [655.5, 410.0]]}]}

    with kind "in" or "out", frames from 0, plate pixels, and the origin at the top left corner of the top
    left pixel. The matte has as many frames as the footage. A frame that following did not reach (it
    halted before) is black, and the report says so.
    """
    from cuvrel import headless

    try:
        raw = json.loads(marks.read_text())
    except (ValueError, OSError) as fault:
        raise CuvrelError(f"The marks can't be read: {fault}.") from fault
    settings = headless.Settings(snap, detail, hold)
    with headless.footage(footage) as (reader, info), _bar(info.frames, "following") as bar:
        told = headless.follow(reader, info, headless.read_marks(raw), settings, to, not no_halt, lambda: bar.update(1))
    if report:
        report.write_text(json.dumps(told, indent=1) + "\n")
    for halt in told["halts"]:
        click.echo(f"Halted at frame {halt['frame']}: {halt['reason']}. {halt['advice']}", err=True)


@main.command()
@click.argument("footage", type=click.Path(exists=True, path_type=Path))
@click.option(
    "--what",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    required=True,
    help="JSON file of what to track.",
)
@click.option("--to", type=click.Path(dir_okay=False, path_type=Path), required=True, help="The tracks, as JSON.")
@click.option("--first", type=click.IntRange(0), help="The first frame to look at, counted from 0.")
@click.option("--last", type=click.IntRange(0), help="The last one.")
@sentences
def track(footage: Path, what: Path, to: Path, first: int | None, last: int | None) -> None:
    """Track points, regions and patches of FOOTAGE in both directions from the frames that they are marked on.

    WHAT looks like

    \b
      {"tracks": [
        {"id": "a", "kind": "point", "frame": 20, "at": [640.0, 300.5], "radius": 12},
        {"id": "b", "kind": "region", "frame": 20, "outline": [[600, 280], [700, 280], [650, 360]]},
        {"id": "c", "kind": "patch", "frame": 20, "corners": [[10, 10], [90, 12], [92, 60], [8, 58]],
         "without": "hand.mkv"}]}

    in plate pixels with the origin at the top left corner of the top left pixel; "without" is a grey video of what is
    not looked at. A camera is {"id": "d", "kind": "camera", "frame": 0, "anchors": [[x, y], ...]}, and "without":
    it is solved by all that stands still, and has where those places of the scene are seen on every frame, its pose
    and its lens. The other tracks have the point, the outline carried along, or the four corners on every frame, with
    doubt.
    """
    from cuvrel import headless
    from cuvrel.core.tracks.interchange import read_wanted

    try:
        raw = json.loads(what.read_text())
    except (ValueError, OSError) as fault:
        raise CuvrelError(f"What is to be tracked can't be read: {fault}.") from fault
    wanted = read_wanted(raw)
    found = headless.track(footage, wanted, what.parent, first, last, click.echo)
    to.write_text(json.dumps(found, indent=1) + "\n")
    click.echo(f"Wrote {to}.")


@main.command()
@click.argument("source", type=click.Path(exists=True, path_type=Path))
@click.option(
    "--cover", type=click.Path(exists=True, dir_okay=False, path_type=Path), help="What is covered, grey video."
)
@click.option("--to", type=click.Path(dir_okay=False, path_type=Path), required=True, help="The report, as JSON.")
@click.option("--page", type=click.Path(dir_okay=False, path_type=Path), help="The report as a page as well.")
@sentences
def audit(source: Path, cover: Path | None, to: Path, page: Path | None) -> None:
    """Look for faces that a redaction leaves open, on every frame of SOURCE.

    SOURCE is footage with what covers it, or a portable shot (.json), whose covers are known and whose result is looked
    at as well. Exit code 3 when a face is exposed.
    """
    from cuvrel import headless
    from cuvrel.core.redaction.audit import page as as_page

    told, pictures = headless.audit(source, cover, click.echo)
    to.write_text(json.dumps(told, indent=1) + "\n")
    if page is not None:
        page.write_text(as_page(told, f"Audit of {source.name}", pictures))
    click.echo(f"Wrote {to}.")
    if not told["clean"]:
        click.echo(f"{len(told['exposed'])} runs of frames leave a face open.", err=True)
        raise SystemExit(3)


@main.command()
@click.argument("footage", type=click.Path(exists=True, path_type=Path))
@click.option("--all-faces", is_flag=True, required=True, help="Everybody who is found.")
@click.option("--to", type=click.Path(dir_okay=False, path_type=Path), required=True, help="A .mp4, .mov or .mkv file.")
@click.option("--how", type=click.Choice(["mosaic", "blur", "solid"]), default="mosaic", show_default=True)
@click.option("--cells", type=click.FloatRange(1, 60), default=5.0, show_default=True, help="Cells across a face.")
@click.option(
    "--voice",
    type=click.Choice(["kept", "pitched", "silent", "none"]),
    default="kept",
    show_default=True,
    help="What becomes of the sound.",
)
@click.option("--report", type=click.Path(dir_okay=False, path_type=Path), help="The audit of the file, as JSON.")
@sentences
def redact(footage: Path, all_faces: bool, to: Path, how: str, cells: float, voice: Any, report: Path | None) -> None:
    """Cover every face of FOOTAGE, and look for faces again in the file that comes out.

    Says what it could not be sure of. Exit code 3 when a face is exposed all the same.
    """
    from cuvrel import headless

    told = headless.redact(footage, to, {"how": how, "cells": cells}, voice, click.echo)
    if report is not None:
        report.write_text(json.dumps(told, indent=1) + "\n")
    for sentence in told["unsure"]:
        click.echo(sentence)
    click.echo(f"Wrote {to}.")
    if not told["clean"]:
        click.echo(f"{len(told['exposed'])} runs of frames leave a face open.", err=True)
        raise SystemExit(3)


@main.command()
@click.argument("footage", type=click.Path(exists=True, path_type=Path))
@click.option("--to", type=click.Path(dir_okay=False, path_type=Path), required=True, help="The cuts, as JSON.")
@sentences
def cuts(footage: Path, to: Path) -> None:
    """Find where FOOTAGE goes from one camera shot to another.

    Writes {"cuts": [24, 48, {"from": 170, "to": 177}]}: the frames that begin a new piece, counted from 0; of a mix its
    first and its last frame.
    """
    from cuvrel import headless

    with _bar(0, "looking") as bar:
        found = headless.cuts(footage, functools.partial(_stepped, bar))
    to.write_text(json.dumps({"cuts": found}) + "\n")
    click.echo(f"Wrote {to}: {len(found)} cuts.")


@main.command()
@click.argument("shot", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--result", "what", flag_value="result", help="All planes.")
@click.option("--layers", "what", flag_value="layers", help="Every plane and matte by itself.")
@click.option("--matte", help="One matte alone, by name or id.")
@click.option("--cutout", help="The plate through a matte, by name or id.")
@click.option("--plane", help="One plane alone, by name or id.")
@click.option("--to", type=click.Path(path_type=Path), required=True, help="A file, or a folder for pictures.")
@click.option("--how", help="The format; the file's ending decides without it. `cuvrel formats` lists them.")
@click.option("--frames", help="Frames A-B, counted from 0; the shot's range by default.")
@click.option("--scale", type=click.FloatRange(0.05, 1), default=1.0, show_default=True, help="Size of the pictures.")
@click.option("--rate", type=click.FloatRange(0.1, 1000), help="Frames a second, if other than the shot's.")
@click.option("--colour", default="", help="plain, space:NAME or view:DISPLAY|VIEW; else as the shot is looked at.")
@click.option("--quality", type=click.Choice(["smaller", "good", "best"]), default="good", show_default=True)
@click.option("--every", type=click.IntRange(1, 10_000), default=12, show_default=True, help="Of a contact sheet.")
@click.option("--alpha", is_flag=True, help="Keep the result's alpha, where the format can.")
@click.option("--premultiplied", is_flag=True, help="Colour multiplied by alpha.")
@click.option("--no-sound", is_flag=True, help="Leave the sound out.")
@sentences
def render(
    shot: Path, what: str | None, matte: str | None, cutout: str | None, plane: str | None, to: Path, how: str | None,
    frames: str | None, scale: float, rate: float | None, colour: str, quality: Any, every: int, alpha: bool,
    premultiplied: bool, no_sound: bool,
) -> None:  # fmt: skip
    """Render a portable SHOT.json (as `pack` writes it) without a server.

    Give exactly one of --result, --layers, --matte NAME, --cutout NAME and --plane NAME. Without --how the file's
    ending decides: .mp4 is H.264, .mov ProRes 4444, .mkv FFV1, .webm VP9, .webp a loop, .png one still, anything else a
    folder of PNG. Videos have the shot's sound.
    """
    from cuvrel import headless

    given: dict[str, str | None] = {"matte": matte, "cutout": cutout, "plane": plane}
    chosen = [kind for kind, name in given.items() if name is not None] + ([what] if what else [])
    if len(chosen) != 1:
        raise click.UsageError("Give exactly one of --result, --layers, --matte NAME, --cutout NAME and --plane NAME.")
    form = headless.how_for(to, how)
    settings = headless.Ordering(
        what=chosen[0],
        how=form.kind,
        alpha="premultiplied" if premultiplied else "straight" if alpha else "none",
        rate=rate,
        quality=quality,
        colour=colour,
        every=every,
        sound=not no_sound,
    )
    with _bar(0, "rendering") as bar:
        headless.render(shot, settings, given.get(chosen[0]), to, frames, scale, functools.partial(_stepped, bar))


@main.command()
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path), required=False)
@sentences
def formats(file: Path | None) -> None:
    """Print the formats that are read and written, or write them as a page (docs/formats.md)."""
    from cuvrel.core.export.formats_page import page

    if file is None:
        click.echo(page())
    else:
        file.write_text(page())


@main.command()
@click.argument("project")
@click.option("--to", type=click.Path(dir_okay=False, path_type=Path), help="The file; PROJECT.zip by default.")
@sentences
def pack(project: str, to: Path | None) -> None:
    """Write PROJECT (its name or number) into one open file: a ZIP of JSON, footage and matte frames."""
    from cuvrel.store import packing

    with _store() as (database, blobs), database.session() as session:
        row = packing.find_project(session, project)
        to = to or Path(f"{''.join(c if c.isalnum() else '-' for c in row.name.lower())}.zip")
        packing.pack(session, blobs, row, to)
    click.echo(f"Packed '{row.name}' into {to}.")


@main.command()
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@sentences
def unpack(file: Path) -> None:
    """Bring a packed project in as a new one."""
    from cuvrel.store import packing

    with _store() as (database, blobs), database.session() as session:
        row = packing.unpack(session, blobs, file)
    click.echo(f"Unpacked '{row.name}' as project {row.id}.")


@main.command()
@click.argument("to", type=click.Path(file_okay=False, path_type=Path))
@sentences
def backup(to: Path) -> None:
    """Write everything as it is now into the folder TO, while the program runs or not.

    A folder that holds an earlier backup is brought up to date: what is in it already is not copied again.
    """
    from cuvrel.store.backup import backup as write

    with _store() as (database, blobs), _bar(0, "copying") as bar:
        about = write(database, blobs, to, functools.partial(_stepped, bar))
    click.echo(f"Backed up {about['blobs']} files, {about['bytes'] / (1 << 20):.1f} MB, and the database into {to}.")


@main.command()
@click.argument("source", type=click.Path(exists=True, file_okay=False, path_type=Path))
@sentences
def restore(source: Path) -> None:
    """Bring the backup in the folder SOURCE back into an empty folder, which CUVREL_VAR names."""
    from cuvrel.store.backup import restore as read

    with _store() as (database, blobs), _bar(0, "copying") as bar:
        about = read(database, blobs, source, functools.partial(_stepped, bar))
    click.echo(f"Restored what was backed up on {about['made'][:16].replace('T', ' at ')} UTC.")


def _stepped(bar: Any, done: int, total: int) -> None:
    bar.length = total
    bar.update(1)


@main.command("line-up")
@click.argument("first", type=click.Path(exists=True, path_type=Path))
@click.argument("second", type=click.Path(exists=True, path_type=Path))
@click.option("--at", type=click.IntRange(0), nargs=2, default=(0, 0), show_default=True, help="A frame of either.")
@click.option("--kind", type=click.Choice(["shift", "similar", "affine", "perspective"]), default="similar",
              show_default=True, help="What the camera did between them.")  # fmt: skip
@click.option("--leave-out", type=click.Path(exists=True, path_type=Path), help="What of FIRST is not looked at, grey.")
@click.option("--frames", type=click.IntRange(1), default=1, show_default=True,
              help="Frames from there on, on each of which the seam is looked for.")  # fmt: skip
@click.option("--to", type=click.Path(dir_okay=False, path_type=Path), required=True, help="What was found, as JSON.")
@sentences
def lined_up(
    first: Path, second: Path, at: tuple[int, int], kind: Any, leave_out: Path | None, frames: int, to: Path
) -> None:
    """Line a take up with another one of the same set-up, by what stands still in both.

    "matrix" takes a pixel of SECOND to the pixel of FIRST that shows the same place, counted from the corner of the top
    left pixel; "error_px" is what is left, "still" the share of the frame that agrees. SECOND = "gain" x FIRST +
    "offset" in linear light; "left" is the mean difference after that, in codes of 255.
    """
    from cuvrel import headless

    found = headless.take_lined_up(first, second, at, kind, leave_out, frames)
    to.write_text(json.dumps(found, indent=1) + "\n")
    left = "what is left can't be told" if found["error_px"] is None else f"{found['error_px']:.3f} px left"
    click.echo(f"{left}, light times {', '.join(f'{one:.3f}' for one in found['gain'])}")


@main.command()
@click.option("--port", type=int, default=8017, show_default=True, help="Another free one is taken when this is not.")
@click.option("--no-demo", is_flag=True, help="Do not make the demo project.")
@click.option("--workers", type=click.IntRange(1, 16), default=1, show_default=True)
@click.option("--demo-clips", help="Make the demo project of these clips only, names with commas between.")
@sentences
def up(port: int, no_demo: bool, workers: int, demo_clips: str | None) -> None:
    """Start the database, the server and the worker; stop them all with Ctrl+C."""
    from cuvrel.demo.project import NAMES
    from cuvrel.supervise import up as run

    clips = demo_clips.split(",") if demo_clips else None
    if clips and (unknown := set(clips) - set(NAMES)):
        raise click.UsageError(f"There is no demo clip {', '.join(sorted(unknown))}. Known: {', '.join(NAMES)}.")
    sys.exit(run(_var(), port, not no_demo, workers, clips))


@main.command()
@click.option("--host", default="127.0.0.1", show_default=True)
@click.option("--port", type=int, default=8017, show_default=True)
@sentences
def serve(host: str, port: int) -> None:
    """Run the server alone, on the database that CUVREL_DATABASE_URL names."""
    from cuvrel import logs
    from cuvrel.web.serving import main as run

    logs.begin("server")
    run(host, port)


@main.command()
@sentences
def worker() -> None:
    """Run one more worker on the database that CUVREL_DATABASE_URL names."""
    from cuvrel import logs
    from cuvrel.jobs.worker import main as run
    from cuvrel.store.config import Config

    logs.begin("worker")
    run(Config.from_env())


@main.command()
@click.argument("folder", type=click.Path(file_okay=False, path_type=Path), default="docs/schemas")
def schemas(folder: Path) -> None:
    """Write the published JSON Schemas and the OpenAPI document."""
    from cuvrel import publish

    publish.write(folder)


@main.command()
@click.argument("folder", type=click.Path(file_okay=False, path_type=Path), default="docs")
def guide(folder: Path) -> None:
    """Write the page of treatments, with a picture of each."""
    from cuvrel.demo import guide as pages

    pages.write(folder)


def _var() -> Path:
    return Path(os.environ.get("CUVREL_VAR", "var")).resolve()


def _bar(length: int, label: str) -> Any:
    return click.progressbar(length=length, label=label, file=sys.stderr)


class _store:
    """Database and blobs: those that CUVREL_DATABASE_URL names, else the cluster in the var folder."""

    def __enter__(self) -> tuple[Any, Any]:
        from cuvrel.store.cluster import Cluster, close_to_others
        from cuvrel.store.config import Config
        from cuvrel.store.db import Database
        from cuvrel.store.leases import store_of

        self._cluster: Any = None
        config = Config.from_env()
        url = os.environ.get("CUVREL_DATABASE_URL")
        os.umask(0o077)
        if not url:
            config.var.mkdir(parents=True, exist_ok=True)
            close_to_others(config.var)
            cluster = Cluster(config.var / "postgres")
            if not cluster.running():
                cluster.start()
                self._cluster = cluster
            url = cluster.url()
        database = Database(url)
        database.migrate()
        return database, store_of(config, database)

    def __exit__(self, *_: object) -> None:
        if self._cluster is not None:
            self._cluster.stop()


if __name__ == "__main__":
    main()
