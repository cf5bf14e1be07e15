"""Opening the project's database and bringing it up to date."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event
from sqlalchemy.orm import Session, sessionmaker

MIGRATIONS = Path(__file__).parent / "migrations"


def open_database(path: Path) -> sessionmaker[Session]:
    """A session maker on a SQLite file, created and migrated as needed.

    The write-ahead log makes a kill at any moment harmless, and what was committed outlasts a loss of
    power (``synchronous=FULL``: a fifth of a millisecond a commit).
    """
    engine = create_engine(
        f"sqlite:///{path}",
        connect_args={"timeout": 15},
        json_serializer=_finite_json,
        # as many as requests are answered at once, and some beside
        pool_size=16,
        max_overflow=32,
    )
    event.listen(engine, "connect", _set_pragmas)
    migrate(engine)
    return sessionmaker(engine, expire_on_commit=False)


def dispose(sessions: sessionmaker[Session]) -> None:
    """Close what is not in use: with the last connection SQLite brings its write-ahead log into the file."""
    engine: Engine = sessions.kw["bind"]
    engine.dispose()


def _finite_json(plain: Any) -> str:
    """JSON as SQLite reads it: what is not finite is refused, since it would make a row unreadable."""
    return json.dumps(plain, allow_nan=False)


def _set_pragmas(connection: Any, _: Any) -> None:
    cursor = connection.cursor()
    for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
        cursor.execute(f"PRAGMA {pragma}")
    cursor.close()


def migrate(engine: Engine, upto: str = "head") -> None:
    """Run the migrations that the database has not seen, all or up to one."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, upto)
