"""Steps that make a sound go on: loop, and tone from anything."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from innerbloom.core.analysis.loops import ALIKE, likeness_at
from innerbloom.core.analysis.mono import one_channel
from innerbloom.core.declare.parameters import Choice
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.errors import BloomError
from innerbloom.core.pitch_names import note_to_hz
from innerbloom.core.prepare import words as w
from innerbloom.core.prepare.clip import Clip
from innerbloom.core.prepare.cutting import LONGEST_S
from innerbloom.core.prepare.declare import Context, StepKind
from innerbloom.core.process.loop import bake_crossfade, check_loop
from innerbloom.core.process.tone import sound_tone, tone_cycle
from innerbloom.core.sound.loop import Loop


def loop_of(clip: Clip, step: Any) -> tuple[Loop, int, str]:
    """A step's loop in frames, its crossfade in frames, and the curve it takes.

    Raises
    ------
    BloomError
        If the loop lies outside the sound or is shorter than its crossfade.
    """
    start = round(step.start * clip.rate)
    end = round(step.end * clip.rate) if step.end > 0 else clip.frames
    loop = Loop(start, end, step.direction, step.release == "stay")
    crossfade = round(1e-3 * step.crossfade * clip.rate)
    check_loop(clip.frames, loop, crossfade)
    curve = step.curve
    if curve == "by likeness":
        mono = one_channel(clip.samples).astype(np.float64)
        alike = likeness_at(mono, clip.rate, start, end) >= ALIKE
        curve = "linear" if alike else "equal power"
    return loop, crossfade, curve


def set_loop(clip: Clip, step: Any, context: Context) -> Clip:
    """Mark a loop and lay its crossfade into the sound."""
    loop, crossfade, curve = loop_of(clip, step)
    return replace(
        clip,
        samples=bake_crossfade(clip.samples, loop, crossfade, curve),  # type: ignore[arg-type]
        loop=loop,
    )


def _loop_words(step: Any) -> str:
    end = w.seconds(step.end) if step.end > 0 else "the end"
    return f"{w.seconds(step.start)} to {end}, {step.direction}, {w.milliseconds(step.crossfade)}"


def make_tone(clip: Clip, step: Any, context: Context) -> Clip:
    """Shrink a loop to a few cycles of a note."""
    if step.place * clip.rate >= clip.frames:
        raise BloomError("The tone's place lies past the end of the sound: move it inside.")
    hz = note_to_hz(step.note, context.tuning)
    turn, length = tone_cycle(clip.samples, clip.rate, step.place * clip.rate, hz, step.cycles)
    samples, loop = sound_tone(turn, length, clip.rate, step.seconds)
    # as high as the sound it comes from, wherever in it the cycle lies
    peak, wanted = np.abs(samples).max(), np.abs(clip.samples).max()
    if peak > 0:
        samples = samples * np.float32(wanted / peak)
    lift = 12.0 * np.log2(context.tuning / 440.0)
    return clip.with_samples(samples, loop=loop, root=step.note + lift, root_how="made")


LOOP = StepKind(
    "loop",
    "Loop",
    "Repeat a stretch, its seam crossfaded.",
    "Loop",
    set_loop,
    _loop_words,
    (
        P("start", "start", "", "s", 0, LONGEST_S, 0, "Where the loop begins."),
        P("end", "end", "", "s", 0, LONGEST_S, 0, "Where it ends; 0 is the end of the sound."),
        P(
            "crossfade",
            "crossfade",
            "",
            "ms",
            0,
            20_000,
            60,
            "Over how long the end blends into what comes before the start; 0 may click.",
            "cubic",
        ),
        Choice(
            "curve",
            "curve",
            ("by likeness", "equal power", "linear"),
            "by likeness",
            "Linear suits sides that are alike, equal power sides that are not.",
        ),
        Choice(
            "direction",
            "direction",
            ("forward", "backward", "back-and-forth"),
            "forward",
            "Which way the loop is read.",
        ),
        Choice(
            "release",
            "at release",
            ("stay", "play on"),
            "stay",
            "Whether the loop goes on when the key is let go.",
        ),
    ),
    order=80,
)

TONE = StepKind(
    "tone",
    "Tone",
    "Make a tone of any place in the sound.",
    "Loop",
    make_tone,
    lambda s: (
        f"{s.cycles} {'cycle' if s.cycles == 1 else 'cycles'} of {w.note(s.note)} at {w.seconds(s.place)}"
    ),
    (
        P("place", "place", "", "s", 0, LONGEST_S, 0, "Where in the sound the cycle is taken."),
        P("note", "note", "", "note", 12, 115, 48, "Note that it sounds."),
        P(
            "cycles",
            "cycles",
            "",
            "",
            1,
            64,
            1,
            "How many cycles one turn of the loop holds.",
            whole_number=True,
        ),
        P("seconds", "length", "", "s", 0.2, 20, 2, "Length of the material.", "log"),
    ),
    order=82,
)
