"""instrument documents of version 3: routes name what they move, modulators"""

from innerbloom.store.migrations.documents import bring_up_to_date

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    """Bring documents up to date."""
    bring_up_to_date(before=3)
