"""Steps of a recipe as plain data; docs/steps.md tells what each does.

Made by `make reference` from the declarations; do not edit.
"""

# fmt: off
from __future__ import annotations

from typing import Any, Literal

Step = dict[str, Any]


def cut(
    *,
    start: float = 0.0,
    end: float = 0.0,
    fade_in: float = 5.0,
    fade_out: float = 10.0,
    curve_in: Literal['linear', 'equal power', 'slow start', 'slow end'] = 'linear',
    curve_out: Literal['linear', 'equal power', 'slow start', 'slow end'] = 'linear',
) -> Step:
    """Keep a region and fade its ends.

    Parameters
    ----------
    start : Where the region begins. 0 to 86400 s.
    end : Where it ends; 0 is the end of the sound. 0 to 86400 s.
    fade_in : Length of the fade at the start. 0 to 30000 ms.
    fade_out : Length of the fade at the end. 0 to 30000 ms.
    curve_in : Shape of the fade at the start.
    curve_out : Shape of the fade at the end.
    """
    return {"do": "cut", "start": start, "end": end, "fade_in": fade_in, "fade_out": fade_out, "curve_in": curve_in, "curve_out": curve_out}


def silence(
    *,
    threshold: float = -50.0,
    shortest: float = 200.0,
    kept: float = 40.0,
) -> Step:
    """Take out what stays below a threshold.

    Parameters
    ----------
    threshold : What lies below counts as silence. -90 to -10 dB.
    shortest : Shorter pauses stay. 20 to 10000 ms.
    kept : Silence left on either side. 0 to 1000 ms.
    """
    return {"do": "silence", "threshold": threshold, "shortest": shortest, "kept": kept}


def reverse() -> Step:
    """Play backward."""
    return {"do": "reverse"}


def channels(
    *,
    take: Literal['stereo', 'left', 'right', 'mid', 'side', 'mono sum', 'swapped'] = 'stereo',
    width: float = 50.0,
) -> Step:
    """Choose or combine channels.

    Parameters
    ----------
    take : Stereo makes two channels of one; mid is the mean of both, mono sum keeps the level of unrelated channels.
    width : How unlike the channels of a mono sound become; their sum stays the sound. 0 to 100 %.
    """
    return {"do": "channels", "take": take, "width": width}


def declip() -> Step:
    """Make peaks that were cut off anew; they rise above where they were cut."""
    return {"do": "declip"}


def declick(
    *,
    threshold: float = 16.0,
    longest: float = 1.0,
) -> Step:
    """Find short clicks and make what they cover anew.

    Parameters
    ----------
    threshold : How far a click stands out of what the sound around it lets expect; lower finds more. 4 to 40 x.
    longest : Longer bursts are strikes and stay. 0.1 to 5 ms.
    """
    return {"do": "declick", "threshold": threshold, "longest": longest}


def dc() -> Step:
    """Take out a constant offset."""
    return {"do": "dc"}


def highpass(
    *,
    cutoff: float = 40.0,
    slope: Literal['12 dB', '24 dB', '48 dB'] = '24 dB',
) -> Step:
    """Take out rumble below a frequency.

    Parameters
    ----------
    cutoff : Frequency 3 dB down. 10 to 4000 Hz.
    slope : How steep it falls, per octave.
    """
    return {"do": "highpass", "cutoff": cutoff, "slope": slope}


def denoise(
    *,
    start: float = 0.0,
    to: float = 0.0,
    amount: float = 120.0,
    floor: float = -12.0,
) -> Step:
    """Lower steady noise learnt from a quiet stretch.

    Parameters
    ----------
    start : Start of the quiet stretch, in the recording. 0 to 86400 s.
    to : Its end. 0 to 86400 s.
    amount : How much of the learnt noise is taken away. 0 to 300 %.
    floor : The most that anything is lowered. -40 to 0 dB.
    """
    return {"do": "denoise", "start": start, "to": to, "amount": amount, "floor": floor}


