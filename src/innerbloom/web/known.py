"""What is known of a recording on the shelf, for its file and for names."""

from __future__ import annotations

from typing import Any

from innerbloom.core.deliver.export import About
from innerbloom.core.pitch_names import hz_to_note
from innerbloom.core.sound.loop import Loop
from innerbloom.core.sound.metadata import Origin
from innerbloom.store import recordings
from innerbloom.store.models import Recording
from innerbloom.web import schemas as s
from innerbloom.web.services import settings


def about(row: Recording, measured: dict[str, Any]) -> About:
    """All of a recording that goes into a file; ``measured`` may be that of a stage."""
    hz, loops = measured["root_hz"], measured.get("loops") or []
    words = s.root_words(hz, settings().tuning)
    return About(
        name=row.name,
        origin=Origin(title=row.name, **recordings.origin_of(row)),
        # files are read by tools that know A4 at 440 Hz
        root=None if hz is None else hz_to_note(hz),
        root_name=words["root_note"] or "",
        loop=Loop(**loops[0]) if loops else None,
        markers=tuple(measured.get("markers") or ()),
        place=row.place,
        scene=row.scene,
        take=row.take,
    )
