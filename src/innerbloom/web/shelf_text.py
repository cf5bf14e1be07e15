"""The shelf as JSON: a line that has not changed is not written again."""

from __future__ import annotations

import json
import threading
from collections.abc import Sequence

from innerbloom.store.shelf import Line
from innerbloom.web.schemas import RecordingLine


class ShelfText:
    """The list of all sounds as JSON, of 100,000 as quickly as of few."""

    def __init__(self) -> None:
        self._texts: dict[int, tuple[Line, str]] = {}
        self._tuning = 0.0
        self._lock = threading.Lock()

    def of(self, lines: Sequence[Line], tuning: float) -> str:
        """A JSON array of :class:`.RecordingLine`.

        Parameters
        ----------
        tuning : float
            Hz of A4, by which roots have names.
        """
        with self._lock:
            known = self._texts if tuning == self._tuning else {}
            self._texts = {line.id: _text(line, known.get(line.id), tuning) for line in lines}
            self._tuning = tuning
            return f"[{','.join(text for _, text in self._texts.values())}]"


def _text(line: Line, known: tuple[Line, str] | None, tuning: float) -> tuple[Line, str]:
    if known is not None and known[0] is line:
        return known
    plain = RecordingLine.plain(line, tuning)
    return line, json.dumps(plain, separators=(",", ":"), allow_nan=False)
