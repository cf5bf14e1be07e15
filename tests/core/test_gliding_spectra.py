"""Spectra of sounds whose pitch glides: of any length, they are whole and can be kept."""

from __future__ import annotations

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from innerbloom.core.materials.spectrum.files import read_spectrum, write_spectrum
from innerbloom.core.materials.spectrum.model import HOP
from tests.sounds import RATE, gliding_tone
from tests.spectra import taken


@settings(max_examples=10)
@given(
    frames=st.integers(RATE // 2, RATE),
    rate=st.sampled_from([-2.0, -1.0, 1.0, 2.0]),
    start=st.floats(120.0, 400.0),
)
def test_partials_lie_inside_the_sound(tmp_path_factory, frames, rate, start):
    """An octave or two a second, ending anywhere between two moments; a file gives it all back."""
    hz = start * 2.0 ** (rate * np.arange(frames) / RATE)
    spectrum = taken(gliding_tone(hz), None)
    moments = frames // HOP + 1
    assert spectrum.tracks
    assert all(one.first >= 0 and one.first + len(one) <= moments for one in spectrum.tracks)
    assert spectrum.most_at_once >= 1
    path = tmp_path_factory.mktemp("glide") / "a.spectrum"
    write_spectrum(path, spectrum)
    again = read_spectrum(path)
    assert len(again.tracks) == len(spectrum.tracks)


def test_a_glide_is_followed():
    """An octave in a second: its partials hold nearly all of it, each the whole way."""
    frames = RATE
    hz = 200.0 * 2.0 ** (np.arange(frames) / RATE)
    spectrum = taken(gliding_tone(hz), None)
    assert spectrum.tonal > 0.95
    (lowest, *_) = sorted(spectrum.tracks, key=lambda one: one.centre_hz)
    inside = slice(20, len(lowest) - 20)
    wanted = hz[np.minimum((lowest.first + np.arange(len(lowest))) * HOP, frames - 1)]
    assert np.abs(1200 * np.log2(lowest.hz / wanted))[inside].max() < 10
