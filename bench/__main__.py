"""`python -m bench speed` prints latencies; `… mattes` and `… keys` figures of quality, `… stand` those of planes."""

from __future__ import annotations

import argparse
from pathlib import Path

from bench import (
    camera,
    colour,
    cuts,
    desk,
    edits,
    keys,
    limits,
    mattes,
    media,
    redaction,
    reel,
    rough,
    same,
    speed,
    stand,
    takes,
    tracks,
    treatments,
    workers,
)
from cuvrel.demo.project import CLIPS


def main() -> None:
    """Reads the command line and runs what it asks for."""
    parser = argparse.ArgumentParser(prog="python -m bench", description=__doc__)
    commands = parser.add_subparsers(dest="command")
    commands.add_parser("speed", help="latencies, frames per second and ratios to bare decoding and encoding")
    commands.add_parser("edits", help="what an edit and a picture's key take on a long shot")
    commands.add_parser("keys", help="keys, shapes and five pulls together: speed, and quality against the truth")
    commands.add_parser("stand", help="blending, placing, in-betweens and whole stands")
    commands.add_parser("desk", help="the first frame and playing, in a browser")
    commands.add_parser("reel", help="what a reel's frame costs beside what it shows, and a long reel in a browser")
    commands.add_parser("takes", help="lining two takes up, and their tone, beside general methods")
    commands.add_parser("treatments", help="what each treatment takes of a whole picture")
    commands.add_parser("colour", help="colour by value, views and their times, and the time to bring in")
    commands.add_parser("media", help="footage as people have it: how many kinds come in right")
    ends = commands.add_parser("limits", help="everything declared at its limits, in pairs: what takes long")
    ends.add_argument("--only", help="kinds with commas between")
    track = commands.add_parser("tracks", help="points, regions and patches against their truth, with yardsticks")
    track.add_argument("--clips", type=int, default=4, help="clips made of each kind (4)")
    track.add_argument("--no-yardsticks", action="store_true", help="our own figures only")
    cameras = commands.add_parser("camera", help="a solved camera on clips of the harbour whose true one is known")
    cameras.add_argument("--clips", help="only these, names with commas between")
    cameras.add_argument(
        "--folder", type=Path, default=Path("var/bench-camera"), help="where the clips are drawn, once"
    )
    reels = commands.add_parser("cuts", help="cuts found and false ones, with flashes, whip pans and mixes")
    reels.add_argument("--reels", type=int, default=14, help="reels made (14)")
    commands.add_parser("workers", help="one worker against two on the same export")
    covers = commands.add_parser("redaction", help="faces found, and what the audit finds and misses")
    covers.add_argument("--clips", type=int, default=3, help="clips made of each kind (3)")
    storm = commands.add_parser("rough", help="streams, slow clients, kills, odd calls, hostile files, a full disk")
    storm.add_argument("--only", help="parts with commas between: streams, clients, kills, calls, files, mutants, disk")
    pictures = commands.add_parser("same", help="whether the demo's pictures are what they were before a change")
    pictures.add_argument("--to", type=Path, help="writes their hashes there")
    pictures.add_argument("--against", type=Path, help="holds them against the hashes there")
    pictures.add_argument("--every", type=int, default=8, help="mattes and planes alone on every so many frames (8)")
    matte = commands.add_parser("mattes", help="mattes against their truth, with yardsticks")
    matte.add_argument("folders", nargs="*", type=Path, default=[CLIPS], help="clips in the benchmark's format")
    matte.add_argument("--clips", help="only these clips, names with commas between")
    matte.add_argument("--frames", type=int, help="at most so many frames about the marked one")
    matte.add_argument("--height", type=int, default=540, help="clips are shrunk to this height first (540)")
    matte.add_argument("--no-yardsticks", action="store_true", help="our own figures only")
    matte.add_argument("--no-artist", action="store_true", help="without the simulated artist's touches")
    matte.add_argument("--json", type=Path, help="writes every figure there, too")
    given = parser.parse_args()
    if given.command == "mattes":
        mattes.run(given)
    elif given.command == "same":
        same.run(given.to, given.against, given.every)
    elif given.command == "tracks":
        tracks.run(given.clips, not given.no_yardsticks)
    elif given.command == "camera":
        camera.run(given.clips, given.folder)
    elif given.command == "redaction":
        redaction.run(given.clips)
    elif given.command == "cuts":
        cuts.run(given.reels)
    elif given.command == "rough":
        rough.run(given.only)
    elif given.command == "workers":
        workers.run()
    elif given.command == "edits":
        edits.run()
    elif given.command == "keys":
        keys.run()
    elif given.command == "stand":
        stand.run()
    elif given.command == "takes":
        takes.run()
    elif given.command == "reel":
        reel.run()
    elif given.command == "desk":
        desk.run()
    elif given.command == "media":
        media.run()
    elif given.command == "colour":
        colour.run()
    elif given.command == "limits":
        limits.run(given.only)
    elif given.command == "treatments":
        treatments.run()
    else:
        speed.run()
        edits.run()


if __name__ == "__main__":
    main()
