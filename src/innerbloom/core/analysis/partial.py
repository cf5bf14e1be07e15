"""The strongest lasting partial of a sound that has no clear pitch.

A drum or a steel door has partials that fit no one root, and yet is heard to have a tone. Where one
partial holds much of the energy, and keeps its place as long as the sound lasts, it can be offered
as a root, with what speaks against it. Frequencies are read between bins by a parabola through the
log spectrum (J. O. Smith and X. Serra, "PARSHL", ICMC 1987).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.analysis.pitch import FRAME, HIGHEST_HZ, LOWEST_HZ, RATE, parabola

LEAST_SHARE = 0.25
_LEAST_LASTING = 0.6
_QUIET = 0.02
_PADDED = 4
_LOBE = 2 * _PADDED
"""Half of the main lobe of a Hann window, in bins of the padded spectrum."""

_NEAR_DB, _ABOVE_DB = 9.0, 12.0


@dataclass(frozen=True)
class LastingPartial:
    """A partial: its frequency in Hz, and the share of all energy that lies in it, 0..1."""

    hz: float
    share: float


def lasting_partial(frames: NDArray[np.float32]) -> LastingPartial | None:
    """The strongest partial of frames of shape (n, FRAME) at RATE; None where none stands out.

    Sounds that hiss have strong bins too, but never the same ones: the partial has to be among the
    strongest in most of the frames that are not quiet.
    """
    if not len(frames):
        return None
    loud = np.sqrt(np.mean(np.square(frames, dtype=np.float64), axis=1))
    frames = frames[loud > _QUIET * loud.max(initial=0.0)]
    if not len(frames):
        return None
    window = np.hanning(FRAME).astype(np.float32)
    power = np.abs(scipy.fft.rfft(frames * window, _PADDED * FRAME, axis=1)) ** 2
    width = RATE / (_PADDED * FRAME)
    first, last = round(LOWEST_HZ / width), round(HIGHEST_HZ / width)
    whole = power.sum(axis=0)
    peak = first + int(whole[first:last].argmax())
    lobe = slice(peak - _LOBE, peak + _LOBE + 1)
    share = float(whole[lobe].sum() / max(whole.sum(), 1e-20))
    highest = power[:, first:last].max(axis=1)
    lasting = np.mean(power[:, lobe].max(axis=1) >= highest * 10.0 ** (-_NEAR_DB / 10.0))
    if share < LEAST_SHARE or lasting < _LEAST_LASTING or not _stands_out(whole, peak):
        return None
    place, _ = parabola(np.log(np.maximum(whole, 1e-30)).astype(np.float64), peak)
    return LastingPartial(place * width, share)


def _stands_out(power: NDArray[np.float32], peak: int) -> bool:
    """Whether it is a peak at all, and far above what lies on either side."""
    if power[peak] < power[peak - 1] or power[peak] < power[peak + 1]:
        return False
    below = power[max(0, peak - 3 * _LOBE) : peak - _LOBE]
    above = power[peak + _LOBE + 1 : peak + 3 * _LOBE]
    beside = max(float(below.mean()) if len(below) else 0.0, float(above.mean()))
    return bool(power[peak] > 10.0 ** (_ABOVE_DB / 10.0) * beside)
