"""What the resources share in one process."""

from __future__ import annotations

import threading
from typing import cast

from flask import current_app

from cuvrel.core.stand.nodes import Cache
from cuvrel.core.warm import warm_up
from cuvrel.memory import Shares
from cuvrel.store.access import OWNER, Who
from cuvrel.store.blobs import Blobs
from cuvrel.store.config import Config
from cuvrel.store.db import Database
from cuvrel.store.mattes import Touches
from cuvrel.store.pictures import Readers


class Services:
    """Database, blobs, readers and the picture cache."""

    def __init__(self, config: Config) -> None:
        self.config = config
        self.database = Database(config.database)
        self.blobs = Blobs(config.blobs, config.var)
        shares = Shares.of(config.caches)
        self.readers = Readers(self.blobs, shares.frames)
        self.touches = Touches(self.blobs, self.readers)
        self.cache = Cache(shares.pictures)
        threading.Thread(target=warm_up, name="warm", daemon=True).start()


def who() -> Who:
    """Who asks: today, always the owner."""
    return OWNER


def services() -> Services:
    """The current application's services."""
    return cast(Services, current_app.extensions["cuvrel"])