def equaliser(
    *,
    low_shelf: float = 120.0,
    low_gain: float = 0.0,
    bell_1: float = 250.0,
    gain_1: float = 0.0,
    q_1: float = 1.0,
    bell_2: float = 1000.0,
    gain_2: float = 0.0,
    q_2: float = 1.0,
    bell_3: float = 4000.0,
    gain_3: float = 0.0,
    q_3: float = 1.0,
    high_shelf: float = 8000.0,
    high_gain: float = 0.0,
) -> Step:
    """Raise and lower bands of frequencies.

    Parameters
    ----------
    low_shelf : Where the low shelf has half its gain. 30 to 2000 Hz.
    low_gain : Gain of the low shelf. -24 to 24 dB.
    bell_1 : Its centre. 30 to 20000 Hz.
    gain_1 : Gain of the bell 1. -24 to 24 dB.
    q_1 : Centre over bandwidth. 0.2 to 8.
    bell_2 : Its centre. 30 to 20000 Hz.
    gain_2 : Gain of the bell 2. -24 to 24 dB.
    q_2 : Centre over bandwidth. 0.2 to 8.
    bell_3 : Its centre. 30 to 20000 Hz.
    gain_3 : Gain of the bell 3. -24 to 24 dB.
    q_3 : Centre over bandwidth. 0.2 to 8.
    high_shelf : Where the high shelf has half its gain. 1000 to 20000 Hz.
    high_gain : Gain of the high shelf. -24 to 24 dB.
    """
    return {"do": "equaliser", "low_shelf": low_shelf, "low_gain": low_gain, "bell_1": bell_1, "gain_1": gain_1, "q_1": q_1, "bell_2": bell_2, "gain_2": gain_2, "q_2": q_2, "bell_3": bell_3, "gain_3": gain_3, "q_3": q_3, "high_shelf": high_shelf, "high_gain": high_gain}


def gain(
    *,
    level: float = 0.0,
) -> Step:
    """Raise or lower the level.

    Parameters
    ----------
    level : Level change. -60 to 60 dB.
    """
    return {"do": "gain", "level": level}


def normalise(
    *,
    to: Literal['peak', 'true peak', 'loudness'] = 'peak',
    peak: float = -0.3,
    loudness: float = -18.0,
) -> Step:
    """Bring the level to a target.

    Parameters
    ----------
    to : What is brought to a target.
    peak : Target of the peak, dBFS or dBTP. -60 to 0 dB.
    loudness : Target of the loudness. -60 to 0 LUFS.
    """
    return {"do": "normalise", "to": to, "peak": peak, "loudness": loudness}


def root(
    *,
    how: Literal['found', 'steadiest', 'given', 'no clear pitch'] = 'given',
    note: float = 57.0,
) -> Step:
    """Say which key plays the sound untransposed.

    Parameters
    ----------
    how : Where it comes from.
    note : The root. 0 to 127 note.
    """
    return {"do": "root", "how": how, "note": note}


def pull(
    *,
    target: Literal['nearest note', 'a note', 'a scale'] = 'nearest note',
    note: float = 57.0,
    flatten: float = 70.0,
    scale: Literal['chromatic', 'major', 'natural minor', 'harmonic minor', 'dorian', 'major pentatonic', 'minor pentatonic', 'whole tone', 'fifths'] = 'major',
    vibrato: Literal['kept', 'flattened'] = 'kept',
    timing: Literal['moves along', 'kept'] = 'moves along',
) -> Step:
    """Bring a drifting or slightly-off sound to true pitch.

    Parameters
    ----------
    target : What it is pulled to.
    note : Note, or key of the scale. 0 to 127 note.
    flatten : How much of the drift goes. 0 to 100 %.
    scale : Notes that count.
    vibrato : What becomes of vibrato.
    timing : Moving along, like tape, leaves the sound untouched.
    """
    return {"do": "pull", "target": target, "note": note, "flatten": flatten, "scale": scale, "vibrato": vibrato, "timing": timing}


