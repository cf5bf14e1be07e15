"""An equaliser: two shelves and bells with the responses of their analogue prototypes.

The magnitudes are those of the prototypes of the cookbook [1]_ at every frequency up to half the
rate, so that a bell at 16 kHz is as wide above as below (digital biquads are cramped there, [2]_).
The phase is the minimum phase that belongs to them, from the folded cepstrum [3]_.

References
----------
.. [1] R. Bristow-Johnson, "Audio EQ Cookbook", W3C Working Group Note, 2021.
.. [2] S. J. Orfanidis, "Digital parametric equalizer design with prescribed Nyquist-frequency
   gain", Journal of the Audio Engineering Society 45(6), 1997.
.. [3] A. V. Oppenheim and R. W. Schafer, "Discrete-Time Signal Processing", on minimum phase.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import scipy.fft
from numpy.typing import NDArray

_TAPS_S = 0.7
"""Longer than the narrowest bell rings at the lowest frequency."""

_FINER = 4
_SHELF_Q = 2.0**-0.5


@dataclass(frozen=True)
class Band:
    """One band.

    Attributes
    ----------
    shape : {"low shelf", "bell", "high shelf"}
    hz : float
        Centre of a bell; where a shelf has half its gain.
    gain_db : float
    q : float
        Centre over bandwidth, of a bell.
    """

    shape: Literal["low shelf", "bell", "high shelf"]
    hz: float
    gain_db: float
    q: float = _SHELF_Q


def response_db(bands: Sequence[Band], hz: NDArray[Any]) -> NDArray[np.float64]:
    """Gain of all bands together at frequencies in Hz, in dB."""
    total = np.zeros(len(hz))
    for band in bands:
        total += 20.0 * np.log10(np.abs(_prototype(band, 1j * hz / band.hz)))
    return total


def _prototype(band: Band, s: NDArray[Any]) -> Any:
    a = 10.0 ** (band.gain_db / 40.0)
    if band.shape == "bell":
        return (s**2 + s * (a / band.q) + 1.0) / (s**2 + s / (a * band.q) + 1.0)
    damped = np.sqrt(a) / _SHELF_Q * s
    if band.shape == "low shelf":
        return a * (s**2 + damped + a) / (a * s**2 + damped + 1.0)
    return a * (a * s**2 + damped + 1.0) / (s**2 + damped + a)


def equalise(
    samples: NDArray[np.float32], rate: float, bands: Sequence[Band]
) -> NDArray[np.float32]:
    """A sound of shape (frames, channels) through all bands; as long as it was."""
    bands = [band for band in bands if band.gain_db != 0.0]
    if not bands:
        return samples
    response = _minimum_phase(bands, rate)
    # a constant ahead of the sound leaves the filter at rest: only the difference goes in
    first = samples[:1].astype(np.float64)
    changed = scipy.signal.oaconvolve(samples - first, response[:, None], axes=0)[: len(samples)]
    return np.asarray(changed + first * response.sum(), np.float32)


def _minimum_phase(bands: Sequence[Band], rate: float) -> NDArray[np.float64]:
    taps = scipy.fft.next_fast_len(round(_TAPS_S * rate))
    size = 2 * ((_FINER * taps) // 2)
    hz = np.fft.rfftfreq(size, 1.0 / rate)
    log_gain = response_db(bands, hz) * (np.log(10.0) / 20.0)
    cepstrum = scipy.fft.irfft(log_gain, size)
    fold = np.zeros(size)
    fold[0] = fold[size // 2] = 1.0
    fold[1 : size // 2] = 2.0
    response = scipy.fft.irfft(np.exp(scipy.fft.rfft(cepstrum * fold)), size)[:taps]
    # the last twentieth fades, since a cut end would ring
    fade = taps // 20
    response[-fade:] *= np.linspace(1.0, 0.0, fade)
    return np.asarray(response)
