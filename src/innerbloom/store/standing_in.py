"""One recording standing in for others: the same stretches, and loops of about the same length."""

from __future__ import annotations

from collections.abc import Callable

from sqlalchemy.orm import Session

from innerbloom.core.declare.sound import Sound
from innerbloom.core.errors import BloomError
from innerbloom.core.instrument.catalogue import LAYER_KINDS
from innerbloom.core.instrument.layering import FoundLoop
from innerbloom.core.instrument.standing_in import loop_like
from innerbloom.store.files import FileStore
from innerbloom.store.models import Recording
from innerbloom.store.recordings import sound_of, with_digest

StandIns = Callable[[str, Sound, float], tuple[Sound, FoundLoop | None]]


def stand_ins(db: Session, files: FileStore, row: Recording) -> StandIns:
    """What stands for a sound of a layer, for :func:`.swap_all`.

    A stretch lies at the same share of the recording as it did in the old one, and is as long,
    as far as the recording goes. A loop is looked for in the stretch: the one that closes best
    among those that are at least half as long as the old one.

    Raises
    ------
    BloomError
        If the recording is a wavetable or a spectrum and a layer plays recordings.
    """
    whole, written = sound_of(row)
    if row.kind in ("wavetable", "spectrum"):
        raise BloomError(f"'{row.name}' stands for its own kind only: swap sounds one by one.")
    seconds = row.measured["duration_s"]

    def stand_in(kind: str, old: Sound, loop_ms: float) -> tuple[Sound, FoundLoop | None]:
        if old.cycle is not None:
            raise BloomError(f"'{old.name}' is a wavetable: swap these sounds one by one.")
        sound = _stretched(db, whole, old, seconds)
        if not LAYER_KINDS[kind].loops:
            return sound, None
        if written is not None and sound.start == whole.start and sound.length == whole.length:
            return sound, written
        return sound, loop_like(files.readable(row.digest), sound, loop_ms)

    return stand_in


def _stretched(db: Session, whole: Sound, old: Sound, seconds: float) -> Sound:
    before = with_digest(db, old.recording) if old.recording else None
    whole = whole.model_copy(update={"analysis": old.analysis})
    if before is None or (old.start == 0.0 and old.length is None):
        return whole
    start = min(seconds * old.start / before.measured["duration_s"], max(0.0, seconds - 0.02))
    length = None if old.length is None else min(old.length, seconds - start)
    return whole.model_copy(update={"start": round(start, 4), "length": length})
