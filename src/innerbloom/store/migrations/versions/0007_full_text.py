"""what a file says of itself beside its name, and a full-text index over all texts of a sound"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"

_TEXTS = "name, filename, title, scene, take, place, notes, recordist, licence, date, tags"


def upgrade() -> None:
    for name in ("title", "scene", "take"):
        op.add_column(
            "recording", sa.Column(name, sa.String(200), nullable=False, server_default="")
        )
    # trigrams find a run of any three letters, underscores and figures among them
    op.execute(
        f"CREATE VIRTUAL TABLE recording_text USING fts5({_TEXTS}, "
        "content='recording', content_rowid='id', tokenize='trigram')"
    )
    op.execute("INSERT INTO recording_text(recording_text) VALUES ('rebuild')")
    new, old = (", ".join(f"{row}.{one}" for one in _TEXTS.split(", ")) for row in ("new", "old"))
    put = f"INSERT INTO recording_text(rowid, {_TEXTS}) VALUES (new.id, {new}); "
    take = (
        f"INSERT INTO recording_text(recording_text, rowid, {_TEXTS}) "
        f"VALUES ('delete', old.id, {old}); "
    )
    # the index follows the table whoever writes to it
    op.execute(f"CREATE TRIGGER recording_text_in AFTER INSERT ON recording BEGIN {put}END")
    op.execute(f"CREATE TRIGGER recording_text_out AFTER DELETE ON recording BEGIN {take}END")
    op.execute(
        f"CREATE TRIGGER recording_text_of AFTER UPDATE OF {_TEXTS} ON recording "
        f"BEGIN {take}{put}END"
    )
