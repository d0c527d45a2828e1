"""What the resources share in one process."""

from __future__ import annotations

from typing import cast

from flask import current_app

from cuvrel.store.access import OWNER, Who
from cuvrel.store.config import Config
from cuvrel.store.db import Database
from cuvrel.store.leases import store_of
from cuvrel.store.resources import Resources


class Services(Resources):
    """What the server computes with, and how it is set up."""

    def __init__(self, config: Config) -> None:
        database = Database(config.database)
        super().__init__(database, store_of(config, database), config.caches)
        self.config = config


def who() -> Who:
    """Who asks: today, always the owner."""
    return OWNER


def services() -> Services:
    """The current application's services."""
    return cast(Services, current_app.extensions["cuvrel"])
