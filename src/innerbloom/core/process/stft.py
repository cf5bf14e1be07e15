"""Short-time spectra and back.

Analysis and synthesis with periodic Hann windows at a quarter of their length overlap to a
constant (J. B. Allen and L. R. Rabiner, Proc. IEEE 65(11), 1977); what is changed in between
is put together by weighted overlap-add (D. W. Griffin and J. S. Lim, IEEE Trans. ASSP 32(2),
1984).
"""

from __future__ import annotations

import numpy as np
import scipy.fft
from numpy.typing import NDArray

OVERLAP = 4


def hann(length: int) -> NDArray[np.float32]:
    """Periodic Hann window."""
    return np.asarray(np.hanning(length + 1)[:-1], np.float32)


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


def istft(
    spectra: NDArray[np.complex64], length: int, hop: int, frames: int
) -> NDArray[np.float32]:
    """One channel from spectra centred every ``hop`` frames, ``frames`` long.

    Divided by the sum of squared windows, so that unchanged spectra give the sound back.
    """
    window = hann(length)
    total = (len(spectra) - 1) * hop + length
    out = np.zeros(total, np.float32)
    weight = np.zeros(total, np.float32)
    for index in range(0, len(spectra), 256):
        pieces = scipy.fft.irfft(spectra[index : index + 256], length, axis=1) * window
        for row, piece in enumerate(pieces):
            at = (index + row) * hop
            out[at : at + length] += piece
            weight[at : at + length] += window * window
    half = length // 2
    inside = np.asarray(
        out[half : half + frames] / np.maximum(weight[half : half + frames], 1e-3), np.float32
    )
    return np.pad(inside, (0, frames - len(inside)))
