"""How a sound holds and how it moves: holes, flutter, width, and whether its timbre evolves.

References
----------
.. [1] Modulation index of the envelope from 2 to 10 Hz: roughness and flutter of temporal
   modulation (J. H. McDermott and E. P. Simoncelli, "Sound texture perception via statistics of
   the auditory periphery", Neuron 71, 2011).
.. [2] Bands are thirds of an octave (IEC 61260).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.fft
from numpy.typing import NDArray

STEP_S = 0.02
"""Time over which a level is taken."""

_FLUTTER_HZ = (2.0, 10.0)
_SPECTRUM_S = 0.5
_FAR_S = 5.0
_LOWEST_HZ, _HIGHEST_HZ = 60.0, 16_000.0
_BAND_FLOOR_DB = -50.0


@dataclass(frozen=True)
class Evolution:
    """How a stretch of sound holds and moves.

    Attributes
    ----------
    lowest_db : float
        The lowest level over 20 ms, against the median one; at most 0.
    spread_db : float
        Standard deviation of these levels.
    flutter : float
        Modulation index of the envelope between 2 and 10 Hz: 0 for a steady sound, 0.35 and more
        for one that flutters.
    side_db : float
        Energy of left minus right against left plus right; -inf for mono.
    near, far : float
        How far the spectrum of half a second lies from the next one, and from one at least five
        seconds away: root mean square over bands, dB, medians. ``far`` is NaN for short sounds.
    """

    lowest_db: float
    spread_db: float
    flutter: float
    side_db: float
    near: float
    far: float


def evolution(samples: NDArray[np.float32], rate: float) -> Evolution:
    """Measure samples of shape (frames, channels), 1 s or longer."""
    step = levels(samples, rate)
    median = max(float(np.median(step)), 1e-9)
    against = 20.0 * np.log10(np.maximum(step, 1e-6 * median) / median)
    near, far = _distances(samples, rate)
    return Evolution(
        lowest_db=float(against.min(initial=0.0)),
        spread_db=float(np.std(against)),
        flutter=flutter(samples, rate),
        side_db=side_db(samples),
        near=near,
        far=far,
    )


def levels(
    samples: NDArray[np.float32], rate: float, step_s: float = STEP_S
) -> NDArray[np.float64]:
    """Root mean square of each step, all channels together."""
    step = max(1, round(step_s * rate))
    count = len(samples) // step
    shaped = samples[: count * step].astype(np.float64).reshape(count, -1)
    return np.asarray(np.sqrt(np.mean(shaped**2, axis=1)))


def flutter(samples: NDArray[np.float32], rate: float) -> float:
    """Modulation index of the envelope between 2 and 10 Hz."""
    envelope = levels(samples, rate)
    mean = float(envelope.mean()) if len(envelope) else 0.0
    if mean <= 0.0 or len(envelope) < 2:
        return 0.0
    window = np.hanning(len(envelope) + 2)[1:-1]
    around = (envelope / mean - np.average(envelope / mean, weights=window)) * window
    power = np.abs(scipy.fft.rfft(around)) ** 2 / (len(envelope) * np.sum(window**2))
    power[1:] *= 2.0
    hz = scipy.fft.rfftfreq(len(envelope), STEP_S)
    inside = (hz >= _FLUTTER_HZ[0]) & (hz <= _FLUTTER_HZ[1])
    # the index of a sine is its peak over the mean
    return float(np.sqrt(2.0 * power[inside].sum()))


def side_db(samples: NDArray[np.float32]) -> float:
    """Energy of left minus right against that of left plus right, in dB."""
    if samples.shape[1] < 2:
        return -np.inf
    wide = samples[:, :2].astype(np.float64)
    middle, side = np.sum((wide[:, 0] + wide[:, 1]) ** 2), np.sum((wide[:, 0] - wide[:, 1]) ** 2)
    if side <= 1e-12 * middle:
        return -np.inf
    return float(10.0 * np.log10(side / max(middle, 1e-20)))


def third_octaves(samples: NDArray[np.float32], rate: float, span_s: float) -> NDArray[np.float64]:
    """Level of each third of an octave from 60 Hz to 16 kHz in each span, in dB below the whole.

    Shape (spans, bands); bands far below the rest count as at a floor.
    """
    size = round(span_s * rate)
    count = len(samples) // size
    mono = samples[: count * size].mean(axis=1, dtype=np.float64).reshape(count, size)
    power = np.abs(scipy.fft.rfft(mono * np.hanning(size), axis=1)) ** 2
    top = min(_HIGHEST_HZ, 0.45 * rate)
    edges_hz = _LOWEST_HZ * 2.0 ** (np.arange(int(3 * np.log2(top / _LOWEST_HZ)) + 1) / 3.0)
    edges = np.round(edges_hz * size / rate).astype(int)
    bands = np.add.reduceat(power[:, : edges[-1]], edges[:-1], axis=1)
    whole = np.maximum(bands.sum(axis=1, keepdims=True), 1e-30)
    return np.asarray(10.0 * np.log10(np.maximum(bands / whole, 10.0 ** (_BAND_FLOOR_DB / 10.0))))


def _distances(samples: NDArray[np.float32], rate: float) -> tuple[float, float]:
    spectra = third_octaves(samples, rate, _SPECTRUM_S)
    if len(spectra) < 2:
        return 0.0, np.nan
    near = _apart(spectra, 1)
    steps = range(round(_FAR_S / _SPECTRUM_S), len(spectra))
    far = [one for step in steps for one in _apart(spectra, step)]
    return float(np.median(near)), float(np.median(far)) if far else np.nan


def _apart(spectra: NDArray[np.float64], step: int) -> NDArray[np.float64]:
    return np.asarray(np.sqrt(np.mean((spectra[step:] - spectra[:-step]) ** 2, axis=1)))
