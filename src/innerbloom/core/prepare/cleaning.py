"""Steps that clean and level: DC, high-pass, noise, gain, normalise."""

from __future__ import annotations

from typing import Any

import numpy as np
import scipy

from innerbloom.core.declare.parameters import Choice
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.errors import BloomError
from innerbloom.core.prepare import words as w
from innerbloom.core.prepare.clip import Clip
from innerbloom.core.prepare.cutting import LONGEST_S
from innerbloom.core.prepare.declare import Context, StepKind
from innerbloom.core.process.denoise import learn_noise, quieten
from innerbloom.core.sound.levels import LevelMeter

_ORDERS = {"12 dB": 2, "24 dB": 4, "48 dB": 8}


def remove_dc(clip: Clip, step: Any, context: Context) -> Clip:
    """Take out the mean of each channel."""
    return clip.with_samples(clip.samples - clip.samples.mean(axis=0, dtype=np.float64))


def highpass(clip: Clip, step: Any, context: Context) -> Clip:
    """Butterworth high-pass; it starts settled on the first sample, so that it does not click."""
    if step.cutoff >= 0.45 * clip.rate:
        raise BloomError(f"{step.cutoff:.0f} Hz is above what this sound holds: lower the cutoff.")
    sos = scipy.signal.butter(
        _ORDERS[step.slope], step.cutoff, "highpass", fs=clip.rate, output="sos"
    )
    # a constant before the sound leaves a high-pass at rest: only the difference goes in
    settled = clip.samples - clip.samples[:1]
    return clip.with_samples(scipy.signal.sosfilt(sos, settled, axis=0))


def quieten_noise(clip: Clip, step: Any, context: Context) -> Clip:
    """Lower steady noise learnt from a stretch of the source."""
    if step.to <= step.start:
        return clip  # no stretch is chosen yet: until then the step is off
    learnt = context.noise(step.start, step.to)
    noise = learn_noise(learnt.samples, clip.rate)
    if learnt.samples.shape[1] != clip.samples.shape[1]:
        noise = noise * clip.samples.shape[1] / learnt.samples.shape[1]
    samples = quieten(
        clip.samples,
        clip.rate,
        noise * np.float32(clip.scaled**2),
        amount=step.amount / 100.0,
        floor_db=step.floor,
        progress=context.told,
    )
    return clip.with_samples(samples)


def gain(clip: Clip, step: Any, context: Context) -> Clip:
    """Raise or lower the level."""
    return clip.with_samples(clip.samples * np.float32(10.0 ** (step.level / 20.0)))


def level_of(clip: Clip, step: Any) -> float:
    """What a *Normalise* brings to its target: loudness, peak or true peak, -inf for silence.

    Raises
    ------
    BloomError
        If loudness is asked of a sound that is too short or too quiet for it.
    """
    meter = LevelMeter(clip.rate, clip.samples.shape[1])
    meter.feed(clip.samples)
    if step.to != "loudness":
        return meter.true_peak_dbtp if step.to == "true peak" else meter.sample_peak_dbfs
    present = meter.integrated_lufs()
    if not np.isfinite(present) and np.isfinite(meter.sample_peak_dbfs):
        raise BloomError(
            "Loudness needs 0.4 s of sound above \u221270 LUFS: normalise to a peak instead."
        )
    return present


def normalise(clip: Clip, step: Any, context: Context) -> Clip:
    """Bring the sound to a peak, a true peak or a loudness."""
    present = level_of(clip, step)
    wanted = step.loudness if step.to == "loudness" else step.peak
    if not np.isfinite(present):
        raise BloomError("There is only silence here, and silence has no level to bring up.")
    factor = 10.0 ** ((wanted - present) / 20.0)
    samples = clip.samples * np.float32(factor)
    return clip.with_samples(samples, scaled=clip.scaled * factor)


def _normalise_words(step: Any) -> str:
    if step.to == "loudness":
        return f"loudness to {w.level(step.loudness, 'LUFS')}"
    unit = "dBTP" if step.to == "true peak" else "dBFS"
    return f"{step.to} to {w.level(step.peak, unit)}"


DC = StepKind(
    "dc",
    "Remove DC",
    "Take out a constant offset.",
    "Clean and level",
    remove_dc,
    lambda s: "each channel about zero",
    filters=True,
    order=22,
)

HIGHPASS = StepKind(
    "highpass",
    "High-pass",
    "Take out rumble below a frequency.",
    "Clean and level",
    highpass,
    lambda s: f"{s.cutoff:.0f} Hz, {s.slope} an octave",
    (
        P("cutoff", "cutoff", "", "Hz", 10, 4_000, 40, "Frequency 3 dB down.", "log"),
        Choice("slope", "slope", tuple(_ORDERS), "24 dB", "How steep it falls, per octave."),
    ),
    filters=True,
    order=24,
)

DENOISE = StepKind(
    "denoise",
    "Quieten noise",
    "Lower steady noise learnt from a quiet stretch.",
    "Clean and level",
    quieten_noise,
    lambda s: (
        f"learnt from {w.seconds(s.start)} to {w.seconds(s.to)}, {-s.floor:.0f} dB"
        if s.to > s.start
        else "off until a quiet stretch is chosen"
    ),
    (
        P(
            "start",
            "quiet from",
            "",
            "s",
            0,
            LONGEST_S,
            0,
            "Start of the quiet stretch, in the recording.",
        ),
        P("to", "quiet to", "", "s", 0, LONGEST_S, 0, "Its end."),
        P("amount", "amount", "", "%", 0, 300, 120, "How much of the learnt noise is taken away."),
        P("floor", "floor", "", "dB", -40, 0, -12, "The most that anything is lowered.", "decibel"),
    ),
    order=26,
)

GAIN = StepKind(
    "gain",
    "Gain",
    "Raise or lower the level.",
    "Clean and level",
    gain,
    lambda s: w.signed(s.level, "dB", 1),
    (P("level", "gain", "", "dB", -60, 60, 0, "Level change.", "decibel", sign=False),),
    filters=True,
    order=60,
)

NORMALISE = StepKind(
    "normalise",
    "Normalise",
    "Bring the level to a target.",
    "Clean and level",
    normalise,
    _normalise_words,
    (
        Choice(
            "to", "to", ("peak", "true peak", "loudness"), "peak", "What is brought to a target."
        ),
        P(
            "peak",
            "peak",
            "",
            "dB",
            -60,
            0,
            -0.3,
            "Target of the peak, dBFS or dBTP.",
            "decibel",
            when=("to", ("peak", "true peak")),
        ),
        P(
            "loudness",
            "loudness",
            "",
            "LUFS",
            -60,
            0,
            -18,
            "Target of the loudness.",
            "decibel",
            when=("to", ("loudness",)),
        ),
    ),
    order=70,
)
