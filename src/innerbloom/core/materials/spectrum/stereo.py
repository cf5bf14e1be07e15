"""Where the parts of a sound stand between left and right.

Partials and noise are told apart in the mid, half the sum of both channels. Here follows what the
side, half their difference, holds of them: for each partial its level and phase against the mid, by the
cross spectrum at its frequency (as in C. Avendano, "Frequency-domain source identification and
manipulation in stereo mixes", WASPAA 2003), and for noise its level in the side.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import scipy.fft
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from innerbloom.core.materials.spectrum.model import HOP, RATE, Floats, Spectrum, Track
from innerbloom.core.materials.spectrum.peaks import window_of
from innerbloom.core.process.stft import frames_at, istft, stft

_AT_ONCE = 256
_MASK, _MASK_HOP = 2048, 512
_REACH = 2
"""Bins to either side of a partial that hold nearly all its power."""

_STEADY = np.hanning(9)[1:-1] / np.hanning(9).sum()
_STEADY_MOMENTS = 6.0
_WIDEST = 10.0


def with_sides(tracks: Sequence[Track], mid: Floats, side: Floats, window: int) -> list[Track]:
    """Partials of the mid, each with its side.

    The phase between side and mid is the least-squares one; the level is that of all the side has
    there, like the mid or not, so that nothing becomes narrower.

    Parameters
    ----------
    mid, side : ndarray, shape (frames,)
        At RATE.
    window : int
        Frames of the window that partials were looked at through.
    """
    if not tracks:
        return []
    mid_power, side_power, both = _powers(tracks, mid, side, window)
    level = np.sqrt(side_power / np.maximum(mid_power, 1e-30))
    ratio = np.minimum(level, _WIDEST) * np.exp(1j * np.angle(both))
    made, at = [], 0
    for track in tracks:
        made.append(replace(track, side=ratio[at : at + len(track)].astype(np.complex64)))
        at += len(track)
    return made


def _powers(
    tracks: Sequence[Track], mid: Floats, side: Floats, window: int
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.complex128]]:
    """Power of mid, of side, and their cross power, at all moments of one partial after another."""
    moments = np.concatenate([track.first + np.arange(len(track)) for track in tracks])
    hz = np.concatenate([track.hz for track in tracks])
    bins = np.rint(hz * (window / RATE)).astype(np.int64)
    found = np.zeros((3, len(moments)), np.complex128)
    order = np.argsort(moments, kind="stable")
    shape = window_of(window)[0].astype(np.float32)
    for first in range(0, len(mid) // HOP + 1, _AT_ONCE):
        low, high = np.searchsorted(moments[order], (first, first + _AT_ONCE))
        here = order[low:high]
        centres = np.arange(first, first + _AT_ONCE) * HOP
        m, s = (
            scipy.fft.rfft(frames_at(one, centres, window) * shape, axis=1) for one in (mid, side)
        )
        for off in range(-_REACH, _REACH + 1):
            at = moments[here] - first, np.clip(bins[here] + off, 0, window // 2)
            found[:, here] += np.abs(m[at]) ** 2, np.abs(s[at]) ** 2, s[at] * m[at].conj()
    mid_power, side_power, both = (_steadied(row, tracks) for row in found)
    return mid_power.real, side_power.real, both


def _steadied(values: NDArray[np.complex128], tracks: Sequence[Track]) -> NDArray[np.complex128]:
    """The mean over some moments of each partial by itself."""
    made, at = np.empty_like(values), 0
    half = len(_STEADY) // 2
    for track in tracks:
        own = np.pad(values[at : at + len(track)], half, mode="edge")
        made[at : at + len(track)] = np.convolve(own, _STEADY, "valid")
        at += len(track)
    return made


def side_residual(side: Floats, partials: Floats, residual: Floats) -> Floats:
    """What the side holds where the mid is not partials, shape (frames,).

    Each bin is weighted by the share of its power that the residual has in the mid (a Wiener
    filter: J. S. Lim and A. V. Oppenheim, Proc. IEEE 67(12), 1979).
    """
    found = [np.abs(stft(one, _MASK, _MASK_HOP)) ** 2 for one in (partials, residual)]
    share = found[1] / np.maximum(found[0] + found[1], 1e-20)
    return istft(stft(side, _MASK, _MASK_HOP) * np.sqrt(share), _MASK, _MASK_HOP, len(side))


def correlation(mid: Floats, side: Floats, left: Floats, right: Floats) -> Floats:
    """Correlation of mid and side from the levels of both and of both channels, -1..1.

    Parameters
    ----------
    mid, side, left, right : ndarray, shape (moments, bands)
        RMS amplitudes.
    """
    # left is mid + side, right is mid - side
    shared = gaussian_filter1d(0.25 * (left**2 - right**2), _STEADY_MOMENTS, axis=0)
    powers = (gaussian_filter1d(one**2, _STEADY_MOMENTS, axis=0) for one in (mid, side))
    size = np.sqrt(np.prod([np.maximum(one, 1e-20) for one in powers], axis=0))
    return np.asarray(np.clip(shared / size, -1.0, 1.0), np.float32)


def as_channels(tracks: Sequence[Track]) -> tuple[list[Track], list[Track]]:
    """Partials as they are on the left and on the right."""
    left: list[Track] = []
    right: list[Track] = []
    for track in tracks:
        side = np.zeros(1, np.complex64) if track.side is None else track.side
        for made, turned in ((left, 1.0 + side), (right, 1.0 - side)):
            level = np.asarray(track.level * np.abs(turned), np.float32)
            phase = np.asarray(track.phase + np.angle(turned), np.float32)
            made.append(replace(track, level=level, phase=phase))
    return left, right


def as_powers(spectrum: Spectrum) -> Spectrum:
    """The same with levels of mid and side together, as the engine shares them out to channels."""
    if spectrum.side_noise is None:
        return spectrum
    noise = np.hypot(spectrum.noise, spectrum.side_noise.level)
    return replace(spectrum, tracks=tuple(_as_power(one) for one in spectrum.tracks), noise=noise)


def _as_power(track: Track) -> Track:
    if track.side is None:
        return track
    level = track.level * np.hypot(np.float32(1.0), np.abs(track.side))
    return replace(track, level=np.asarray(level, np.float32))
