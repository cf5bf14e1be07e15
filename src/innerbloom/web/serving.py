"""Running the application under gunicorn: one worker process with threads."""

from __future__ import annotations

import logging
import socket
import sqlite3
import struct
import threading
import time
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import Any

from apiflask import APIFlask
from gunicorn.app.base import BaseApplication
from gunicorn.workers.gthread import ThreadWorker

from innerbloom.core.compiling import is_warm
from innerbloom.jobs.kernels import KERNELS
from innerbloom.jobs.service import JobService, preload_jobs
from innerbloom.live.supervisor import LiveProcess
from innerbloom.store.backups import DatabaseRefused, back_up
from innerbloom.store.files import FileStore
from innerbloom.web.app import create_app
from innerbloom.web.services import Services

_THREADS = 32
"""Each page waits in one for news of jobs, and a slow upload holds one for as long as it takes."""

_LONG_UPLOAD_S = 3_600
STALLED_S = 20
"""Without a byte of a request, or of an answer being taken, for so long a connection is given up."""

_LOOK_EVERY_S = 3_600.0

log = logging.getLogger(__name__)


def _back_up_daily(root: Path) -> None:
    """A copy of the database a day, for as long as the process runs."""
    while True:
        try:
            back_up(FileStore(root).database)
        except (OSError, sqlite3.Error, DatabaseRefused):
            log.exception("the database could not be copied")
        time.sleep(_LOOK_EVERY_S)


def _give_up_stalled(server: Any) -> None:
    """Bound how long a thread waits for a connection; see SO_RCVTIMEO in socket(7).

    Connections inherit it from the socket that they come in by, on Linux.
    """
    wait = struct.pack("ll", STALLED_S, 0)
    for listener in server.LISTENERS:
        for option in (socket.SO_RCVTIMEO, socket.SO_SNDTIMEO):
            listener.sock.setsockopt(socket.SOL_SOCKET, option, wait)


class _Worker(ThreadWorker):  # type: ignore[misc]
    """Answers pages that wait for news as soon as it is to end: it would wait for them until it is killed."""

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        self.app.let_go()
        super().handle_exit(sig, frame)

    def handle_quit(self, sig: int, frame: FrameType | None) -> None:
        self.app.let_go()
        super().handle_quit(sig, frame)


class Serving(BaseApplication):  # type: ignore[misc]
    """The application on one address.

    Parameters
    ----------
    root : Path
        Folder of the project.
    host, port : str, int
        Where to listen.
    token : str, optional
        Needed where ``host`` is not a loopback address.
    begun : callable
        Called in a thread of its own once it is served.
    """

    def __init__(
        self, root: Path, host: str, port: int, token: str | None, *,
        begun: Callable[[Services], object] = lambda _: None,
    ) -> None:  # fmt: skip
        self._root, self._host, self._port, self._token = root, host, port, token
        self._begun = begun
        self._live: LiveProcess | None = None
        self._jobs: JobService | None = None
        super().__init__()

    def load_config(self) -> None:
        settings: dict[str, Any] = {
            "bind": f"{self._host}:{self._port}",
            "workers": 1,
            "threads": _THREADS,
            "worker_class": _Worker,
            "timeout": _LONG_UPLOAD_S,
            "graceful_timeout": 3,
            "loglevel": "warning",
            "proc_name": "bloom",
            "when_ready": _give_up_stalled,
            "worker_exit": lambda server, worker: self._end_live(),
            "control_socket_disable": True,
        }
        for key, value in settings.items():
            if key in self.cfg.settings:
                self.cfg.set(key, value)

    def load(self) -> APIFlask:
        """Runs in the worker: the engine's process is its child and ends with it."""
        preload_jobs()
        self._live = LiveProcess(self._root, self._host)
        app = create_app(self._root, self._live, token=self._token)
        found: Services = app.extensions["innerbloom"]
        self._jobs = found.jobs
        if not is_warm():
            found.jobs.submit(KERNELS.id, "the sound engine, once", {})
        threading.Thread(target=_back_up_daily, args=(self._root,), daemon=True).start()
        threading.Thread(target=self._begun, args=(found,), daemon=True).start()
        return app

    def let_go(self) -> None:
        """Answer whoever waits for news of jobs."""
        if self._jobs is not None:
            self._jobs.changes.end()

    def _end_live(self) -> None:
        if self._live is not None:
            self._live.close()
