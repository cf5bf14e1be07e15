"""Everything the shelf wants to know of a recording, in one pass over the file."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soxr
from numpy.typing import NDArray

from innerbloom.core.analysis.flaws import FlawCollector
from innerbloom.core.analysis.mono import one_channel
from innerbloom.core.analysis.onsets import OnsetCollector, Strength
from innerbloom.core.analysis.partial import LastingPartial, lasting_partial
from innerbloom.core.analysis.pitch import FRAME, RATE, find_root, frame_pitches
from innerbloom.core.analysis.spectrogram import BaseCollector, pyramid
from innerbloom.core.analysis.timbre import TimbreCollector
from innerbloom.core.analysis.tonalness import tonalness
from innerbloom.core.errors import Cancelled, SoundFileError
from innerbloom.core.pitch_names import hz_to_note, note_name
from innerbloom.core.sound.files import SoundInfo, read_blocks, sound_info
from innerbloom.core.sound.levels import LevelMeter
from innerbloom.core.sound.metadata import promised_seconds
from innerbloom.core.sound.peaks import PeakCollector
from innerbloom.core.sound.sampler import SamplerInfo, read_sampler
from innerbloom.core.sound.streaming_filter import StreamingFilter, butterworth_high_pass

_MOST_FRAMES = 600
"""Frames looked at for pitch, however long the file."""

_HISS, _HISS_FROM_HZ = 0.1, 100.0
"""Tonalness below which nothing is taken for a pitch, where tonalness looks."""

Progress = Callable[[float], bool]
"""Told how far the work is, 0..1; returns False to stop it."""


@dataclass(frozen=True)
class Examination:
    """What was found; levels are None where there is nothing but silence."""

    info: SoundInfo
    root_hz: float | None
    confidence: float
    partial: LastingPartial | None
    lufs: float | None
    momentary_lufs: float | None
    peak_dbfs: float | None
    true_peak_dbtp: float | None
    noise_floor_dbfs: float | None
    tonalness: float
    peaks: NDArray[np.int16]
    spectrum: NDArray[np.uint8]
    onsets: Strength
    timbre: list[float]
    sampler: SamplerInfo | None
    remarks: list[str]

    def summary(self, tuning: float = 440.0) -> dict[str, Any]:
        """Plain data; note names are relative to a reference pitch in Hz."""
        name, cents = (None, None)
        if self.root_hz is not None:
            name, cents = note_name(hz_to_note(self.root_hz, tuning))
        return {
            "duration_s": round(self.info.seconds, 6),
            "rate": self.info.rate,
            "channels": self.info.channels,
            "root_hz": None if self.root_hz is None else round(self.root_hz, 4),
            "root_note": name,
            "cents": None if cents is None else round(cents, 1),
            "confidence": round(self.confidence, 3),
            **self._unsure(),
            "lufs": _rounded(self.lufs),
            "momentary_lufs": _rounded(self.momentary_lufs),
            "true_peak_dbtp": _rounded(self.true_peak_dbtp),
            "noise_floor_dbfs": _rounded(self.noise_floor_dbfs),
            "tonalness": round(self.tonalness, 3),
            "remarks": self.remarks,
            "timbre": self.timbre,
            "loops": [loop.__dict__ for loop in self.sampler.loops] if self.sampler else [],
        }

    def _unsure(self) -> dict[str, Any]:
        """What may stand in for a root that is not clear."""
        if self.partial is None or self.root_hz is not None:
            return {"partial_hz": None, "partial_share": 0.0}
        return {
            "partial_hz": round(self.partial.hz, 4),
            "partial_share": round(self.partial.share, 3),
        }


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 2)


def _finite(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _hisses(tonal: float, hz: float) -> bool:
    return tonal < _HISS and hz >= _HISS_FROM_HZ


def _cut_short(path: Path, info: SoundInfo) -> list[str]:
    promised = promised_seconds(path)
    if promised is None:
        return []
    missing = max(0.0, promised - info.seconds)
    return [f"The file is cut short: the last {missing:.2f} s of {promised:.2f} s are missing."]


def examine(path: Path, progress: Progress | None = None) -> Examination:
    """Measure a recording, reading it once in blocks.

    Raises
    ------
    SoundFileError
        If the file cannot be read.
    Cancelled
        If ``progress`` returns False.
    """
    info = sound_info(path)
    meter = LevelMeter(info.rate, info.channels)
    peaks = PeakCollector()
    spectrum = BaseCollector(info.frames, info.rate)
    onsets = OnsetCollector(info.rate)
    flaws = FlawCollector()
    sampler = _FrameSampler(info)
    timbre = TimbreCollector(info.frames, info.rate)
    done = 0
    for block in read_blocks(path):
        meter.feed(block)
        peaks.feed(block)
        spectrum.feed(block)
        onsets.feed(block)
        flaws.feed(block)
        mono = one_channel(block)
        sampler.feed(mono)
        timbre.feed(mono)
        done += len(block)
        if progress and not progress(0.95 * done / info.frames):
            raise Cancelled("Stopped.")
    if done == 0:
        # a header may promise what the file does not hold
        raise SoundFileError(f"'{path.name}' holds no sound: it ends after its header.")
    frames = sampler.frames()
    tonal = tonalness(frames)
    root = find_root(frame_pitches(frames)) if len(frames) else None
    if root and _hisses(tonal, root.hz):
        root = None
    partial = None if root else lasting_partial(frames)
    if partial and _hisses(tonal, partial.hz):
        partial = None
    return Examination(
        info=SoundInfo(done, info.rate, info.channels, info.container, info.subtype),
        root_hz=root.hz if root else None,
        confidence=root.confidence if root else 0.0,
        partial=partial,
        lufs=_finite(meter.integrated_lufs()),
        momentary_lufs=_finite(meter.momentary_lufs()),
        peak_dbfs=_finite(meter.sample_peak_dbfs),
        true_peak_dbtp=_finite(meter.true_peak_dbtp),
        noise_floor_dbfs=_finite(meter.noise_floor_dbfs()),
        tonalness=tonal,
        peaks=peaks.pairs(),
        spectrum=pyramid(spectrum.columns()),
        onsets=onsets.strength(),
        timbre=timbre.timbre(),
        sampler=read_sampler(path),
        remarks=[*_cut_short(path, info), *flaws.remarks()],
    )


class _FrameSampler:
    """Collects frames for pitch analysis, evenly spread over the file, at RATE and in mono."""

    def __init__(self, info: SoundInfo) -> None:
        self._stream = soxr.ResampleStream(info.rate, RATE, 1, dtype="float32", quality="MQ")
        self._rumble = StreamingFilter(butterworth_high_pass(RATE, 35.0)[None], 1)
        total = info.frames * RATE / info.rate
        self._hop = max(512, math.ceil(total / _MOST_FRAMES))
        self._kept = np.zeros(0, np.float32)
        self._skip = 0
        self._frames: list[NDArray[np.float32]] = []

    def feed(self, mono: NDArray[np.float32]) -> None:
        self._take(self._stream.resample_chunk(mono))

    def _take(self, mono: NDArray[np.float32]) -> None:
        if not len(mono):
            return  # the resampler still waits for more
        filtered = self._rumble(mono[:, None])[:, 0]
        samples = np.concatenate((self._kept, filtered.astype(np.float32)))
        at = self._skip
        while at + FRAME <= len(samples):
            self._frames.append(samples[at : at + FRAME].copy())
            at += self._hop
        drop = min(at, len(samples))
        self._kept, self._skip = samples[drop:], at - drop

    def frames(self) -> NDArray[np.float32]:
        """All frames, shape (n, FRAME); sounds shorter than a frame are padded to one."""
        self._take(self._stream.resample_chunk(np.zeros(1, np.float32), last=True))
        if not self._frames and len(self._kept) > FRAME // 4:
            padded = np.zeros(FRAME, np.float32)
            padded[: len(self._kept)] = self._kept[:FRAME]
            self._frames.append(padded)
        return np.array(self._frames, np.float32).reshape(-1, FRAME)
