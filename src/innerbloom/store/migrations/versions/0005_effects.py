"""instrument documents of version 4: chains of effects, sends, shared buses; undo carried over"""

from innerbloom.store.migrations.documents import bring_up_to_date

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    """Bring documents and their history up to date."""
    bring_up_to_date(before=4)
