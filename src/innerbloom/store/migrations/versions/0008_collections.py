"""collections of sounds and of instruments, tags of instruments; collections are found by text"""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"

_TEXTS = "name, filename, title, scene, take, place, notes, recordist, licence, date, tags, collection"  # fmt: skip


def upgrade() -> None:
    for table in ("recording", "document"):
        op.add_column(table, sa.Column("collection", sa.String(80), nullable=False, server_default=""))  # fmt: skip
    op.add_column("document", sa.Column("tags", sa.JSON, nullable=False, server_default="[]"))
    # an index of external content cannot be given a column: it is made again
    for trigger in ("in", "out", "of"):
        op.execute(f"DROP TRIGGER recording_text_{trigger}")
    op.execute("DROP TABLE recording_text")
    op.execute(
        f"CREATE VIRTUAL TABLE recording_text USING fts5({_TEXTS}, "
        "content='recording', content_rowid='id', tokenize='trigram')"
    )
    op.execute("INSERT INTO recording_text(recording_text) VALUES ('rebuild')")
    new, old = (", ".join(f"{row}.{one}" for one in _TEXTS.split(", ")) for row in ("new", "old"))
    put = f"INSERT INTO recording_text(rowid, {_TEXTS}) VALUES (new.id, {new}); "
    take = f"INSERT INTO recording_text(recording_text, rowid, {_TEXTS}) VALUES ('delete', old.id, {old}); "  # fmt: skip
    for name, when, what in (
        ("in", "INSERT", put),
        ("out", "DELETE", take),
        ("of", f"UPDATE OF {_TEXTS}", take + put),
    ):
        op.execute(
            f"CREATE TRIGGER recording_text_{name} AFTER {when} ON recording BEGIN {what}END"
        )
