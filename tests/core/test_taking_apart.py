"""Taking sounds apart tells how far it is, and stops where it is asked to."""

from __future__ import annotations

import numpy as np
import pytest

from innerbloom.core.declare.sound import Sound
from innerbloom.core.errors import Cancelled
from innerbloom.core.materials.spectrum.analyse import analyse
from innerbloom.store.files import FileStore
from innerbloom.store.spectra import SpectrumStore
from tests.sounds import RATE

T = np.arange(RATE) / RATE
TONE = np.stack([np.sin(2 * np.pi * 220 * T), 0.3 * np.sin(2 * np.pi * 331 * T)], axis=1)
TONE = (0.2 * TONE).astype(np.float32)


def told() -> list[float]:
    shares: list[float] = []
    analyse(TONE, RATE, 220.0, progress=lambda share: shares.append(share) or True)
    return shares


def test_it_tells_more_and_more_in_small_steps():
    shares = told()
    assert shares == sorted(shares)
    assert 0.0 < shares[0] < 0.1
    assert 0.8 < shares[-1] <= 1.0
    # five windows are tried, and each is told of
    assert np.diff(shares).max() < 0.3


def test_it_stops_wherever_it_is_asked_to():
    for number in range(len(told())):
        answers = iter([True] * number + [False])
        with pytest.raises(Cancelled):
            analyse(TONE, RATE, 220.0, progress=lambda share, left=answers: next(left))


def test_what_was_stopped_leaves_nothing_and_is_made_when_asked_for_again(tmp_path, write_wav):
    files = FileStore(tmp_path / "project")
    path = files.new_incoming("tone.wav")
    write_wav(TONE, name="tone.wav").replace(path)
    files.adopt(path, "a" * 64, ".wav")
    sound = Sound(recording="a" * 64, root=57)
    spectra = SpectrumStore(files)
    with pytest.raises(Cancelled):
        spectra.make(sound, lambda share: share < 0.4)
    assert spectra.find(sound) is None
    made = spectra.make(sound, lambda share: True).spectrum
    assert made.seconds == pytest.approx(1.0, abs=0.01)
