"""What is asked and answered about exports."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from cuvrel.core.export.order import Settings
from cuvrel.web.models import DeclaredOut, In


class ExportRequest(Settings):
    """An export of frames `first` to `last`, by default the shot's range."""

    first: int | None = Field(None, ge=0)
    last: int | None = Field(None, ge=0)
    audited: bool = Field(False, description="refuse unless the audit of the shot as it is now is clean")

    def settings(self) -> Settings:
        """What a preset would keep of it."""
        return Settings(**{name: getattr(self, name) for name in Settings.model_fields})


class EstimateOut(BaseModel):
    """What an export is expected to be: its file's name, its frames, bytes, and seconds of one worker's time."""

    name: str
    frames: int
    bytes: int
    seconds: float


class NewPreset(In):
    """Settings of an export to keep."""

    name: str = Field(min_length=1, max_length=200)
    settings: Settings


class PresetOut(BaseModel):
    """Settings of an export that were kept."""

    id: int
    name: str
    settings: Settings


class PresetsOut(BaseModel):
    """All of them."""

    presets: list[PresetOut]


class HowOut(BaseModel):
    """A format that results can be written in (see core/export/formats.py)."""

    kind: str
    label: str
    hint: str
    form: Literal["video", "pictures", "still", "sheet", "loop"]
    alpha: bool
    layers: bool
    sound: bool
    quality: bool = Field(description="whether smaller, good and best make a difference")


class WhatOut(BaseModel):
    """What can be written."""

    kind: Literal["result", "cutout", "matte", "plane", "layers"]
    label: str


class CatalogueOut(BaseModel):
    """Everything that can be added to a recipe, and everything that can be exported."""

    declared: list[DeclaredOut]
    whats: list[WhatOut]
    hows: list[HowOut]
    tokens: list[str] = Field(description="the parts of which an export's name can be made")
