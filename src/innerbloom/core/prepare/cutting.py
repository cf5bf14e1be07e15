"""Steps that choose what is kept: cut, delete silence, reverse, channels."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.declare.parameters import Choice
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.errors import BloomError
from innerbloom.core.prepare import words as w
from innerbloom.core.prepare.clip import Clip
from innerbloom.core.prepare.declare import Context, StepKind
from innerbloom.core.process.widen import widen
from innerbloom.core.sound.fades import faded, rising
from innerbloom.core.sound.loop import Loop

LONGEST_S = 86_400.0
_CURVES = ("linear", "equal power", "slow start", "slow end")
_JOIN_S = 0.004


def cut(clip: Clip, step: Any, context: Context) -> Clip:
    """Keep what lies between start and end."""
    first = round(step.start * clip.rate) - clip.offset
    last = round(step.end * clip.rate) - clip.offset if step.end > 0 else clip.frames
    if first >= clip.frames or last > clip.frames + 1:
        raise BloomError(
            f"The region ends at {step.end or step.start:.2f} s, but the sound is only "
            f"{(clip.frames + clip.offset) / clip.rate:.2f} s long: move it inside."
        )
    first, last = max(0, first), min(last, clip.frames)
    if last - first < 2:
        raise BloomError("The region is empty: move its end away from its start.")
    fade_in, fade_out = (round(1e-3 * f * clip.rate) for f in (step.fade_in, step.fade_out))
    region = clip.samples[first:last]
    samples = faded(region, fade_in, fade_out, step.curve_in, step.curve_out)
    return clip.with_samples(samples, offset=0, loop=_moved(clip.loop, first, last))


def _moved(loop: Loop | None, first: int, last: int) -> Loop | None:
    if loop is None or loop.start < first or loop.end > last:
        return None
    return replace(loop, start=loop.start - first, end=loop.end - first)


def _cut_words(step: Any) -> str:
    end = w.seconds(step.end) if step.end > 0 else "the end"
    fades = ""
    if step.fade_in or step.fade_out:
        fades = f", fades {step.fade_in:.0f} and {step.fade_out:.0f} ms"
    return f"{w.seconds(step.start)} to {end}{fades}"


def delete_silence(clip: Clip, step: Any, context: Context) -> Clip:
    """Take out stretches that stay below a threshold, joining what is left."""
    quiet = _quiet_stretches(clip, step.threshold, 1e-3 * step.shortest, 1e-3 * step.kept)
    if not quiet:
        return clip
    pieces: list[NDArray[np.float32]] = []
    at = 0
    for first, last in [*quiet, (clip.frames, clip.frames)]:
        if first > at:
            pieces.append(clip.samples[at:first])
        at = last
    if not pieces:
        raise BloomError("Everything here lies below the threshold: lower it.")
    return clip.with_samples(_joined(pieces, round(_JOIN_S * clip.rate)), loop=None)


def _quiet_stretches(
    clip: Clip, threshold_db: float, shortest_s: float, kept_s: float
) -> list[tuple[int, int]]:
    """Stretches to take out, as frames, their kept ends already left off."""
    hop = max(1, round(0.005 * clip.rate))
    count = -(-clip.frames // hop)
    padded = np.pad(np.abs(clip.samples).max(axis=1), (0, count * hop - clip.frames))
    quiet = padded.reshape(count, hop).max(axis=1) < 10.0 ** (threshold_db / 20.0)
    edges = np.flatnonzero(np.diff(np.pad(quiet.astype(np.int8), 1))) * hop
    kept = round(kept_s * clip.rate)
    out = []
    for first, last in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        last = min(last, clip.frames)
        if last - first < shortest_s * clip.rate:
            continue
        # at the very ends nothing has to be kept for the other side
        a = first + (kept if first > 0 else 0)
        b = last - (kept if last < clip.frames else 0)
        if b > a:
            out.append((a, b))
    return out


def _joined(pieces: list[NDArray[np.float32]], overlap: int) -> NDArray[np.float32]:
    """Pieces one after another, blended over a few milliseconds."""
    out = pieces[0]
    for piece in pieces[1:]:
        n = min(overlap, len(out), len(piece))
        gain = rising(n, "linear")[:, None]
        blend = out[len(out) - n :] * (1 - gain) + piece[:n] * gain
        out = np.concatenate((out[: len(out) - n], blend, piece[n:]))
    return out


def reverse(clip: Clip, step: Any, context: Context) -> Clip:
    """Play backward."""
    loop = clip.loop
    if loop is not None:
        loop = replace(loop, start=clip.frames - loop.end, end=clip.frames - loop.start)
    return clip.with_samples(clip.samples[::-1], loop=loop)


def channels(clip: Clip, step: Any, context: Context) -> Clip:
    """Choose or combine channels."""
    x = clip.samples
    if x.shape[1] == 1:
        if step.take == "side":
            raise BloomError("A mono sound has no side signal: choose another channel.")
        if step.take == "stereo":
            return clip.with_samples(widen(x[:, 0], clip.rate, step.width / 100.0))
        return clip
    left, right = x[:, :1], x[:, 1:2]
    half = np.float32(0.5)
    taken = {
        "left": lambda: left,
        "right": lambda: right,
        "mid": lambda: (left + right) * half,
        "side": lambda: (left - right) * half,
        "mono sum": lambda: (left + right) * np.float32(np.sqrt(0.5)),
        "swapped": lambda: x[:, ::-1],
        "stereo": lambda: x,
    }[step.take]()
    return clip.with_samples(taken)


def _channel_words(step: Any) -> str:
    take = str(step.take)
    if take == "stereo":
        return f"two channels, a mono sound {step.width:.0f} % wide"
    told = {"mid": "the middle", "side": "the sides", "swapped": "left and right swapped"}
    return told.get(take, take)


CUT = StepKind(
    "cut",
    "Cut",
    "Keep a region and fade its ends.",
    "Cut",
    cut,
    _cut_words,
    (
        P("start", "start", "", "s", 0, LONGEST_S, 0, "Where the region begins."),
        P("end", "end", "", "s", 0, LONGEST_S, 0, "Where it ends; 0 is the end of the sound."),
        P(
            "fade_in",
            "fade in",
            "",
            "ms",
            0,
            30_000,
            5,
            "Length of the fade at the start.",
            "cubic",
        ),
        P(
            "fade_out",
            "fade out",
            "",
            "ms",
            0,
            30_000,
            10,
            "Length of the fade at the end.",
            "cubic",
        ),
        Choice("curve_in", "curve in", _CURVES, "linear", "Shape of the fade at the start."),
        Choice("curve_out", "curve out", _CURVES, "linear", "Shape of the fade at the end."),
    ),
    order=10,
)

SILENCE = StepKind(
    "silence",
    "Delete silence",
    "Take out what stays below a threshold.",
    "Cut",
    delete_silence,
    lambda s: f"below {w.level(s.threshold, 'dBFS')} for {s.shortest:.0f} ms or more",
    (
        P(
            "threshold",
            "threshold",
            "",
            "dB",
            -90,
            -10,
            -50,
            "What lies below counts as silence.",
            "decibel",
        ),
        P("shortest", "shortest", "", "ms", 20, 10_000, 200, "Shorter pauses stay.", "log"),
        P("kept", "kept at ends", "", "ms", 0, 1_000, 40, "Silence left on either side."),
    ),
    order=12,
)

REVERSE = StepKind(
    "reverse", "Reverse", "Play backward.", "Cut", reverse, lambda s: "plays backward", order=14
)

CHANNELS = StepKind(
    "channels",
    "Channels",
    "Choose or combine channels.",
    "Cut",
    channels,
    _channel_words,
    (
        Choice(
            "take",
            "take",
            ("stereo", "left", "right", "mid", "side", "mono sum", "swapped"),
            "stereo",
            "Stereo makes two channels of one; mid is the mean of both, mono sum keeps the level "
            "of unrelated channels.",
        ),
        P(
            "width",
            "width",
            "",
            "%",
            0,
            100,
            50,
            "How unlike the channels of a mono sound become; their sum stays the sound.",
            when=("take", ("stereo",)),
        ),
    ),
    filters=True,
    order=20,
)
