"""Training pictures for tests are made of made-up surfaces alone, whatever libraries are at hand."""

from __future__ import annotations

import pytest

from training import textures


@pytest.fixture(autouse=True)
def _no_photographs(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(textures, "photographs", lambda: [])
