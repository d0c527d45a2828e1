"""Logs: one JSON object a line, with the request's or the job's number; files that stay small."""

from __future__ import annotations

import contextlib
import logging
import os
import subprocess
import sys
import threading
from pathlib import Path

import structlog

LARGEST, KEPT = 4 << 20, 3  # bytes of a file, and how many older ones there are


def begin(process: str) -> None:
    """Sends what this process logs to its standard error, one line an event.

    process: what it calls itself. What is bound by `structlog.contextvars` (request, job) is part of every line.
    """
    shared: list[structlog.typing.Processor] = [
        structlog.contextvars.merge_contextvars,
        structlog.stdlib.add_log_level,
        structlog.stdlib.add_logger_name,
        structlog.stdlib.ExtraAdder(),
        structlog.processors.TimeStamper(fmt="iso", utc=True),
        lambda _, __, event: {**event, "process": process, "pid": os.getpid()},
    ]
    structlog.configure(
        processors=[*shared, structlog.stdlib.ProcessorFormatter.wrap_for_formatter],
        logger_factory=structlog.stdlib.LoggerFactory(),
    )
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(
        structlog.stdlib.ProcessorFormatter(
            foreign_pre_chain=shared,
            processors=[
                structlog.stdlib.ProcessorFormatter.remove_processors_meta,
                structlog.processors.format_exc_info,
                structlog.processors.JSONRenderer(ensure_ascii=False),
            ],
        )
    )
    logging.raiseExceptions = False  # a log that can't be written ends nothing
    root = logging.getLogger()
    root.handlers[:] = [handler]
    root.setLevel(logging.WARNING)
    logging.getLogger("cuvrel").setLevel(logging.INFO)


class LogFile:
    """A log that goes on in a new file when it has grown, of which so many are kept. What can't be written is lost."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._lock = threading.Lock()

    def write(self, data: bytes) -> None:
        """Adds whole lines."""
        with self._lock, contextlib.suppress(OSError):
            with contextlib.suppress(FileNotFoundError):
                if self.path.stat().st_size + len(data) > LARGEST:
                    self._turn()
            with self.path.open("ab") as file:
                file.write(data)

    def _turn(self) -> None:
        for n in range(KEPT, 0, -1):
            older = self.path.with_name(f"{self.path.name}.{n - 1}") if n > 1 else self.path
            with contextlib.suppress(FileNotFoundError):
                older.replace(self.path.with_name(f"{self.path.name}.{n}"))

    def follow(self, process: subprocess.Popen[bytes]) -> None:
        """Takes what a process writes (its `stdout`, a pipe) until it ends, in a thread of its own."""

        def read() -> None:
            assert process.stdout is not None
            with contextlib.suppress(OSError, ValueError):
                while data := process.stdout.read1(1 << 16):  # type: ignore[attr-defined]
                    self.write(data)

        threading.Thread(target=read, name=f"log-{self.path.stem}", daemon=True).start()
