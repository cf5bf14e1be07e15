"""A mono sound made wide: two channels whose sum is the mono sound again.

The sides are the sound through an all-pass of random phase, 30 ms long, whose spectrum is
flat [1]_; they are added to one channel and taken from the other, so that whoever folds the
channels down hears the sound as it was [2]_. Low frequencies stay in the middle.

References
----------
.. [1] G. S. Kendall, "The decorrelation of audio signals and its impact on spatial imagery",
   Computer Music Journal 19(4), 1995.
.. [2] M. R. Schroeder, "An artificial stereophonic effect obtained from a single audio
   signal", Journal of the Audio Engineering Society 6(2), 1958.
"""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

_LENGTH_S = 0.03
_MIDDLE_HZ = (100.0, 250.0)
"""Below the first everything stays in the middle, above the second nothing is held there."""


def widen(mono: NDArray[np.float32], rate: float, width: float) -> NDArray[np.float32]:
    """Two channels from one.

    Parameters
    ----------
    mono : ndarray, shape (frames,)
    width : float
        0 for the same in both channels to 1 for channels that are not alike (a correlation
        of 0 above 250 Hz).

    Returns
    -------
    ndarray of float32, shape (frames, 2)
        As loud as the mono sound in each channel.
    """
    decorrelator = _decorrelator(rate)
    side = scipy.signal.oaconvolve(mono, decorrelator)[len(decorrelator) // 2 :][: len(mono)]
    level = 1.0 / np.sqrt(1.0 + width**2)
    pair = np.stack((mono + width * side, mono - width * side), axis=1)
    return np.asarray(level * pair, np.float32)


def _decorrelator(rate: float) -> NDArray[np.float64]:
    """An impulse response of flat spectrum above the middle band; the same every time."""
    length = max(16, round(_LENGTH_S * rate)) & ~1
    hz = np.fft.rfftfreq(length, 1.0 / rate)
    low, high = _MIDDLE_HZ
    gain = np.sin(0.5 * np.pi * np.clip((hz - low) / (high - low), 0.0, 1.0)) ** 2
    phase = np.random.default_rng(1995).uniform(-np.pi, np.pi, len(hz))
    spectrum = gain * np.exp(1j * phase)
    # the ends of the spectrum are real
    spectrum[0], spectrum[-1] = 0.0, gain[-1]
    return np.roll(np.fft.irfft(spectrum, length), length // 2)
