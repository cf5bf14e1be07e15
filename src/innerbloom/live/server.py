"""The engine's own process: one WebSocket a session, on a loopback port of its own.

Tickets come through a pipe; the process ends when that closes, so it never outlives the web process.
"""

from __future__ import annotations

import gc
import http
import json
import signal
import socket
import sys
import threading
import time
from contextlib import suppress
from functools import partial
from multiprocessing.connection import Connection
from pathlib import Path
from urllib.parse import parse_qs, urlsplit

from websockets.exceptions import ConnectionClosed
from websockets.http11 import Request, Response
from websockets.sync.server import Server, ServerConnection, serve

from innerbloom.core.engine.warm import load, warm_up
from innerbloom.core.parent import end_with_parent_process
from innerbloom.live.allocation import limit_allocation
from innerbloom.live.answers import problem
from innerbloom.live.materials import live_materials
from innerbloom.live.messages import LARGEST_BYTES, MessageError, parse_message
from innerbloom.live.session import LiveSession
from innerbloom.processes import become_realtime, end_children, name_process
from innerbloom.store.files import FileStore

MOST_SESSIONS = 6
TICKET_S = 30.0
_SEEN_EVERY_BLOCKS = 240
_LOOK_EVERY_BLOCKS = 6
_MESSAGES_A_TURN = 64
"""Messages applied before the next block is rendered, however many wait."""

_BURST, _PER_SECOND = 4_000.0, 1_500.0


class Tickets:
    """Tickets for one use within half a minute, each good for the origin it was given to."""

    def __init__(self) -> None:
        self._valid: dict[str, tuple[float, str]] = {}
        self._lock = threading.Lock()

    def add(self, ticket: str, origin: str) -> None:
        with self._lock:
            now = time.monotonic()
            self._valid = {key: value for key, value in self._valid.items() if value[0] > now}
            self._valid[ticket] = (now + TICKET_S, origin)

    def use(self, ticket: str, origin: str | None) -> bool:
        with self._lock:
            until, expected = self._valid.get(ticket, (0.0, ""))
            if until <= time.monotonic() or origin != expected:
                return False
            del self._valid[ticket]
            return True


class Flood:
    """A bucket of messages that fills again with time."""

    def __init__(self) -> None:
        self._left = _BURST
        self._then = time.monotonic()

    def allows(self) -> bool:
        now = time.monotonic()
        self._left = min(_BURST, self._left + (now - self._then) * _PER_SECOND)
        self._then = now
        self._left -= 1.0
        return self._left >= 0.0


class LiveServer:
    """Accepts sessions and runs each in the thread of its connection.

    What prepares sounds for it is forked from this process, which may have no other threads yet.
    """

    def __init__(self, root: Path) -> None:
        self.tickets = Tickets()
        self._store = FileStore(root)
        self._materials = live_materials(self._store, "fork")
        self._connections: set[ServerConnection] = set()
        self._places = threading.BoundedSemaphore(MOST_SESSIONS)

    def check(self, connection: ServerConnection, request: Request) -> Response | None:
        """Refuse a connection without a fresh ticket given to the page's own origin."""
        ticket = parse_qs(urlsplit(request.path).query).get("ticket", [""])[0]
        origin = request.headers.get("Origin")
        if self.tickets.use(ticket, origin):
            return None
        return connection.respond(
            http.HTTPStatus.FORBIDDEN,
            "A live session needs a fresh ticket from this application: reload the page.\n",
        )

    def handle(self, connection: ServerConnection) -> None:
        connection.socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        if not self._places.acquire(blocking=False):
            _refuse(
                connection,
                1013,
                f"{MOST_SESSIONS} pages are playing already: close one and reload.",
            )
            return
        become_realtime()
        session = LiveSession(self._materials, self._store)
        self._connections.add(connection)
        try:
            _converse(connection, session)
        except ConnectionClosed:
            pass
        finally:
            self._connections.discard(connection)
            session.close()
            self._places.release()

    def end(self) -> None:
        """End all sessions, so that what they record is whole."""
        for connection in list(self._connections):
            with suppress(OSError):
                connection.socket.shutdown(socket.SHUT_RDWR)


