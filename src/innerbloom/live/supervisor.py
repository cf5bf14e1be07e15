"""Starting the engine's process, handing it tickets, and starting it again when it dies."""

from __future__ import annotations

import atexit
import logging
import secrets
import threading
import time
from multiprocessing import Pipe
from multiprocessing.connection import Connection, wait
from multiprocessing.process import BaseProcess
from pathlib import Path
from typing import Any, NamedTuple

from innerbloom.core.errors import BloomError
from innerbloom.live.server import run_server
from innerbloom.processes import start_forked

log = logging.getLogger(__name__)

_STARTED_WITHIN_S = 40.0

_END_S = 2.0
"""Less than gunicorn gives to a worker."""


class _Engine(NamedTuple):
    """A process, and where it is told of tickets."""

    process: BaseProcess
    tickets: Connection[Any, Any]

    def has_ended(self) -> bool:
        # without reaping it, which is done elsewhere
        return bool(wait([self.process.sentinel], 0))


class LiveProcess:
    """The engine's process, kept alive.

    Parameters
    ----------
    root : Path
        Folder of the project.
    host : str
        Address to listen on.
    """

    def __init__(self, root: Path, host: str = "127.0.0.1") -> None:
        self._root = root
        self._host = host
        self._engine: _Engine | None = None
        self._port = 0
        self._ready = threading.Event()
        self._compiling = False
        self._taken: dict[str, threading.Event] = {}
        self._closing = False
        self._lock = threading.Lock()
        # Python waits for its processes at its end, and this one waits to be told
        atexit.register(self.close)
        threading.Thread(target=self._keep_alive, daemon=True).start()

    def ticket(self, origin: str) -> tuple[int, str]:
        """Port, and a ticket that lets one page of this origin in once.

        Raises
        ------
        BloomError
            While the engine is not running.
        """
        until = time.monotonic() + _STARTED_WITHIN_S
        while self._is_ready(until):
            ticket = secrets.token_urlsafe(24)
            if self._hand_over(ticket, origin):
                return self._port, ticket
            # it died just now: its successor is on its way
            time.sleep(0.1)
        if self._compiling:
            raise BloomError(
                "The sound engine is being compiled for this machine, once: sound comes on by "
                "itself when that is done."
            )
        raise BloomError("The sound engine is still starting: try again in a moment.")

    def _is_ready(self, until: float) -> bool:
        """Wait for the engine, unless it compiles: that takes a minute or two."""
        while not self._compiling and time.monotonic() < until:
            if self._ready.wait(0.1):
                return True
        return self._ready.is_set()

    def _hand_over(self, ticket: str, origin: str) -> bool:
        """Give a ticket to the engine and wait until it has taken it.

        A page that came before its ticket would be turned away.
        """
        taken = self._taken[ticket] = threading.Event()
        try:
            with self._lock:
                engine = self._engine
                if engine is None:
                    return False
                engine.tickets.send({"ticket": ticket, "origin": origin})
            while not taken.wait(0.1):
                if engine.has_ended():
                    return False
            return True
        except (OSError, ValueError):
            return False
        finally:
            self._taken.pop(ticket, None)

    def _keep_alive(self) -> None:
        while not self._closing:
            started = time.monotonic()
            try:
                self._run_once()
            except (OSError, EOFError):
                log.exception("the sound engine could not be started")
            self._ready.clear()
            self._compiling = False
            if time.monotonic() - started < 2.0:
                time.sleep(1.0)

    def _run_once(self) -> None:
        tickets, told = Pipe(duplex=False)
        news, said = Pipe(duplex=False)
        with tickets, said:
            process = start_forked(run_server, self._root, self._host, self._port, tickets, said)
        engine = _Engine(process, told)
        with self._lock:
            self._engine = engine
            if self._closing:
                told.close()
        self._listen(news, process)
        process.join()
        with self._lock:
            told.close()
        if not self._closing:
            log.warning("the sound engine ended (%s) and is started again", process.exitcode)

    def _listen(self, news: Connection[Any, Any], process: BaseProcess) -> None:
        """Take what the engine says until it ends."""
        with news:
            # a process of its own holds the other end as well
            while news in wait([news, process.sentinel]):
                try:
                    said = news.recv()
                except EOFError:
                    return
                if "port" in said:
                    self._port, self._compiling = said["port"], False
                    self._ready.set()
                elif "compiled" in said:
                    self._compiling = True
                elif said.get("ticket") in self._taken:
                    self._taken[said["ticket"]].set()

    def close(self) -> None:
        """End the process: it has a moment to end what it records."""
        atexit.unregister(self.close)
        self._closing = True
        with self._lock:
            engine = self._engine
            if engine is None:
                return
            engine.tickets.close()
        if not wait([engine.process.sentinel], _END_S):
            if not self._compiling:
                log.warning("the sound engine did not end by itself")
            engine.process.terminate()
