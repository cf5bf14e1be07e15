"""one table of documents with revisions, for instruments and for what the Bench does; the
history of both is carried over"""

import json
from typing import Any

import jsonpatch
import sqlalchemy as sa
from alembic import op

from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.document import KIND

Plain = dict[str, Any]

revision = "0006"
down_revision = "0005"

# what the sheet of a wavetable or spectrum held as its only step
_RECIPES = {"inner-bloom/wavetable": "wavetable", "inner-bloom/spectrum-recipe": "spectrum"}


def upgrade() -> None:
    _make_tables()
    connection = op.get_bind()
    connection.execute(
        sa.text(
            "INSERT INTO document (id, kind, name, content, revision, created, changed, deleted) "
            "SELECT id, 'instrument', name, document, revision, created, changed, deleted "
            "FROM instrument"
        )
    )
    connection.execute(
        sa.text(
            "INSERT INTO document_revision "
            "(document_id, number, kind, label, patch, inverse, created) "
            "SELECT instrument_id, number, kind, label, patch, inverse, created FROM revision"
        )
    )
    _sum_up(connection)
    for sheet in connection.execute(sa.text("SELECT * FROM sheet")).all():
        _carry_over(connection, sheet)
    # their documents lie in files from now on, and what they made is on the shelf
    connection.execute(sa.text("DELETE FROM job WHERE state NOT IN ('queued', 'running')"))
    for table in ("sheet_revision", "sheet", "revision", "instrument"):
        op.drop_table(table)


def _make_tables() -> None:
    op.create_table(
        "document",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(16), nullable=False),
        sa.Column("recording_id", sa.Integer(), nullable=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("content", sa.JSON(), nullable=False),
        sa.Column("summary", sa.JSON(), nullable=False, server_default="{}"),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.Column("changed", sa.DateTime(timezone=True), nullable=False),
        sa.Column("deleted", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["recording_id"], ["recording.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("kind", "recording_id"),
    )
    op.create_index("ix_document_kind", "document", ["kind"])
    op.create_table(
        "document_revision",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("document_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(8), nullable=False),
        sa.Column("label", sa.String(120), nullable=False),
        sa.Column("patch", sa.JSON(), nullable=False),
        sa.Column("inverse", sa.JSON(), nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["document_id"], ["document.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("document_id", "number"),
    )
    op.create_index("ix_document_revision_document_id", "document_revision", ["document_id"])


def _sum_up(connection: sa.Connection) -> None:
    for row in connection.execute(sa.text("SELECT id, content FROM document")).all():
        try:
            summary = KIND.summary(KIND.complete(json.loads(row.content)))
        except DocumentError:
            continue
        connection.execute(
            sa.text("UPDATE document SET summary = :summary WHERE id = :id"),
            {"summary": json.dumps(summary), "id": row.id},
        )


def _carry_over(connection: sa.Connection, sheet: Any) -> None:
    """The work on one sound: its newest state, and each change said as a patch."""
    kind, content = _as_document(json.loads(sheet.steps))
    changes = connection.execute(
        sa.text("SELECT * FROM sheet_revision WHERE recording_id = :id ORDER BY number"),
        {"id": sheet.recording_id},
    ).all()
    moment = changes[-1].created if changes else _moment(connection, sheet.recording_id)
    document = connection.execute(
        sa.text(
            "INSERT INTO document (kind, recording_id, name, content, revision, created, changed) "
            "VALUES (:kind, :of, :name, :content, :revision, :moment, :moment)"
        ),
        {
            "kind": kind,
            "of": sheet.recording_id,
            "name": content.get("name", ""),
            "content": json.dumps(content),
            "revision": sheet.revision,
            "moment": moment,
        },
    ).lastrowid
    for change in changes:
        before = _as_document(json.loads(change.before))[1]
        after = _as_document(json.loads(change.after))[1]
        connection.execute(
            sa.text(
                "INSERT INTO document_revision "
                "(document_id, number, kind, label, patch, inverse, created) "
                "VALUES (:document, :number, :kind, :label, :patch, :inverse, :created)"
            ),
            {
                "document": document,
                "number": change.number,
                "kind": change.kind,
                "label": change.label,
                "patch": jsonpatch.make_patch(before, after).to_string(),
                "inverse": jsonpatch.make_patch(after, before).to_string(),
                "created": change.created,
            },
        )


def _as_document(steps: list[Plain]) -> tuple[str, Plain]:
    if steps and steps[0].get("format") in _RECIPES:
        return _RECIPES[steps[0]["format"]], steps[0]
    return "recipe", {"format": "inner-bloom/recipe", "version": 1, "steps": steps}


def _moment(connection: sa.Connection, recording_id: int) -> Any:
    statement = sa.text("SELECT created FROM recording WHERE id = :id")
    return connection.execute(statement, {"id": recording_id}).scalar_one()