def _refuse(connection: ServerConnection, code: int, text: str) -> None:
    connection.send(json.dumps({**problem(text), "final": True}))
    connection.close(code, text[:120])


def _converse(connection: ServerConnection, session: LiveSession) -> None:
    """Receive, apply, render what is asked for, send; over and over."""
    flood = Flood()
    blocks = 0
    while True:
        for turn in range(_MESSAGES_A_TURN):
            text = _received(connection, 0.1 if turn == 0 and not session.credit else 0.0)
            if text is None:
                break
            if not flood.allows():
                _refuse(connection, 1008, "This page sent too many messages at once: reload it.")
                return
            _apply(connection, session, text)
        for answer in session.due():
            connection.send(json.dumps(answer))
        if session.credit > 0:
            connection.send(session.block())
            blocks += 1
            if blocks % _LOOK_EVERY_BLOCKS == 0:
                connection.send(json.dumps(session.look()))
                seen = session.seen() if blocks % _SEEN_EVERY_BLOCKS == 0 else None
                if seen:
                    connection.send(json.dumps(seen))


def _received(connection: ServerConnection, timeout: float) -> str | bytes | None:
    try:
        return connection.recv(timeout)
    except TimeoutError:
        return None


def _apply(connection: ServerConnection, session: LiveSession, text: str | bytes) -> None:
    try:
        answer = session.take(parse_message(text))
    except MessageError as error:
        answer = problem(str(error))
    if answer:
        connection.send(json.dumps(answer))


def _read_tickets(live: LiveServer, server: Server, tickets: Connection, say: Connection) -> None:
    with suppress(EOFError, OSError):
        while True:
            given = tickets.recv()
            live.tickets.add(given["ticket"], given["origin"])
            say.send({"ticket": given["ticket"]})
    server.shutdown()


def _say_how_far(say: Connection, done: int, count: int) -> None:
    """To whoever has started this process, and on their terminal."""
    say.send({"compiled": done / count})
    print(f"Compiling the sound engine, once: {done} of {count}", file=sys.stderr)


def run_server(root: Path, host: str, port: int, tickets: Connection, say: Connection) -> None:
    """Serve in a process of its own until no more tickets can come.

    Parameters
    ----------
    root : Path
        Folder of the project.
    host, port : str, int
        Where to listen; any port where it is 0.
    tickets : Connection
        Gives what is to be let in, ``{"ticket": ..., "origin": ...}``.
    say : Connection
        Is told ``{"compiled": share}`` while the engine is compiled, ``{"port": number}`` once
        sessions may come, and ``{"ticket": ...}`` of each ticket taken.
    """
    name_process("bloom-engine")
    limit_allocation()
    # Ctrl+C in a terminal is for whoever has started it, who ends it
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    live = LiveServer(root)
    # while it compiles it takes no tickets, and would outlive whom it is for
    end_with_parent_process()
    warm_up(partial(_say_how_far, say))
    load()
    # numpy lets go of the interpreter several times a block, and each time waits this long for
    # whatever else runs: at 0.5 ms a document that was taken in meanwhile made blocks of 4 ms
    # last 28, at 0.05 they last 10; the default of 5 ms is a whole block
    sys.setswitchinterval(0.00005)
    gc.collect()
    gc.freeze()
    with serve(
        live.handle, host, port, process_request=live.check,
        compression=None, max_size=LARGEST_BYTES,
    ) as server:  # fmt: skip
        # whoever has started it may be gone already: what ends the reading ends the serving, which
        # has to have begun, or leaving would wait for it
        with suppress(OSError):
            say.send({"port": server.socket.getsockname()[1]})
        reading = (live, server, tickets, say)
        threading.Thread(target=_read_tickets, args=reading, daemon=True).start()
        server.serve_forever()
    live.end()
    end_children()
