"""Scales, as the steps of one octave."""

from __future__ import annotations

SCALES: dict[str, tuple[int, ...]] = {
    "chromatic": tuple(range(12)),
    "major": (0, 2, 4, 5, 7, 9, 11),
    "natural minor": (0, 2, 3, 5, 7, 8, 10),
    "harmonic minor": (0, 2, 3, 5, 7, 8, 11),
    "dorian": (0, 2, 3, 5, 7, 9, 10),
    "major pentatonic": (0, 2, 4, 7, 9),
    "minor pentatonic": (0, 3, 5, 7, 10),
    "whole tone": (0, 2, 4, 6, 8, 10),
    "fifths": (0, 7),
}
"""Steps above the key in semitones."""

CHORDS = {"major chord": (0, 4, 7), "minor chord": (0, 3, 7)}
LATTICE = {"anywhere": (), "octaves": (0,), **CHORDS, **SCALES}
"""Steps of an octave, in semitones above the key, that pitches may be drawn to."""
