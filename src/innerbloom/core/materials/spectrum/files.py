"""Spectrum files: a zip of one JSON text and arrays in NumPy's open format, see docs/spectra.md."""

from __future__ import annotations

import io
import json
import math
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from numpy.lib import format as npy
from numpy.typing import NDArray

from innerbloom.core.atomic import written_whole
from innerbloom.core.materials.spectrum.bands import BANDS, band_hz
from innerbloom.core.materials.spectrum.model import (
    HOP,
    LONGEST_S,
    RATE,
    SideNoise,
    Spectrum,
    SpectrumError,
    Strike,
    Track,
)
from innerbloom.core.refusing import refusing

SUFFIX = ".spectrum"
FORMAT = "inner-bloom/spectrum"
_ABOUT = "spectrum.json"
_MOST_BYTES = 1 << 30
_ARRAYS = ("hz", "level", "phase", "births", "noise", "struck", "strike_samples", "strikes")
_SIDE = ("side", "side_noise", "side_correlation", "strike_side")
"""What there is beside these of a sound that has a side."""


def write_spectrum(path: Path, spectrum: Spectrum, name: str = "") -> None:
    """Write a spectrum, complete or not at all."""
    about = {
        "format": FORMAT,
        "version": 1,
        "name": name,
        "rate": RATE,
        "hop": HOP,
        "seconds": spectrum.seconds,
        "root_hz": spectrum.root_hz,
        "tonal": spectrum.tonal,
        "window": spectrum.window,
        "band_hz": band_hz().round(4).tolist(),
    }
    with (
        written_whole(path) as beside,
        zipfile.ZipFile(beside, "w", zipfile.ZIP_DEFLATED) as archive,
    ):
        archive.writestr(_fixed(_ABOUT), json.dumps(about, indent=2))
        for key, array in _arrays(spectrum).items():
            held = io.BytesIO()
            npy.write_array(held, np.ascontiguousarray(array), allow_pickle=False)
            archive.writestr(_fixed(f"{key}.npy"), held.getvalue())


def _fixed(name: str) -> zipfile.ZipInfo:
    """An entry without the time of day, so that the same spectrum is the same file."""
    entry = zipfile.ZipInfo(name)
    entry.compress_type = zipfile.ZIP_DEFLATED
    return entry


def _arrays(spectrum: Spectrum) -> dict[str, NDArray[Any]]:
    empty = np.zeros(0, np.float32)
    tracks, strikes = spectrum.tracks, spectrum.strikes
    side: dict[str, NDArray[Any]] = {}
    if spectrum.side_noise is not None:
        of_tracks = (one.side for one in tracks if one.side is not None)
        of_strikes = (one.side for one in strikes if one.side is not None)
        side = {
            "side": np.concatenate([np.zeros(0, np.complex64), *of_tracks]),
            "side_noise": spectrum.side_noise.level,
            "side_correlation": spectrum.side_noise.correlation,
            "strike_side": np.concatenate([empty, *of_strikes]),
        }
    return {
        **side,
        "hz": np.concatenate([empty, *(one.hz for one in tracks)]),
        "level": np.concatenate([empty, *(one.level for one in tracks)]),
        "phase": np.concatenate([empty, *(one.phase for one in tracks)]),
        "births": np.array([(one.first, len(one)) for one in tracks], np.int64).reshape(-1, 2),
        "noise": spectrum.noise,
        "struck": spectrum.struck,
        "strike_samples": np.concatenate([empty, *(one.samples for one in strikes)]),
        "strikes": np.array(
            [(round(one.at_s * RATE), len(one.samples)) for one in strikes], np.int64
        ).reshape(-1, 2),
    }


