"""Word from live sound to the work in the background: that it plays, and that a block was late.

Two empty files, since the engine and the workers are processes of their own: the time of a file
says when.
"""

from __future__ import annotations

import time
from pathlib import Path

from innerbloom.store.ages import age_s

_TOLD_EVERY_S = 0.5
_PLAYS_FOR_S = 2.0
_LATE_FOR_S = 10.0
_SHARE, _SHARE_WHEN_LATE = 0.5, 0.1
_LONGEST_PAUSE_S = 1.0


class Sounding:
    """What live sound says of itself, and how much of its time work may take meanwhile.

    Parameters
    ----------
    folder : Path
        A folder that the processes share.
    """

    def __init__(self, folder: Path) -> None:
        self._playing, self._late = folder / "sound.playing", folder / "sound.late"
        self._told = 0.0

    def plays(self) -> None:
        """Something sounds now; costs nothing if called for every block."""
        if time.monotonic() - self._told >= _TOLD_EVERY_S:
            self._told = time.monotonic()
            self._playing.touch()

    def was_late(self) -> None:
        """A block came too late and was heard as a dropout."""
        self._late.touch()

    def share(self) -> float:
        """Share of its time that work in the background may take now: 1 while nothing sounds."""
        if age_s(self._playing) > _PLAYS_FOR_S:
            return 1.0
        return _SHARE_WHEN_LATE if age_s(self._late) < _LATE_FOR_S else _SHARE

    def pause_s(self, worked_s: float) -> float:
        """How long to rest after having worked for so long."""
        share = self.share()
        return min(_LONGEST_PAUSE_S, worked_s * (1.0 - share) / share)
