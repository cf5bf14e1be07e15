"""A timeline played from a moment on, through the live output, while it is worked on."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.errors import BloomError
from innerbloom.core.sound.resampled import ResampledSource
from innerbloom.core.timeline.document import Film, parse_timeline
from innerbloom.core.timeline.mix import MIX_RATE, TimelineMix
from innerbloom.store.files import FileStore
from innerbloom.store.films import SOUND, ClipSounds, FilmFolders

_AHEAD = 1_024
"""Frames mixed at once: what one clip costs is shared by several blocks."""

_FADE = 240


class OpenTimeline:
    """A timeline with all it plays opened; clips whose sound is gone are silent.

    Parameters
    ----------
    timeline : dict
        As plain data; raises a DocumentError where it cannot be read.
    store : FileStore
        Where its sounds and its film lie.
    gain_db : float
        By which all lanes are raised; the film's own sound is not.
    """

    def __init__(self, timeline: dict[str, Any], store: FileStore, gain_db: float = 0.0) -> None:
        document = parse_timeline(timeline)
        self.mix = TimelineMix(document, ClipSounds(store), skip_missing=True)
        self._gain = np.float32(10.0 ** (gain_db / 20.0))
        film = document.film
        self._sound = _film_sound(film, FilmFolders(store))
        self._level = np.float32(0.0 if film is None else 10.0 ** (film.level / 20.0))

    def read(self, first: int, frames: int) -> NDArray[np.float32]:
        """What is heard from a sample on, shape (frames, 2)."""
        out = self.mix.read(first, frames) * self._gain
        if self._sound is not None:
            out += self._sound.read(first, frames) * self._level
        return out


def _film_sound(film: Film | None, films: FilmFolders) -> ResampledSource | None:
    if film is None or not film.sound or film.muted:
        return None
    try:
        return ResampledSource(films.file(film.digest, SOUND), MIX_RATE)
    except BloomError:
        return None


class TimelinePlaying:
    """Plays what a timeline sounds like, and the film's own sound beside it.

    Parameters
    ----------
    heard : OpenTimeline
    at_s : float
        Where to start, in seconds of the picture.
    until_s : float, optional
        Where to stop; by default at the end.
    """

    def __init__(self, heard: OpenTimeline, at_s: float, until_s: float | None = None) -> None:
        self._heard = heard
        self._next: OpenTimeline | None = None
        end = self._heard.mix.frames
        self._at = self._start = min(max(0, round(at_s * MIX_RATE)), end)
        self._end = end if until_s is None else min(end, max(self._at, round(until_s * MIX_RATE)))
        self._ready = np.zeros((0, 2), np.float32)
        self._stopping = False

    @property
    def place_s(self) -> float:
        """Where in the picture the sound is now, in seconds."""
        return self._at / MIX_RATE

    def stop(self) -> None:
        """Fade out in the next block."""
        self._stopping = True

    def change(self, heard: OpenTimeline) -> None:
        """Go on with a changed timeline: it is crossed over to in the next block."""
        self._next = heard
        self._end = min(self._end, heard.mix.frames)

    def read(self, frames: int) -> tuple[NDArray[np.float32], bool]:
        """The next frames, shape (frames, 2), and whether there is more."""
        try:
            out = self._mixed(frames)
        except BloomError:
            # deleted or altered meanwhile: live sound goes on
            return np.zeros((frames, 2), np.float32), False
        if self._at - self._start < _FADE:
            ramp = (self._at - self._start + np.arange(frames)) / _FADE
            out *= np.minimum(1.0, ramp).astype(np.float32)[:, None]
        left = self._end - self._at - np.arange(frames)
        if left[-1] < _FADE:
            out *= np.clip(left / _FADE, 0.0, 1.0).astype(np.float32)[:, None]
        if self._stopping:
            out *= np.linspace(1, 0, frames, dtype=np.float32)[:, None]
        self._at += frames
        return out, not self._stopping and self._at < self._end

    def _mixed(self, frames: int) -> NDArray[np.float32]:
        changed, self._next = self._next, None
        if changed is not None:
            before = self._ahead(frames)
            self._heard, self._ready = changed, np.zeros((0, 2), np.float32)
            share = np.linspace(0, 1, frames, dtype=np.float32)[:, None]
            return np.asarray(before * (1.0 - share) + self._ahead(frames) * share)
        return self._ahead(frames)

    def _ahead(self, frames: int) -> NDArray[np.float32]:
        while len(self._ready) < frames:
            first = self._at + len(self._ready)
            self._ready = np.concatenate((self._ready, self._heard.read(first, _AHEAD)))
        out, self._ready = self._ready[:frames].copy(), self._ready[frames:]
        return out
