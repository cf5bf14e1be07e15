"""instrument documents of version 2: lists of sounds, touch as routes"""

from innerbloom.store.migrations.documents import bring_up_to_date

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    """Bring documents up to date."""
    bring_up_to_date(before=2)
