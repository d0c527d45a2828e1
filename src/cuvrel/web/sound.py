"""What is heard of a shot: in pieces under the key of its sound, and as peaks to be drawn."""

from __future__ import annotations

import base64
import io
import wave

import numpy as np
from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from cuvrel.core.media.sound import RATE, peaks
from cuvrel.core.sound.mix import Mix
from cuvrel.store import shots as store
from cuvrel.store.access import shot_for
from cuvrel.store.models import ShotRow
from cuvrel.store.pictures import sounds_of
from cuvrel.web.models import ById
from cuvrel.web.openapi import file_of
from cuvrel.web.present import answer
from cuvrel.web.problems import Problem
from cuvrel.web.services import services, who

api = APIBlueprint("sound", __name__, url_prefix="/api", abp_responses={"422": Problem, "404": Problem})
PIECE = 8
"""Seconds of a piece."""
A_FRAME = 4
"""Peaks a frame."""
FOR_EVER = {"Cache-Control": "private, max-age=31536000, immutable"}


class SoundHeard(BaseModel):
    """A shot's sound: its key, and how it is fetched; `pieces` is 0 where there is nothing to be heard."""

    key: str
    pieces: int
    seconds: float = Field(description="of a piece")
    peaks: int = Field(description="a frame")


class PeaksOut(BaseModel):
    """How loud each part of each frame is: bytes 0 to 255 as base64, `A_FRAME` of them a frame, from frame 0 on."""

    peaks: str


class PiecePath(ById):
    """A piece of a sound, counted from 0."""

    key: str = Field(pattern=r"^[0-9a-f]{40}$")
    piece: int = Field(ge=0, le=1_000_000)


class KeyPath(ById):
    """A sound."""

    key: str = Field(pattern=r"^[0-9a-f]{40}$")


def _mix(session: Session, row: ShotRow) -> Mix:
    shot = store.shot_of(session, row)
    return Mix(shot, sounds_of(session, shot, services().blobs))


def _known(shot_id: int, key: str) -> Mix:
    """The mix of this key. Raises NotFound where the shot sounds otherwise by now."""
    with services().database.session() as session:
        mix = _mix(session, shot_for(session, who(), shot_id))
    if mix.key != key or mix.silent:
        raise store.NotFound("The shot sounds otherwise by now.")
    return mix


@api.get("/shots/<int:id>/sound", responses={200: SoundHeard})
def heard(path: ById) -> Response:
    """The key of what is heard of the shot as it is now."""
    with services().database.session() as session:
        mix = _mix(session, shot_for(session, who(), path.id))
    pieces = 0 if mix.silent else -(-mix.count // (PIECE * RATE))
    return answer(SoundHeard(key=mix.key, pieces=pieces, seconds=PIECE, peaks=A_FRAME))


@api.get("/shots/<int:id>/sound/<string:key>/<int:piece>.wav", responses={200: file_of("audio/wav")})
def piece(path: PiecePath) -> Response:
    """A piece: PCM of 16 bits in two channels."""
    mix = _known(path.id, path.key)
    first = path.piece * PIECE * RATE
    if first >= mix.count:
        raise store.NotFound("The shot is not that long.")
    samples = np.clip(mix.get(first, min(mix.count, first + PIECE * RATE)), -1, 1)
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(2)
        file.setsampwidth(2)
        file.setframerate(RATE)
        file.writeframes(np.round(samples * 32767).astype("<i2").tobytes())
    return Response(out.getvalue(), content_type="audio/wav", headers=FOR_EVER)


@api.get("/shots/<int:id>/sound/<string:key>/peaks", responses={200: PeaksOut})
def drawn(path: KeyPath) -> Response:
    """How loud it is, to be drawn beside the frames."""
    mix = _known(path.id, path.key)
    step = mix.sample(1) // A_FRAME
    # a peak is of the samples about its own place, so that none drifts off over a long shot
    frames = round(mix.count / mix.sample(1))
    found = peaks(mix, 0, mix.count, max(1, step))
    place = np.arange(frames * A_FRAME) * (mix.sample(1) / A_FRAME) / max(1, step)
    at = np.minimum(len(found) - 1, place.astype(int))
    data = found[at].tobytes() if len(found) else b""
    reply = answer(PeaksOut(peaks=base64.b64encode(data).decode()))
    reply.headers.update(FOR_EVER)
    return reply
