"""What `docs/reliability.md` promises is held by tests that are there, each named beside its promise."""

from __future__ import annotations

import re
from pathlib import Path

ROOT = Path(__file__).parent.parent


def test_every_promise_names_tests_that_are_there() -> None:
    text = (ROOT / "docs/reliability.md").read_text()
    promises = [line for line in text.splitlines() if line.startswith("| **")]
    assert len(promises) > 15
    tests = [file.read_text() for file in (ROOT / "tests").rglob("test_*.py")]
    there = {name for one in tests for name in re.findall(r"def (test_\w+)", one)}
    for promise in promises:
        named = re.findall(r"`(test_\w+)`", promise)
        assert named, promise
        assert set(named) <= there, promise
