"""Steps that find, pull and move pitch, and stretch time."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from innerbloom.core.analysis.track import pitch_track, steadiest
from innerbloom.core.declare.parameters import Choice
from innerbloom.core.declare.parameters import Parameter as P
from innerbloom.core.errors import BloomError
from innerbloom.core.prepare import words as w
from innerbloom.core.prepare.clip import Clip
from innerbloom.core.prepare.cutting import LONGEST_S
from innerbloom.core.prepare.declare import Context, StepKind
from innerbloom.core.process.notes import tune_notes
from innerbloom.core.process.retune import retune
from innerbloom.core.process.shift import shift_pitch
from innerbloom.core.process.stretch import TimeMap, follow_map, stretch
from innerbloom.core.scales import SCALES

MOST_S = 600.0
"""Longest result of a step, in seconds."""

_WANDER_S = 4.0
_NOTE = P("note", "note", "", "note", 0, 127, 57, "Note, or key of the scale.")


def set_root(clip: Clip, step: Any, context: Context) -> Clip:
    """Say what the root is, or that there is none, or take it from the steadiest stretch."""
    if step.how == "steadiest":
        best = steadiest(pitch_track(clip.samples, clip.rate))
        if best is None:
            raise BloomError("Nowhere here does a pitch stay steady for a quarter of a second.")
        return replace(clip, root=best.note, root_how="steadiest")
    how = {"found": "found", "given": "given", "no clear pitch": "none"}[step.how]
    lift = 12.0 * np.log2(context.tuning / 440.0)
    return replace(clip, root=step.note + lift if how == "given" else None, root_how=how)  # type: ignore[arg-type]


def pull(clip: Clip, step: Any, context: Context) -> Clip:
    """Pull to a note, the nearest notes, or a scale."""
    samples = retune(
        clip.samples,
        clip.rate,
        target=step.target,
        note=step.note,
        scale=step.scale,
        flatten=step.flatten / 100.0,
        keep_vibrato=step.vibrato == "kept",
        keep_time=step.timing == "kept",
        tuning=context.tuning,
        progress=context.told,
    )
    # where it came to lie is measured: a drift that was only flattened in part has a say
    return clip.with_samples(samples, loop=None, root=None, root_how="found")


def _pull_words(step: Any) -> str:
    where = {
        "nearest note": "to the nearest note",
        "a note": f"to {w.note(step.note)}",
        "a scale": f"to {w.pitch_class(step.note)} {step.scale}",
    }[step.target]
    return f"{where}, drift flattened {step.flatten:.0f} %, vibrato {step.vibrato}"


def tune_each(clip: Clip, step: Any, context: Context) -> Clip:
    """Tune notes that sound at once, each on its own."""
    samples = tune_notes(
        clip.samples,
        clip.rate,
        amount=step.amount / 100.0,
        scale=step.scale,
        key=step.note,
        tuning=context.tuning,
    )
    return clip.with_samples(samples)


def shift(clip: Clip, step: Any, context: Context) -> Clip:
    """Move the pitch, with formants where they are wanted, blended with the dry sound."""
    semitones = step.semitones + step.cents / 100.0
    wet = shift_pitch(
        clip.samples,
        clip.rate,
        semitones,
        formants=step.formants,
        formant_semitones=step.formant,
        progress=context.told,
    )
    blend = np.float32(step.blend / 100.0)
    samples = clip.samples * (1 - blend) + wet * blend
    moved = clip.root is not None and step.blend >= 50
    return clip.with_samples(samples, root=clip.root + semitones if moved else clip.root)  # type: ignore[operator]


def _shift_words(step: Any) -> str:
    how = {"kept": "formants kept", "with the pitch": "formants along"}.get(
        step.formants, f"formants {w.signed(step.formant, 'st')}"
    )
    blend = "" if step.blend == 100 else f", {step.blend:.0f} % wet"
    cents = f" {w.signed(step.cents, 'ct')}" if step.cents else ""
    return f"{w.signed(step.semitones, 'st')}{cents}, {how}{blend}"


def change_length(clip: Clip, step: Any, context: Context) -> Clip:
    """Stretch by a ratio, to a length, to bars at a tempo, or to a still drone."""
    if step.by == "drone":
        return clip.with_samples(_drone(clip, step, context), loop=None)
    target = {
        "ratio": clip.seconds * step.ratio,
        "seconds": step.seconds,
        "bars": step.bars * step.beats * 60.0 / step.tempo,
    }[step.by]
    ratio = target / clip.seconds
    if target > MOST_S:
        raise BloomError(
            f"That would last {target:.0f} s; a material lasts {MOST_S:.0f} s at most."
        )
    if not 0.2 <= ratio <= 64.0:
        raise BloomError(
            f"That is {ratio:.2f} times the length; 0.2 to 64 times can be done: "
            "choose another length."
        )
    samples = stretch(
        clip.samples,
        clip.rate,
        round(target * clip.rate) / clip.frames,
        sharp=step.beginnings == "sharp",
        progress=context.told,
    )
    return clip.with_samples(samples, loop=None)


def _drone(clip: Clip, step: Any, context: Context) -> np.ndarray[Any, np.dtype[np.float32]]:
    """Read slowly back and forth about one place, so that it stands still but lives."""
    centre = clip.frame_at(step.place)
    reach = min(0.5e-3 * step.breadth * clip.rate, 0.45 * clip.frames)
    centre = round(min(max(centre, reach), clip.frames - reach))
    turns = max(2, round(step.seconds / _WANDER_S))
    out = np.linspace(0.0, step.seconds * clip.rate, turns + 1)
    source = centre + reach * np.where(np.arange(turns + 1) % 2, 1.0, -1.0)
    return follow_map(clip.samples, clip.rate, TimeMap(out, source), context.told)


def _stretch_words(step: Any) -> str:
    beginnings = f", beginnings {step.beginnings}"
    if step.by == "ratio":
        return f"{step.ratio:.2f} times as long{beginnings}"
    if step.by == "seconds":
        return f"to {w.seconds(step.seconds)}{beginnings}"
    if step.by == "bars":
        return f"to {step.bars:g} bars of {step.beats} at {step.tempo:g} bpm{beginnings}"
    return f"still at {w.seconds(step.place)} for {w.seconds(step.seconds)}"


ROOT = StepKind(
    "root",
    "Root",
    "Say which key plays the sound untransposed.",
    "Pitch",
    set_root,
    lambda s: {
        "found": "as measured",
        "steadiest": "of the steadiest stretch",
        "given": w.note(s.note),
    }.get(s.how, s.how),
    (
        Choice(
            "how",
            "root",
            ("found", "steadiest", "given", "no clear pitch"),
            "given",
            "Where it comes from.",
        ),
        replace(_NOTE, help="The root.", when=("how", ("given",))),
    ),
    order=90,
)

PULL = StepKind(
    "pull",
    "Pull to pitch",
    "Bring a drifting or slightly-off sound to true pitch.",
    "Pitch",
    pull,
    _pull_words,
    (
        Choice(
            "target",
            "to",
            ("nearest note", "a note", "a scale"),
            "nearest note",
            "What it is pulled to.",
        ),
        replace(_NOTE, when=("target", ("a note", "a scale"))),
        P("flatten", "flatten drift", "", "%", 0, 100, 70, "How much of the drift goes."),
        Choice(
            "scale",
            "scale",
            tuple(SCALES),
            "major",
            "Notes that count.",
            when=("target", ("a scale",)),
        ),
        Choice("vibrato", "vibrato", ("kept", "flattened"), "kept", "What becomes of vibrato."),
        Choice(
            "timing",
            "timing",
            ("moves along", "kept"),
            "moves along",
            "Moving along, like tape, leaves the sound untouched.",
        ),
    ),
    order=42,
)

TUNE_EACH = StepKind(
    "notes",
    "Tune each note",
    "Bring notes that sound at once each to its nearest note.",
    "Pitch",
    tune_each,
    lambda s: f"{s.amount:.0f} % to {s.scale}",
    (
        Choice("scale", "scale", tuple(SCALES), "chromatic", "Notes that count."),
        P("amount", "amount", "", "%", 0, 100, 100, "How far each note goes."),
        replace(_NOTE, when=("scale", tuple(name for name in SCALES if name != "chromatic"))),
    ),
    order=40,
)

SHIFT = StepKind(
    "shift",
    "Shift pitch",
    "Move the pitch and leave the length.",
    "Shift and stretch",
    shift,
    _shift_words,
    (
        Choice(
            "formants",
            "formants",
            ("kept", "with the pitch", "on their own"),
            "with the pitch",
            "What becomes of the sound's body.",
        ),
        P("semitones", "shift", "", "st", -36, 36, 0, "How far the pitch moves."),
        P("cents", "fine", "", "ct", -100, 100, 0, "The same in cents."),
        P(
            "formant",
            "formants",
            "",
            "st",
            -24,
            24,
            0,
            "How far formants move on their own.",
            when=("formants", ("on their own",)),
        ),
        P("blend", "blend", "", "%", 0, 100, 100, "0 is the dry sound, 100 the shifted one."),
    ),
    order=44,
)

STRETCH = StepKind(
    "stretch",
    "Stretch",
    "Change the length and leave the pitch.",
    "Shift and stretch",
    change_length,
    _stretch_words,
    (
        Choice("by", "by", ("ratio", "seconds", "bars", "drone"), "ratio", "How length is said."),
        P(
            "ratio",
            "ratio",
            "",
            "x",
            0.25,
            8,
            2,
            "How many times as long.",
            "log",
            when=("by", ("ratio",)),
        ),
        P(
            "seconds",
            "length",
            "",
            "s",
            0.05,
            MOST_S,
            8,
            "Length of the result.",
            "log",
            when=("by", ("seconds", "drone")),
        ),
        P("bars", "bars", "", "", 0.25, 64, 2, "Bars to fill.", "log", when=("by", ("bars",))),
        P(
            "beats",
            "beats",
            "",
            "",
            1,
            16,
            4,
            "Beats in a bar.",
            whole_number=True,
            when=("by", ("bars",)),
        ),
        P(
            "tempo",
            "tempo",
            "",
            "bpm",
            20,
            300,
            96,
            "Beats a minute.",
            "log",
            when=("by", ("bars",)),
        ),
        P(
            "place",
            "place",
            "",
            "s",
            0,
            LONGEST_S,
            0,
            "Where the drone stands.",
            when=("by", ("drone",)),
        ),
        P(
            "breadth",
            "breadth",
            "",
            "ms",
            0,
            4_000,
            300,
            "How far it wanders about its place.",
            when=("by", ("drone",)),
        ),
        Choice(
            "beginnings",
            "beginnings",
            ("sharp", "soft"),
            "sharp",
            "Sharp keeps attacks at their own pace.",
            when=("by", ("ratio", "seconds", "bars")),
        ),
    ),
    order=46,
)
