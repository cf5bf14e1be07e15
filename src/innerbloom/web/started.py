"""The application of a served project, with what belongs to it: its engine, its jobs, its daily copies."""

from __future__ import annotations

import logging
import sqlite3
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from apiflask import APIFlask

from innerbloom.core.compiling import is_warm
from innerbloom.jobs.kernels import KERNELS
from innerbloom.live.supervisor import LiveProcess
from innerbloom.processes import end_children
from innerbloom.store.backups import DatabaseRefused, back_up
from innerbloom.store.database import dispose
from innerbloom.store.files import FileStore
from innerbloom.web.app import create_app
from innerbloom.web.services import Services

_LOOK_EVERY_S = 3_600.0

log = logging.getLogger(__name__)


class Started(NamedTuple):
    """An application, the engine's process, and what else serves it."""

    app: APIFlask
    live: LiveProcess
    services: Services

    def let_go(self) -> None:
        """Answer whoever waits for news of jobs."""
        self.services.jobs.changes.end()

    def close(self) -> None:
        """End the engine and what works on jobs, and leave the database as one whole file."""
        self.services.jobs.close()
        self.live.close()
        end_children()
        dispose(self.services.sessions)


def start(root: Path, host: str, token: str | None, begun: Callable[[Services], object]) -> Started:
    """Start what serves a project; see :class:`.Serving`."""
    live = LiveProcess(root, host)
    app = create_app(root, live, token=token)
    found: Services = app.extensions["innerbloom"]
    if not is_warm():
        found.jobs.submit(KERNELS.id, "the sound engine, once", {})
    threading.Thread(target=_back_up_daily, args=(root,), daemon=True).start()
    threading.Thread(target=begun, args=(found,), daemon=True).start()
    return Started(app, live, found)


def _back_up_daily(root: Path) -> None:
    """A copy of the database a day, for as long as the process runs."""
    while True:
        try:
            back_up(FileStore(root).database)
        except (OSError, sqlite3.Error, DatabaseRefused):
            log.exception("the database could not be copied")
        time.sleep(_LOOK_EVERY_S)
