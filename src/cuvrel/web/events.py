"""Server-sent events: what changed, as it changes."""

from __future__ import annotations

import json
import queue
from collections.abc import Iterator

from flask import Blueprint, Response

from cuvrel.web.services import services

blueprint = Blueprint("events", __name__)
BEAT = 10.0  # seconds between signs of life


@blueprint.get("/api/events")
def events() -> Response:
    """A stream of JSON events: shot, frame, job, footage; `again` says that some may have been missed."""
    listener = services().listener
    mine = listener.subscribe()

    def stream() -> Iterator[str]:
        try:
            yield 'retry: 1000\ndata: {"event": "hello"}\n\n'
            while True:
                try:
                    payload = mine.get(timeout=BEAT)
                except queue.Empty:
                    yield ": beat\n\n"
                    continue
                yield f"data: {payload if payload is not None else json.dumps({'event': 'again'})}\n\n"
        finally:
            listener.unsubscribe(mine)

    return Response(
        stream(), mimetype="text/event-stream", headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    )
