"""What migrations do to stored instrument documents."""

from __future__ import annotations

import json
from typing import Any

import jsonpatch
import jsonpointer
import sqlalchemy as sa
from alembic import op

from innerbloom.core.errors import DocumentError
from innerbloom.core.instrument.document import KIND

Plain = dict[str, Any]


def bring_up_to_date(before: int) -> None:
    """Rewrite documents of versions below ``before`` as of now, and their history with them.

    Each state that a document has been in is brought up to date, and each revision said anew as
    the difference of two of them, so that everything can still be undone.
    """
    connection = op.get_bind()
    for row in connection.execute(sa.text("SELECT id, document FROM instrument")).all():
        document = json.loads(row.document)
        if document.get("version", before) >= before:
            continue
        revisions = connection.execute(
            sa.text(
                "SELECT id, inverse FROM revision WHERE instrument_id = :id ORDER BY number DESC"
            ),
            {"id": row.id},
        ).all()
        _rewrite(connection, row.id, document, list(revisions))


def _rewrite(connection: sa.Connection, id_: int, newest: Plain, revisions: list[Any]) -> None:
    """Bring a document up to date, and its revisions from the newest back."""
    later, after = newest, KIND.complete(newest)
    connection.execute(
        sa.text("UPDATE instrument SET document = :document WHERE id = :id"),
        {"document": json.dumps(after), "id": id_},
    )
    for number, revision in enumerate(revisions):
        try:
            earlier = jsonpatch.apply_patch(later, json.loads(revision.inverse))
            before = KIND.complete(earlier)
        except (jsonpatch.JsonPatchException, jsonpointer.JsonPointerException, DocumentError):
            # what lies before a step that cannot be read cannot be reached by undo either
            _forget(connection, [one.id for one in revisions[number:]])
            return
        connection.execute(
            sa.text("UPDATE revision SET patch = :patch, inverse = :inverse WHERE id = :id"),
            {
                "patch": jsonpatch.make_patch(before, after).to_string(),
                "inverse": jsonpatch.make_patch(after, before).to_string(),
                "id": revision.id,
            },
        )
        later, after = earlier, before


def _forget(connection: sa.Connection, ids: list[int]) -> None:
    statement = sa.text("DELETE FROM revision WHERE id = :id")
    connection.execute(statement, [{"id": one} for one in ids])
