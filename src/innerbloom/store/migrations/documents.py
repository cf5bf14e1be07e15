"""What migrations do to stored instrument documents."""

from __future__ import annotations

import json

import sqlalchemy as sa
from alembic import op

from innerbloom.core.instrument.document import parse_instrument


def bring_up_to_date(before: int) -> None:
    """Rewrite documents of versions below ``before`` as of now.

    Their revisions speak of the old shape and cannot be undone any more.
    """
    connection = op.get_bind()
    rows = connection.execute(sa.text("SELECT id, document FROM instrument")).all()
    for row in rows:
        document = json.loads(row.document)
        if document.get("version", before) >= before:
            continue
        connection.execute(
            sa.text("UPDATE instrument SET document = :document WHERE id = :id"),
            {"document": parse_instrument(document).model_dump_json(), "id": row.id},
        )
        connection.execute(
            sa.text("DELETE FROM revision WHERE instrument_id = :id"), {"id": row.id}
        )
