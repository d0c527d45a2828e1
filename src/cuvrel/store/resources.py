"""What one process, a server or a worker, computes with."""

from __future__ import annotations

from cuvrel.core.stand.nodes import Cache
from cuvrel.memory import Shares
from cuvrel.store.blobs import Blobs
from cuvrel.store.db import Database
from cuvrel.store.mattes import Touches
from cuvrel.store.pictures import Readers, Stands


class Resources:
    """Database and blobs, open footage, the solving of touched frames, and the cache of pictures."""

    def __init__(self, database: Database, blobs: Blobs, caches: int) -> None:
        """caches: bytes that all caches of the process may take."""
        shares = Shares.of(caches)
        self.database, self.blobs = database, blobs
        self.readers = Readers(blobs, shares.frames)
        self.touches = Touches(blobs, self.readers)
        self.cache = Cache(shares.pictures)
        self.stands = Stands()
