"""Words that what was measured of a sound is found by: mono, noisy, a note, its kind."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Protocol

from innerbloom.core.analysis.tonalness import character
from innerbloom.core.pitch_names import hz_to_note, note_name

_CHANNELS = {1: "mono", 2: "stereo"}
_KINDS = {"clip": "material", "spectrum": "spectrum", "wavetable": "wavetable"}
_FLATS = {"db": "c#", "eb": "d#", "gb": "f#", "ab": "g#", "bb": "a#"}


class Measures(Protocol):
    """What of a sound has words."""

    @property
    def kind(self) -> str: ...
    @property
    def channels(self) -> int: ...
    @property
    def root_hz(self) -> float | None: ...
    @property
    def tonalness(self) -> float: ...


def plain_word(word: str) -> str:
    """A word as these are spelt: small letters, and a note with a sharp.

    >>> plain_word("B♭2")
    'a#2'
    """
    plain = word.casefold().replace("♯", "#").replace("♭", "b")
    flat = re.fullmatch(r"([a-g]b)(-?\d?)", plain)
    return _FLATS.get(flat[1], flat[1]) + flat[2] if flat else plain


def words_of(sound: Measures, tuning: float = 440.0) -> frozenset[str]:
    """All words of a sound, as `plain_word` spells them."""
    return _words(sound.kind, sound.channels, sound.root_hz, character(sound.tonalness), tuning)


@lru_cache(maxsize=16_384)
def _words(
    kind: str, channels: int, root_hz: float | None, character: str, tuning: float
) -> frozenset[str]:
    words = {_KINDS.get(kind, "recording"), _CHANNELS.get(channels, "many-channel"), character}
    if character == "partly tonal":
        words.add("partly")
    if root_hz is None:
        words.add("unpitched")
    else:
        note = note_name(hz_to_note(root_hz, tuning))[0].casefold()
        words |= {note, note.rstrip("-0123456789"), "pitched"}
    return frozenset(words)
