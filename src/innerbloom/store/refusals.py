"""What SQLite says when it cannot go on, as sentences."""

from __future__ import annotations

import sqlite3

from sqlalchemy.exc import DatabaseError

_SENTENCES = {
    sqlite3.SQLITE_FULL: "The disk is full: make room and try again.",
    sqlite3.SQLITE_IOERR: "The disk refused to keep this: make sure that it is there and has room.",
    sqlite3.SQLITE_READONLY: "The project's folder cannot be written to: change who may.",
    sqlite3.SQLITE_CANTOPEN: "The project's database cannot be opened: is its folder still there?",
    sqlite3.SQLITE_BUSY: "Another program holds the project's database: try again.",
    sqlite3.SQLITE_LOCKED: "Another program holds the project's database: try again.",
}
_PRIMARY = 0xFF
"""Extended result codes hold the primary one in their lowest byte; see sqlite.org/rescode.html."""


def database_refusal(error: DatabaseError) -> str | None:
    """One sentence for what passes once there is room, or once others have done; None for all else."""
    code = getattr(error.orig, "sqlite_errorcode", None)
    return None if code is None else _SENTENCES.get(code & _PRIMARY)