def read_spectrum(path: Path) -> Spectrum:
    """Read a spectrum file.

    Raises
    ------
    SpectrumError
        If it is none, or damaged.
    """
    damaged = f"'{path.name}' is no spectrum, or it is damaged: analyse its recording again."
    with refusing(damaged, SpectrumError):
        with zipfile.ZipFile(path) as archive:
            if sum(one.file_size for one in archive.infolist()) > _MOST_BYTES:
                raise SpectrumError(f"'{path.name}' is larger than any spectrum.")
            about = json.loads(archive.read(_ABOUT))
            names = set(archive.namelist())
            side = _SIDE if f"{_SIDE[0]}.npy" in names else ()
            arrays = {key: _array(archive, key) for key in (*_ARRAYS, *side)}
        if about["format"] != FORMAT or about["version"] != 1:
            raise SpectrumError(f"'{path.name}' is a spectrum of another version.")
        return _checked(about, arrays)


def _array(archive: zipfile.ZipFile, key: str) -> NDArray[Any]:
    return np.asarray(npy.read_array(io.BytesIO(archive.read(f"{key}.npy")), allow_pickle=False))


def _checked(about: dict[str, Any], arrays: dict[str, NDArray[Any]]) -> Spectrum:
    """A spectrum from what a file holds; a ValueError where it does not fit together."""
    seconds, root = float(about["seconds"]), about["root_hz"]
    noise, struck = (np.asarray(arrays[key], np.float32) for key in ("noise", "struck"))
    moments = round(seconds * RATE) // HOP + 1
    sides = [np.asarray(arrays[key], np.float32) for key in _SIDE[1:3] if key in arrays]
    fits = 0.0 < seconds <= LONGEST_S + 1 and noise.shape == struck.shape == (moments, BANDS)
    fits = fits and all(one.shape == noise.shape for one in sides)
    numbers = all(np.isfinite(one).all() for one in arrays.values())
    told = (about["tonal"], about["window"], 0.0 if root is None else root)
    numbers = numbers and all(math.isfinite(float(one)) for one in told)
    if root is not None and not 1.0 <= float(root) <= RATE:
        raise ValueError("a root that is no frequency")
    if not 16 <= int(about["window"]) <= 1 << 20:
        raise ValueError("a window that is none")
    if not fits or not numbers or (about["rate"], about["hop"]) != (RATE, HOP):
        raise ValueError("a spectrum whose parts do not fit")
    return Spectrum(
        seconds,
        None if root is None else float(root),
        float(about["tonal"]),
        _tracks(arrays, moments),
        noise,
        struck,
        _strikes(arrays),
        int(about["window"]),
        SideNoise(*sides) if sides else None,
    )


def _tracks(arrays: dict[str, NDArray[Any]], moments: int) -> tuple[Track, ...]:
    made, at = [], 0
    parts = [np.asarray(arrays[key], np.float32) for key in ("hz", "level", "phase")]
    sides = np.asarray(arrays["side"], np.complex64) if "side" in arrays else None
    if sides is not None and sides.shape != parts[0].shape:
        raise ValueError("partials whose mid and side do not fit")
    for first, length in arrays["births"].tolist():
        hz, level, phase = (part[at : at + length] for part in parts)
        side = None if sides is None else sides[at : at + length]
        if first < 0 or length < 1 or first + length > moments or len(phase) < length:
            raise ValueError("a partial outside the sound")
        if (hz <= 0).any() or (level < 0).any():
            raise ValueError("a partial without a frequency")
        made.append(Track(int(first), hz, level, phase, side))
        at += length
    return tuple(made)


def _strikes(arrays: dict[str, NDArray[Any]]) -> tuple[Strike, ...]:
    samples = np.asarray(arrays["strike_samples"], np.float32)
    sides = np.asarray(arrays["strike_side"], np.float32) if "strike_side" in arrays else None
    if sides is not None and len(sides) != len(samples):
        raise ValueError("strikes whose mid and side do not fit")
    made, at = [], 0
    for frame, length in arrays["strikes"].tolist():
        if frame < 0 or length < 0 or at + length > len(samples):
            raise ValueError("a strike without its samples")
        side = None if sides is None else sides[at : at + length]
        made.append(Strike(frame / RATE, samples[at : at + length], side))
        at += length
    return tuple(made)
