"""Tables. Documents and patches are JSON; sound lives in the file store by its hash."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import (
    JSON,
    DateTime,
    Dialect,
    ForeignKey,
    Integer,
    String,
    TypeDecorator,
    UniqueConstraint,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


def now() -> datetime:
    """The present moment in UTC."""
    return datetime.now(UTC)


class UtcDateTime(TypeDecorator[datetime]):
    """A moment in UTC; SQLite itself forgets the zone."""

    impl = DateTime(timezone=True)
    cache_ok = True

    def process_result_value(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        """Give the zone back."""
        return None if value is None else value.replace(tzinfo=UTC)


class WholeNumber(TypeDecorator[int]):
    """A whole number; one that SQLite cannot hold is looked for as -1, which nothing has.

    Anybody may ask for an id of any size, in an address, a body or a document.
    """

    impl = Integer
    cache_ok = True

    def process_bind_param(self, value: int | None, dialect: Dialect) -> int | None:
        """Keep it within 64 bits."""
        return value if value is None or -(2**63) <= value < 2**63 else -1


class Base(DeclarativeBase):
    type_annotation_map = {
        dict[str, Any]: JSON,
        list[Any]: JSON,
        datetime: UtcDateTime,
        int: WholeNumber,
    }


class Recording(Base):
    """One sound on the shelf: a recording, or a material made from one (kind ``clip``)."""

    __tablename__ = "recording"

    id: Mapped[int] = mapped_column(primary_key=True)
    digest: Mapped[str] = mapped_column(String(64), index=True)
    name: Mapped[str] = mapped_column(String(120))
    filename: Mapped[str] = mapped_column(String(255))
    measured: Mapped[dict[str, Any]]
    notes: Mapped[str] = mapped_column(default="")
    recordist: Mapped[str] = mapped_column(default="")
    licence: Mapped[str] = mapped_column(default="")
    date: Mapped[str] = mapped_column(default="")
    place: Mapped[str] = mapped_column(default="")
    title: Mapped[str] = mapped_column(String(200), default="")
    scene: Mapped[str] = mapped_column(String(200), default="")
    take: Mapped[str] = mapped_column(String(200), default="")
    lineage: Mapped[dict[str, Any]] = mapped_column(default=dict)
    collection: Mapped[str] = mapped_column(String(80), default="")
    kind: Mapped[str] = mapped_column(String(16), default="recording")
    tags: Mapped[list[Any]] = mapped_column(default=list)
    created: Mapped[datetime] = mapped_column(default=now)
    deleted: Mapped[datetime | None] = mapped_column(default=None)


class Document(Base):
    """The newest state of a document with revisions, and the number of its newest revision.

    Those of the Bench belong to a sound on the shelf, one of a kind to each.
    """

    __tablename__ = "document"
    __table_args__ = (UniqueConstraint("kind", "recording_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(16), index=True)
    recording_id: Mapped[int | None] = mapped_column(ForeignKey("recording.id"))
    name: Mapped[str] = mapped_column(String(120), default="")
    content: Mapped[dict[str, Any]] = mapped_column(deferred=True)
    summary: Mapped[dict[str, Any]] = mapped_column(default=dict)
    collection: Mapped[str] = mapped_column(String(80), default="")
    tags: Mapped[list[Any]] = mapped_column(default=list)
    revision: Mapped[int] = mapped_column(default=0)
    created: Mapped[datetime] = mapped_column(default=now)
    changed: Mapped[datetime] = mapped_column(default=now)
    deleted: Mapped[datetime | None] = mapped_column(default=None)


class Revision(Base):
    """One step in a document's life; an undo or redo is a step too."""

    __tablename__ = "document_revision"
    __table_args__ = (UniqueConstraint("document_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = mapped_column(ForeignKey("document.id"), index=True)
    number: Mapped[int]
    kind: Mapped[str] = mapped_column(String(8))
    label: Mapped[str] = mapped_column(String(120), default="")
    patch: Mapped[list[Any]]
    inverse: Mapped[list[Any]]
    created: Mapped[datetime] = mapped_column(default=now)


class JobRow(Base):
    """Long work: what was asked, how it stands, what came of it."""

    __tablename__ = "job"

    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    kind: Mapped[str] = mapped_column(String(16))
    title: Mapped[str] = mapped_column(String(200))
    state: Mapped[str] = mapped_column(String(12), default="queued")
    params: Mapped[dict[str, Any]]
    result: Mapped[dict[str, Any]] = mapped_column(default=dict)
    error: Mapped[str] = mapped_column(default="")
    created: Mapped[datetime] = mapped_column(default=now)


class Setting(Base):
    """One setting of the project."""

    __tablename__ = "setting"

    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    value: Mapped[dict[str, Any]]
