"""Short-time spectra and back.

Analysis and synthesis with periodic Hann windows at a quarter of their length overlap to a
constant (J. B. Allen and L. R. Rabiner, Proc. IEEE 65(11), 1977); what is changed in between
is put together by weighted overlap-add (D. W. Griffin and J. S. Lim, IEEE Trans. ASSP 32(2),
1984).
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import scipy.fft
from numpy.typing import NDArray

OVERLAP = 4


@lru_cache(32)
def hann(length: int) -> NDArray[np.float32]:
    """Periodic Hann window, made once for each length: not to be written to."""
    window = np.hanning(length + 1)[:-1].astype(np.float32)
    window.flags.writeable = False
    return window


def frames_at(
    samples: NDArray[np.float32], centres: NDArray[np.int64], length: int
) -> NDArray[np.float32]:
    """Stretches of one channel about ``centres``, shape (n, length); silence outside."""
    half = length // 2
    padded = np.pad(samples, (length, length))
    starts = np.clip(centres + length - half, 0, len(padded) - length)
    return np.lib.stride_tricks.sliding_window_view(padded, length)[starts]


def stft(samples: NDArray[np.float32], length: int, hop: int) -> NDArray[np.complex64]:
    """Spectra of one channel every ``hop`` frames, shape (n, length // 2 + 1), first at frame 0."""
    centres = np.arange(len(samples) // hop + 2) * hop
    spectra = scipy.fft.rfft(frames_at(samples, centres, length) * hann(length), axis=1)
    return np.asarray(spectra, np.complex64)


class OverlapAdd:
    """Puts changed frames together again, divided by the sum of squared windows.

    Frames that were not changed give the sound back.

    Parameters
    ----------
    frames, channels : int
        Of what comes of it.
    length, hop : int
        Of a frame, and from one to the next; the first is centred on frame 0.
    """

    def __init__(self, frames: int, channels: int, length: int, hop: int) -> None:
        count = frames // hop + 2
        self._frames, self._hop = frames, hop
        self._window = hann(length)[:, None]
        self._out = np.zeros((count * hop + length, channels), np.float32)
        self._weight = np.zeros((len(self._out), 1), np.float32)

    def add(self, first: int, spectra: NDArray[np.complexfloating]) -> None:
        """Add frames from the ``first`` on, as spectra of shape (n, bins, channels)."""
        length = len(self._window)
        pieces = scipy.fft.irfft(spectra, length, axis=1) * self._window
        power = self._window**2
        for number, piece in enumerate(pieces, first):
            at = number * self._hop
            self._out[at : at + length] += piece
            self._weight[at : at + length] += power

    def result(self) -> NDArray[np.float32]:
        """What was put together, shape (frames, channels)."""
        half = len(self._window) // 2
        inside = slice(half, half + self._frames)
        return np.asarray(self._out[inside] / np.maximum(self._weight[inside], 1e-3), np.float32)


def spectra_at(
    samples: NDArray[np.float32], centres: NDArray[np.int64], length: int
) -> NDArray[np.complex64]:
    """Windowed spectra of all channels about ``centres``, shape (n, bins, channels)."""
    window = hann(length)
    found = [
        scipy.fft.rfft(frames_at(samples[:, c], centres, length) * window, axis=1)
        for c in range(samples.shape[1])
    ]
    return np.ascontiguousarray(np.stack(found, axis=2), np.complex64)


def istft(
    spectra: NDArray[np.complex64], length: int, hop: int, frames: int
) -> NDArray[np.float32]:
    """One channel from spectra centred every ``hop`` frames, ``frames`` long."""
    whole = OverlapAdd(frames, 1, length, hop)
    whole.add(0, spectra[: frames // hop + 2, :, None])
    return whole.result()[:, 0]
