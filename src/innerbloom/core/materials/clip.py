"""Sound made ready for reading at any speed: octave-spaced band-limited copies (mip levels).

Copy ``k`` holds the frequencies up to ``top / 2**k`` and is stored at more than the two
times that which sampling needs. A reader picks the copy whose content, sped up, still fits
below the output's Nyquist frequency, so pitching up does not alias. Copies are stored as
cubic B-spline coefficients: four-point reading then interpolates the samples exactly,
and the spectral images that remain fall off with the fourth power of frequency.

References
----------
.. [1] M. Unser, "Splines: a perfect fit for signal and image processing", IEEE Signal
   Processing Magazine 16(6), 1999.
.. [2] L. Williams, "Pyramidal parametrics", SIGGRAPH 1983 (copies at octave spacing).
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any, ClassVar

import numpy as np
import soxr
from numpy.typing import NDArray
from scipy.ndimage import spline_filter1d

from innerbloom.core.analysis.evening import loud_power, weighted_power
from innerbloom.core.dsp.rates import RATE as ENGINE_RATE
from innerbloom.core.materials.protocol import Locate, Materials, Request
from innerbloom.core.sound.dc import without_dc

MIP_LEVELS = 8
OVERSAMPLED = (2, *[4] * (MIP_LEVELS - 1))
"""Storage rate of each copy over the rate its content needs. The images of four-point reading
lie (f / (1 - f))**4 below a tone at f of the storage rate: 67 dB and more at four times, where
levels are read fast and images would fold back; the first, read at or below its own
speed, is content with twice and half the memory."""

GUARD = 4
"""Frames kept before and after every copy, so that four-point reading stays inside."""

MIP_LEVEL = np.dtype([("offset", np.int64), ("frames", np.int64), ("rate", np.float64)], align=True)


__all__ = ["ENGINE_RATE", "MIP_LEVEL", "ClipRequest", "Material", "prepare_material"]


@dataclass(frozen=True)
class Material:
    """A stretch of sound prepared for the engine.

    Attributes
    ----------
    audio : ndarray of float32, shape (total, 1) or (total, 2)
        All levels one after another, as spline coefficients.
    mip_levels : ndarray of MIP_LEVEL, shape (MIP_LEVELS,)
        Where each copy begins, its frames without guards, and its rate in Hz.
    seconds : float
        Length of the stretch.
    octaves_up : int
        1 if the first copy reaches an octave above the engine's Nyquist frequency (for
        recordings made at high rates, whose upper octave comes down when pitched down).
    power : ndarray of float32, shape (hops,)
        K-weighted power every ``HOP_S`` seconds, see :mod:`.evening`.
    loud : float
        That of its loud places.
    """

    audio: NDArray[np.float32]
    mip_levels: NDArray[Any]
    seconds: float
    octaves_up: int
    power: NDArray[np.float32]
    loud: float

    def describe(self, record: Any) -> None:
        """Enter how it lies into a SOUND record."""
        record["seconds"], record["octaves_up"] = self.seconds, self.octaves_up
        record["channels"] = self.audio.shape[1]
        record["power"], record["hops"] = self.power.ctypes.data, len(self.power)
        record["loud"] = self.loud


@dataclass(frozen=True)
class ClipRequest(Request[Material]):
    """A stretch, to be read at any speed, without what lies below hearing."""

    kept_on_disk: ClassVar[bool] = True
    version: ClassVar[int] = 2

    def make(self, locate: Locate, materials: Materials) -> Material:
        samples, rate = self.read(locate)
        return prepare_material(without_dc(samples, rate), rate)

    def save(self, made: Material, folder: Path) -> None:
        np.save(folder / "audio.npy", made.audio)
        about = np.array([made.seconds, made.octaves_up, made.loud])
        np.savez(folder / "about.npz", mip_levels=made.mip_levels, about=about, power=made.power)

    def load(self, folder: Path) -> Material:
        with np.load(folder / "about.npz") as kept:
            mip_levels, power = kept["mip_levels"], kept["power"]
            seconds, octaves_up, loud = kept["about"]
        # mapped rather than read; copy on write: kernels take writable arrays and write nothing
        audio = np.asarray(np.load(folder / "audio.npy", mmap_mode="c"))
        return Material(audio, mip_levels, float(seconds), int(octaves_up), power, float(loud))


def prepare_material(samples: NDArray[np.float32], rate: float) -> Material:
    """Build the mip levels of a sound.

    Parameters
    ----------
    samples : ndarray, shape (frames, 1) or (frames, 2)
        Mono stays mono; readers place it in the middle, 3 dB down in each channel.
    rate : float
        Frames a second, 1000 or more.
    """
    if samples.ndim != 2 or samples.shape[1] not in (1, 2) or not len(samples):
        raise ValueError(f"samples must have shape (frames, 1 or 2), got {samples.shape}")
    octaves_up = 1 if rate > 1.5 * ENGINE_RATE else 0
    content = _resampled(samples, rate, ENGINE_RATE * 2**octaves_up)
    blocks: list[NDArray[np.float32]] = []
    mip_levels = np.zeros(MIP_LEVELS, MIP_LEVEL)
    offset = 0
    for k in range(MIP_LEVELS):
        content_rate = ENGINE_RATE * 2.0**octaves_up / 2**k
        block = _spline_copy(_resampled(content, 1.0, OVERSAMPLED[k]))
        mip_levels[k] = (offset + GUARD, len(block) - 2 * GUARD, OVERSAMPLED[k] * content_rate)
        blocks.append(block)
        offset += len(block)
        content = _resampled(content, 2.0, 1.0)
    audio = np.concatenate(blocks)
    power = weighted_power(samples, rate)
    return Material(
        audio,
        mip_levels,
        len(samples) / rate,
        octaves_up,
        power.astype(np.float32),
        loud_power(power),
    )


def _resampled(samples: NDArray[np.float32], source: float, target: float) -> NDArray[np.float32]:
    if source == target:
        return samples
    out: NDArray[np.float32] = soxr.resample(samples, source, target, quality="VHQ")
    return out if len(out) else np.zeros((1, samples.shape[1]), np.float32)


def _spline_copy(samples: NDArray[np.float32]) -> NDArray[np.float32]:
    """One copy as spline coefficients, edge values repeated as guards."""
    padded = np.pad(samples, ((GUARD, GUARD), (0, 0)), mode="edge")
    coefficients = spline_filter1d(padded, order=3, axis=0, output=np.float32, mode="mirror")
    return np.ascontiguousarray(coefficients)