def notes(
    *,
    scale: Literal['chromatic', 'major', 'natural minor', 'harmonic minor', 'dorian', 'major pentatonic', 'minor pentatonic', 'whole tone', 'fifths'] = 'chromatic',
    amount: float = 100.0,
    note: float = 57.0,
) -> Step:
    """Bring notes that sound at once each to its nearest note.

    Parameters
    ----------
    scale : Notes that count.
    amount : How far each note goes. 0 to 100 %.
    note : Note, or key of the scale. 0 to 127 note.
    """
    return {"do": "notes", "scale": scale, "amount": amount, "note": note}


def shift(
    *,
    formants: Literal['kept', 'with the pitch', 'on their own'] = 'with the pitch',
    semitones: float = 0.0,
    cents: float = 0.0,
    formant: float = 0.0,
    blend: float = 100.0,
) -> Step:
    """Move the pitch and leave the length.

    Parameters
    ----------
    formants : What becomes of the sound's body.
    semitones : How far the pitch moves. -36 to 36 st.
    cents : The same in cents. -100 to 100 ct.
    formant : How far formants move on their own. -24 to 24 st.
    blend : 0 is the dry sound, 100 the shifted one. 0 to 100 %.
    """
    return {"do": "shift", "formants": formants, "semitones": semitones, "cents": cents, "formant": formant, "blend": blend}


def stretch(
    *,
    by: Literal['ratio', 'seconds', 'bars', 'drone'] = 'ratio',
    ratio: float = 2.0,
    seconds: float = 8.0,
    bars: float = 2.0,
    beats: int = 4,
    tempo: float = 96.0,
    place: float = 0.0,
    breadth: float = 300.0,
    beginnings: Literal['sharp', 'soft'] = 'sharp',
) -> Step:
    """Change the length and leave the pitch.

    Parameters
    ----------
    by : How length is said.
    ratio : How many times as long. 0.25 to 8 x.
    seconds : Length of the result. 0.05 to 600 s.
    bars : Bars to fill. 0.25 to 64.
    beats : Beats in a bar. 1 to 16.
    tempo : Beats a minute. 20 to 300 bpm.
    place : Where the drone stands. 0 to 86400 s.
    breadth : How far it wanders about its place. 0 to 4000 ms.
    beginnings : Sharp keeps attacks at their own pace.
    """
    return {"do": "stretch", "by": by, "ratio": ratio, "seconds": seconds, "bars": bars, "beats": beats, "tempo": tempo, "place": place, "breadth": breadth, "beginnings": beginnings}


def loop(
    *,
    start: float = 0.0,
    end: float = 0.0,
    crossfade: float = 60.0,
    curve: Literal['by likeness', 'equal power', 'linear'] = 'by likeness',
    direction: Literal['forward', 'backward', 'back-and-forth'] = 'forward',
    release: Literal['stay', 'play on'] = 'stay',
) -> Step:
    """Repeat a stretch, its seam crossfaded.

    Parameters
    ----------
    start : Where the loop begins. 0 to 86400 s.
    end : Where it ends; 0 is the end of the sound. 0 to 86400 s.
    crossfade : Over how long the end blends into what comes before the start; 0 may click. 0 to 20000 ms.
    curve : Linear suits sides that are alike, equal power sides that are not.
    direction : Which way the loop is read.
    release : Whether the loop goes on when the key is let go.
    """
    return {"do": "loop", "start": start, "end": end, "crossfade": crossfade, "curve": curve, "direction": direction, "release": release}


def tone(
    *,
    place: float = 0.0,
    note: float = 48.0,
    cycles: int = 1,
    seconds: float = 2.0,
) -> Step:
    """Make a tone of any place in the sound.

    Parameters
    ----------
    place : Where in the sound the cycle is taken. 0 to 86400 s.
    note : Note that it sounds. 12 to 115 note.
    cycles : How many cycles one turn of the loop holds. 1 to 64.
    seconds : Length of the material. 0.2 to 20 s.
    """
    return {"do": "tone", "place": place, "note": note, "cycles": cycles, "seconds": seconds}
