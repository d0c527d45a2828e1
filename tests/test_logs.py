"""Logs: an event is a line of JSON that says whose it is; files stay small."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

from cuvrel import logs
from cuvrel.logs import KEPT, LogFile

SCRIPT = """
import logging, structlog
from cuvrel import logs
logs.begin("worker")
with structlog.contextvars.bound_contextvars(job=7):
    logging.getLogger("cuvrel.jobs").info("job %s", "done", extra={"seconds": 1.5})
    try:
        raise ValueError("a\\nb")
    except ValueError:
        logging.getLogger("cuvrel.jobs").exception("unforeseen")
logging.getLogger("elsewhere").info("of no interest")
print("a traceback of the interpreter's own")
"""


def test_an_event_is_a_line_with_the_number_of_its_job() -> None:
    done = subprocess.run([sys.executable, "-c", SCRIPT], capture_output=True, text=True, check=True)
    first, second = map(json.loads, done.stderr.splitlines())
    assert (first["event"], first["job"], first["seconds"], first["level"]) == ("job done", 7, 1.5, "info")
    assert first["process"] == "worker"
    assert "ValueError: a\nb" in second["exception"]


def test_a_log_goes_on_in_a_new_file(tmp_path: Path, monkeypatch) -> None:  # type: ignore[no-untyped-def]
    monkeypatch.setattr(logs, "LARGEST", 100)
    log = LogFile(tmp_path / "worker.log")
    for n in range(40):
        log.write(f"line {n:03d}\n".encode())
    files = sorted(tmp_path.iterdir())
    assert [file.name for file in files] == ["worker.log", *(f"worker.log.{n + 1}" for n in range(KEPT))]
    assert all(file.stat().st_size <= 100 for file in files)
    assert files[0].read_text().endswith("line 039\n")


def test_all_that_a_process_writes_is_kept(tmp_path: Path) -> None:
    log = LogFile(tmp_path / "p.log")
    process = subprocess.Popen([sys.executable, "-c", SCRIPT], stdout=subprocess.PIPE, stderr=subprocess.STDOUT)
    log.follow(process)
    process.wait(60)
    from tests.stack import wait_for

    assert wait_for(lambda: "of the interpreter's own" in log.path.read_text(), 10, "the last line")


def test_a_log_that_cannot_be_written_ends_nothing(tmp_path: Path) -> None:
    LogFile(tmp_path / "none" / "p.log").write(b"lost\n")
