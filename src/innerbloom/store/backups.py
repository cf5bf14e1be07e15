"""Copies of the database: one a day, three kept, and put in place of one that is damaged."""

from __future__ import annotations

import os
import sqlite3
from contextlib import closing
from datetime import UTC, date, datetime
from pathlib import Path

from alembic.config import Config
from alembic.script import ScriptDirectory

from innerbloom.core.atomic import kept_on_disk, written_whole
from innerbloom.core.errors import BloomError
from innerbloom.store.database import MIGRATIONS

FOLDER = "backups"
KEPT = 3
_BESIDE = ("-wal", "-shm")
"""Files that SQLite keeps beside a database."""


class DatabaseRefused(BloomError):
    """A database that cannot be opened here."""


class DatabaseDamaged(DatabaseRefused):
    """A database that SQLite cannot read any more.

    Attributes
    ----------
    copy : Path or None
        The newest copy of it.
    """

    def __init__(self, database: Path) -> None:
        self.copy = newest_copy(database)
        offer = (
            "there is no copy of it. Restore a backup of the folder."
            if self.copy is None
            else f"say --restore to go on with its copy of {self.copy.stem}; the damaged one is set aside."
        )
        super().__init__(f"The project's database '{database}' is damaged: {offer}")


def newest_copy(database: Path) -> Path | None:
    """The newest copy of a database."""
    return max((database.parent / FOLDER).glob("*.sqlite3"), default=None)


def copy_database(source: Path, target: Path) -> None:
    """Copy a database that may be written to meanwhile, by SQLite's own means; see sqlite.org/backup.html."""
    with closing(sqlite3.connect(source)) as old, closing(sqlite3.connect(target)) as new:
        old.backup(new)


def back_up(database: Path, today: date | None = None) -> Path | None:
    """Copy a database if it has no copy of today; gives what was made.

    Raises
    ------
    DatabaseRefused
        If it is damaged meanwhile: earlier copies stay then.
    """
    day = today or datetime.now(UTC).date()
    folder = database.parent / FOLDER
    folder.mkdir(exist_ok=True)
    copy = folder / f"{day.isoformat()}.sqlite3"
    if copy.exists():
        return None
    with written_whole(copy) as beside:
        copy_database(database, beside)
        check_database(beside)
    kept_on_disk(copy)
    for old in sorted(folder.glob("*.sqlite3"))[:-KEPT]:
        old.unlink()
    return copy


def check_database(database: Path) -> None:
    """Refuse what cannot be opened here; a database that is not there yet is none.

    Raises
    ------
    DatabaseDamaged
        If SQLite cannot read it, or finds it inconsistent.
    DatabaseRefused
        If a newer version has made it.
    """
    if not database.is_file():
        return
    try:
        with closing(sqlite3.connect(database)) as opened:
            (found,) = opened.execute("PRAGMA quick_check(1)").fetchone()
            row = opened.execute("SELECT version_num FROM alembic_version").fetchone()
    except sqlite3.OperationalError as error:
        if "no such table" not in str(error):
            raise DatabaseRefused(f"The project's database '{database}': {error}.") from error
        return
    except (sqlite3.DatabaseError, UnicodeDecodeError) as error:
        # What SQLite finds it says in the file's own words, which need not be text.
        raise DatabaseDamaged(database) from error
    if found != "ok":
        raise DatabaseDamaged(database)
    if row is not None and row[0] not in _known_revisions():
        raise DatabaseRefused(
            f"The project in '{database.parent}' was made by a newer version of Inner Bloom: open it with that."
        )


def _known_revisions() -> set[str]:
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    return {one.revision for one in ScriptDirectory.from_config(config).walk_revisions()}


def restore(database: Path) -> Path:
    """Put the newest copy in place of a database, which is set aside; gives the copy.

    Raises
    ------
    DatabaseRefused
        If there is no copy.
    """
    copy = newest_copy(database)
    if copy is None:
        raise DatabaseRefused(f"There is no copy of '{database}'.")
    aside = database.with_name(
        f"{database.stem} damaged {datetime.now(UTC):%Y-%m-%d %H%M%S}.sqlite3"
    )
    with written_whole(database.with_name("restored.sqlite3")) as beside:
        beside.write_bytes(copy.read_bytes())
        for ending in ("", *_BESIDE):
            old = database.with_name(database.name + ending)
            if old.exists():
                os.replace(old, aside.with_name(aside.name + ending))
    os.replace(database.with_name("restored.sqlite3"), database)
    kept_on_disk(database)
    return copy
