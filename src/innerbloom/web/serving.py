"""Running the application under gunicorn: one worker process with threads."""

from __future__ import annotations

import socket
import struct
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import TYPE_CHECKING, Any

from gunicorn.app.base import BaseApplication
from gunicorn.workers.gthread import ThreadWorker

from innerbloom.loading import loading
from innerbloom.processes import preload_in_the_background

if TYPE_CHECKING:
    from apiflask import APIFlask

    from innerbloom.web.services import Services
    from innerbloom.web.started import Started

_THREADS = 32
"""Each page waits in one for news of jobs, and a slow upload holds one for as long as it takes."""

_LONG_UPLOAD_S = 3_600
STALLED_S = 20
"""Without a byte of a request, or of an answer being taken, for so long a connection is given up."""


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

    _quits = False

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        self.app.let_go()
        super().handle_exit(sig, frame)

    def handle_quit(self, sig: int, frame: FrameType | None) -> None:
        # a terminal and the arbiter both tell it: told again on its way out it would wait for itself
        if self._quits:
            return
        self._quits = True
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
        self._started: Started | None = None
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
            "worker_exit": lambda server, worker: self._close(),
            "control_socket_disable": True,
        }
        for key, value in settings.items():
            if key in self.cfg.settings:
                self.cfg.set(key, value)

    def load(self) -> APIFlask:
        """Runs in the worker: the engine's process goes with it."""
        # it loads much the same, on the other core
        preload_in_the_background()
        with loading():
            from innerbloom.web.started import start

        self._started = start(self._root, self._host, self._token, self._begun)
        return self._started.app

    def let_go(self) -> None:
        """Answer whoever waits for news of jobs."""
        if self._started is not None:
            self._started.let_go()

    def _close(self) -> None:
        if self._started is not None:
            self._started.close()
