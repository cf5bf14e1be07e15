"""The ten made-up recordings of *The Drowned Glasshouse*, synthesised and deterministic."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from innerbloom.core.sound.metadata import Origin
from innerbloom.core.sound.writing import Format, write_sound
from innerbloom.demo import many_events, models, wind
from innerbloom.demo.synthesis import Signal

Model = Callable[[np.random.Generator, float, int], Signal]


@dataclass(frozen=True)
class DemoRecording:
    """One recording: how it is made, and the story it carries in its metadata."""

    stem: str
    title: str
    model: Model
    duration: float
    rate: int
    peak_db: float
    origin: Origin
    form: Format = "wav24"
    place: str = ""


def _told(title: str, notes: str, who: str, date: str) -> Origin:
    return Origin(title, notes, who, "CC BY 4.0", date)


# fmt: off
RECORDINGS: tuple[DemoRecording, ...] = (
    DemoRecording("rain-on-glass", "Rain on glass panes", many_events.rain_on_glass, 18.0, 96_000, -9.0,
        _told("Rain on glass panes", "East roof, steady rain", "O. T.", "2031-03-03"), place="Vellmoor glasshouse"),
    DemoRecording("ice-on-the-pond", "Ice settling on the pond", many_events.ice_settling, 24.0, 96_000, -6.0,
        _told("Ice settling on the pond", "First light, hydrophone under the edge", "M. R.", "2031-01-19"), place="Hollin pond"),
    DemoRecording("bowed-wire", "Bowed fence wire", models.bowed_wire, 12.0, 48_000, -3.1,
        _told("Bowed fence wire", "Take 4, in light wind", "O. T.", "2031-03-03"), place="North boundary"),
    DemoRecording("kettle-lid", "Kettle lid", models.kettle_lid, 6.1, 44_100, -4.5,
        _told("Kettle lid", "Struck with a spoon, left to ring", "M. R.", "2031-02-11"), place="Keeper's kitchen"),
    DemoRecording("sluice-wheel", "Sluice wheel", models.sluice_wheel, 14.6, 48_000, -5.0,
        _told("Sluice wheel", "Turned by hand, dry bearing", "K. V.", "2031-02-27"), place="Sarn sluice"),
    DemoRecording("pump-distant", "Pump, distant", models.pump_hum, 20.0, 48_000, -12.0,
        _told("Pump, distant", "From across the water, low throughout", "K. V.", "2031-02-27"), place="Pump house"),
    DemoRecording("reed-stems", "Reed stems in a gust", wind.reed_stems, 16.3, 96_000, -10.0,
        _told("Reed stems in a gust", "Microphone among the stems", "O. T.", "2031-03-05"), "flac", place="South margin"),
    DemoRecording("blown-jar", "Blown jar", models.blown_jar, 5.2, 44_100, -2.0,
        _told("Blown jar", "Two-litre jar, a third full, one breath", "M. R.", "2031-02-11"), place="Keeper's kitchen"),
    DemoRecording("moths-at-lamp", "Moths against a lamp", models.moths, 11.5, 48_000, -14.0,
        _told("Moths against a lamp", "Porch lamp, close, late in the night", "K. V.", "2031-06-21"), place="Keeper's porch"),
    DemoRecording("pebbles-under-water", "Pebbles under water", many_events.pebbles, 13.9, 48_000, -7.0,
        _told("Pebbles under water", "Hand-turned pebbles, hydrophone", "O. T.", "2031-03-05"), "flac", place="The inlet"),
)
# fmt: on


def synthesise(recording: DemoRecording) -> Signal:
    """The recording as float64 of shape (frames, channels), at its peak level."""
    seed = sum(ord(letter) * 31**i for i, letter in enumerate(recording.stem[:8]))
    signal = recording.model(np.random.default_rng(seed), recording.duration, recording.rate)
    if signal.ndim == 1:
        signal = signal[:, None]
    return np.asarray(signal / np.abs(signal).max() * 10.0 ** (recording.peak_db / 20.0))


def write_recording(recording: DemoRecording, folder: Path) -> Path:
    """Synthesise into a file with origin and licence in its metadata."""
    signal = synthesise(recording).astype(np.float32)
    suffix = ".flac" if recording.form == "flac" else ".wav"
    path = folder / f"{recording.stem}{suffix}"
    write_sound(
        path,
        [signal],
        recording.rate,
        signal.shape[1],
        form=recording.form,
        origin=recording.origin,
    )
    return path
