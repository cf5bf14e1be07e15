"""A database whose disk is full, and has room again: SQLite's own limit of pages stands for it."""

from __future__ import annotations

from sqlalchemy import event, func
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

from innerbloom.store.models import Recording

_ROOM = 1 << 30


class FullDisk:
    """A limit on a project's database; sqlite.org/pragma.html#pragma_max_page_count."""

    def __init__(self, sessions: sessionmaker[Session]) -> None:
        self._sessions, self._pages = sessions, _ROOM
        event.listen(sessions.kw["bind"], "checkout", self._limit)

    def _limit(self, connection, *_) -> None:
        connection.execute(f"PRAGMA max_page_count={self._pages}")

    def fill(self) -> None:
        """From now on nothing that needs a page has room."""
        # less than there is means: no more than there is
        self._pages = 1
        try:
            for number in range(5_000):
                with self._sessions() as db:
                    db.add(
                        Recording(
                            digest=f"{number:064}", name="x", filename="x", measured={},
                            lineage={}, deleted=func.now(),
                        )
                    )  # fmt: skip
                    db.commit()
        except OperationalError:
            return
        raise AssertionError("the disk did not become full")

    def make_room(self) -> None:
        self._pages = _ROOM
