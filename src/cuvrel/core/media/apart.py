"""Footage that nobody has looked at yet is looked at in a process of its own, which a hostile file may kill.

What decoders of other people's allocate can't be bounded from outside. The process may take so much memory and must
come on; what it says of the file is all that comes back. A file that passes has been decoded once from its first frame
to its last, so that whoever reads it later knows what it takes.
"""

from __future__ import annotations

import contextlib
import json
import os
import resource
import selectors
import subprocess
import sys
import time
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

from cuvrel.core.media.probe import NOBODY, MediaInfo, Tell, probe
from cuvrel.core.media.proxy import Beside
from cuvrel.core.recipe.errors import MediaError

MEMORY = 3 << 30  # bytes of data that the process may have (RLIMIT_DATA); a float picture of 8192 x 4096 needs two
SILENT = 60.0  # seconds in which it must look at one more frame
TICK = 0.25


def probe_apart(
    path: Path, tell: Tell = lambda seen: None, memory: int = MEMORY, silent: float = SILENT,
    hand: Mapping[str, str] = NOBODY, small: Path | None = None,
) -> MediaInfo:  # fmt: skip
    """See `probe`; what `tell` raises, a few times a second, ends it. Raises MediaError.

    small: where the small film is written on the way (proxy.Beside), as it can be for most footage; else it is not
    there afterwards.
    """
    command = [
        sys.executable,
        "-m",
        "cuvrel.core.media.apart",
        str(path),
        str(memory),
        json.dumps(dict(hand)),
        str(small or ""),
    ]
    env = {**os.environ, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, env=env) as child:
        try:
            for said in _said(child, silent):
                if (info := said.get("info")) is not None:
                    return MediaInfo.from_json(info)
                if (refused := said.get("refused")) is not None:
                    raise MediaError(*refused)
                tell(int(said["seen"]))
        finally:
            child.kill()
    raise MediaError(
        "The file takes more memory than footage of its size can, or breaks what reads it.",
        "Play it in a media player, or export it again.",
    )


def _said(child: subprocess.Popen[bytes], silent: float) -> Iterator[dict[str, Any]]:
    """What the process says, and in between how far it came last. Raises MediaError where it does not come on."""
    assert child.stdout is not None
    os.set_blocking(child.stdout.fileno(), False)
    seen, heard, waiting = 0, time.monotonic(), b""
    with selectors.DefaultSelector() as selector:
        selector.register(child.stdout, selectors.EVENT_READ)
        while True:
            if selector.select(TICK):
                data = child.stdout.read()
                if data == b"":
                    return
                *lines, waiting = (waiting + (data or b"")).split(b"\n")
                for line in lines:
                    said = json.loads(line)
                    if said.get("seen", seen + 1) > seen:
                        heard = time.monotonic()
                    seen = said.get("seen", seen)
                    yield said
            else:
                yield {"seen": seen}
            if time.monotonic() - heard > silent:
                raise MediaError("One picture of the file takes longer than a minute to read.", "Export it again.")


def main(path: str, memory: str, hand: str, small: str, tell: Callable[[dict[str, Any]], None]) -> None:
    """What the process does: looks at a file, and says what it is or why it is refused."""
    resource.setrlimit(resource.RLIMIT_DATA, (int(memory), int(memory)))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    last = 0.0

    def seen(count: int) -> None:
        nonlocal last
        if time.monotonic() - last > TICK:
            last = time.monotonic()
            tell({"seen": count})

    beside = Beside(Path(small), json.loads(hand)) if small else None
    try:
        info = probe(Path(path), seen, json.loads(hand), beside.watch if beside else lambda frame, aspect: None)
        if beside is not None:
            beside.close()
            if not beside.fits(info):
                Path(small).unlink(missing_ok=True)
        tell({"info": info.to_json()})
    except MediaError as fault:
        tell({"refused": [fault.message, fault.hint]})


if __name__ == "__main__":
    # what libraries print is not for whoever listens
    heard = os.fdopen(os.dup(1), "w")
    os.dup2(2, 1)

    def say(said: dict[str, Any]) -> None:
        """A line of JSON."""
        with contextlib.suppress(BrokenPipeError):
            heard.write(json.dumps(said) + "\n")
            heard.flush()

    main(sys.argv[1], sys.argv[2], sys.argv[3], sys.argv[4], say)
