"""Starting the engine's process, handing it tickets, and starting it again when it dies."""

from __future__ import annotations

import json
import logging
import os
import secrets
import subprocess
import sys
import threading
import time
from pathlib import Path

from innerbloom.core.errors import BloomError

log = logging.getLogger(__name__)

_START_S = 120.0

_STARTED_WITHIN_S = 40.0

_END_S = 2.0
"""Less than gunicorn gives to a worker."""

_ALLOCATION = {"MALLOC_ARENA_MAX": "1", "MALLOC_MMAP_THRESHOLD_": str(1 << 17)}
"""How the engine's process allocates (mallopt(3)). With an arena for each thread, an hour of playing and
editing came to 417 MB; with one, and large blocks kept apart from small ones (the limit rises by itself
unless it is set), to 323, 2 MB more than after ten minutes (bench/soak.py)."""


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
        self._process: subprocess.Popen[str] | None = None
        self._port = 0
        self._ready = threading.Event()
        self._compiling = False
        self._taken: dict[str, threading.Event] = {}
        self._closing = False
        self._lock = threading.Lock()
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
                process = self._process
                if process is None or process.stdin is None:
                    return False
                process.stdin.write(json.dumps({"ticket": ticket, "origin": origin}) + "\n")
                process.stdin.flush()
            while not taken.wait(0.1):
                if process.poll() is not None:
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
            except OSError:
                log.exception("the sound engine could not be started")
            self._ready.clear()
            self._compiling = False
            if time.monotonic() - started < 2.0:
                time.sleep(1.0)

    def _run_once(self) -> None:
        command = [
            sys.executable, "-m", "innerbloom.live.server", str(self._root),
            "--host", self._host, "--port", str(self._port), "--parent", str(os.getpid()),
        ]  # fmt: skip
        process = subprocess.Popen(
            command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
            env=os.environ | _ALLOCATION,
        )  # fmt: skip
        with self._lock:
            self._process = process
        assert process.stdout is not None
        for line in process.stdout:
            said = json.loads(line)
            if "port" in said:
                self._port, self._compiling = int(said["port"]), False
                self._ready.set()
            elif "compiled" in said:
                self._compiling = True
            elif said.get("ticket") in self._taken:
                self._taken[said["ticket"]].set()
        process.wait()
        if not self._closing:
            log.warning("the sound engine ended (%s) and is started again", process.returncode)

    def close(self) -> None:
        """End the process: it has a moment to end what it records."""
        self._closing = True
        with self._lock:
            process = self._process
            if process is None or process.stdin is None:
                return
            process.stdin.close()
            try:
                process.wait(_END_S)
            except subprocess.TimeoutExpired:
                process.terminate()
