"""One recording standing in for others: stretches that are alike, and loops of about the same length."""

from __future__ import annotations

from collections.abc import Callable

from sqlalchemy.orm import Session

from innerbloom.core.analysis.alike import LooksOf, alike_start
from innerbloom.core.declare.sound import Sound
from innerbloom.core.errors import BloomError, SoundFileError
from innerbloom.core.instrument.catalogue import LAYER_KINDS
from innerbloom.core.instrument.layering import FoundLoop
from innerbloom.core.instrument.standing_in import loop_like
from innerbloom.store.files import FileStore
from innerbloom.store.models import Recording
from innerbloom.store.recordings import sound_of, with_digest

StandIns = Callable[[str, Sound, float], tuple[Sound, FoundLoop | None]]


def stand_ins(db: Session, files: FileStore, row: Recording) -> StandIns:
    """What stands for a sound of a layer, for :func:`.swap_all`.

    A stretch is as long as the old one, as far as the recording goes, and lies where the recording
    is as the old one was there (:mod:`.alike`), or at the same share of it where the old one is
    missing. A loop is looked for in the stretch: the one that closes best among those that are at
    least half as long as the old one.

    Raises
    ------
    BloomError
        If the recording is a wavetable or a spectrum and a layer plays recordings.
    """
    whole, written = sound_of(row)
    if row.kind in ("wavetable", "spectrum"):
        raise BloomError(f"'{row.name}' stands for its own kind only: swap sounds one by one.")
    seconds, looks = row.measured["duration_s"], LooksOf(files.readable)

    def stand_in(kind: str, old: Sound, loop_ms: float) -> tuple[Sound, FoundLoop | None]:
        if old.cycle is not None:
            raise BloomError(f"'{old.name}' is a wavetable: swap these sounds one by one.")
        before = with_digest(db, old.recording) if old.recording else None
        sound = _stretched(before, whole, old, seconds, looks)
        if not LAYER_KINDS[kind].loops:
            return sound, None
        if written is not None and sound.start == whole.start and sound.length == whole.length:
            return sound, written
        return sound, loop_like(files.readable(row.digest), sound, loop_ms)

    return stand_in


def _stretched(
    before: Recording | None, whole: Sound, old: Sound, seconds: float, looks: LooksOf
) -> Sound:
    whole = whole.model_copy(update={"analysis": old.analysis})
    if before is None or (old.start == 0.0 and old.length is None):
        return whole
    was = before.measured["duration_s"]
    length = min(old.length or was - old.start, seconds)
    share = min(old.start / was, max(0.0, 1.0 - length / seconds))
    try:
        there = looks(whole.recording or "", share)
        start = alike_start(looks(before.digest, share), old.start, length, there, share)
    except SoundFileError:
        start = seconds * share
    start = max(0.0, min(start, seconds - length))
    kept = None if old.length is None and start + length >= seconds else length
    return whole.model_copy(update={"start": round(start, 4), "length": kept})
