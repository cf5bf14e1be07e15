"""What the routes need, made once for the app and reached through Flask's ``current_app``."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Protocol, cast

from flask import current_app, g
from sqlalchemy.orm import Session, sessionmaker

from innerbloom.jobs.service import JobService
from innerbloom.store.files import FileStore
from innerbloom.store.settings import ProjectSettings, read_settings
from innerbloom.store.shelf import Shelf
from innerbloom.web.shelf_text import ShelfText


class Live(Protocol):
    """Whatever hands out tickets to live sessions."""

    def ticket(self, origin: str) -> tuple[int, str]: ...


@dataclass(frozen=True)
class Services:
    """Files, database, jobs and live sound of the open project."""

    files: FileStore
    sessions: sessionmaker[Session]
    jobs: JobService
    shelf: Shelf
    live: Live
    shelf_text: ShelfText = field(default_factory=ShelfText)


def services() -> Services:
    return cast(Services, current_app.extensions["innerbloom"])


def database() -> Session:
    """The request's database session, closed when the request ends."""
    if "database" not in g:
        g.database = services().sessions()
    return cast(Session, g.database)


def settings() -> ProjectSettings:
    """The open project's settings."""
    return read_settings(database())


def close_database(_: BaseException | None = None) -> None:
    """Close the request's database session, where it had one."""
    session: Session | None = g.pop("database", None)
    if session is not None:
        session.close()
