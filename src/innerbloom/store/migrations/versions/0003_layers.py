"""instrument documents of version 2: lists of sounds, touch as routes"""

import json

import sqlalchemy as sa
from alembic import op

from innerbloom.core.instrument.document import parse_instrument

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    """Bring documents up to date; revisions speak of the old shape and cannot be undone any more."""
    connection = op.get_bind()
    rows = connection.execute(sa.text("SELECT id, document, revision FROM instrument")).all()
    for row in rows:
        document = json.loads(row.document)
        if document.get("version") != 1:
            continue
        connection.execute(
            sa.text("UPDATE instrument SET document = :document WHERE id = :id"),
            {"document": parse_instrument(document).model_dump_json(), "id": row.id},
        )
        connection.execute(
            sa.text("DELETE FROM revision WHERE instrument_id = :id"), {"id": row.id}
        )
