"""Any sound as a tone: a loop of one or a few cycles, tuned by its exact length.

A loop sounds at rate / length. A length that is not a whole number of samples is reached by
reading the stretch at fractional places; several cycles are then written one after another
until they end on a whole sample, so that a plain loop over them is in tune.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from innerbloom.core.errors import BloomError
from innerbloom.core.process.varispeed import read_at
from innerbloom.core.sound.loop import Loop

_MOST_TURNS = 4_096
_IN_TUNE = 1e-5
"""A fiftieth of a cent, as a share of the frequency."""


def tone_cycle(
    samples: NDArray[np.float32],
    rate: float,
    at: float,
    hz: float,
    cycles: int = 1,
    *,
    closing: float = 0.12,
) -> tuple[NDArray[np.float32], float]:
    """One turn of the loop, with its seam closed, and its exact length in frames.

    Parameters
    ----------
    samples : ndarray, shape (frames, channels)
    at : float
        Where the loop starts, in frames.
    hz : float
        Frequency to sound at.
    cycles : int
        How many cycles of ``hz`` one turn holds: more keep more of the sound.
    closing : float
        Share of the turn over which its end is blended into what comes before its start.

    Returns
    -------
    turn : ndarray of float32
        Whole samples up to the exact length, rounded up.
    length : float

    Raises
    ------
    BloomError
        If the sound ends before one turn does, or the tone is higher than can be written.
    """
    length = cycles * rate / hz
    if length < 2:
        raise BloomError("This note is too high for the sound's rate: choose a lower one.")
    blend = closing * length
    start = min(max(at, blend), len(samples) - length - 1)
    if start < blend:
        raise BloomError(
            f"{1e3 * length / rate:.1f} ms of sound are needed for this tone: "
            "choose a higher note or fewer cycles."
        )
    places = np.arange(int(np.ceil(length)))
    turn = read_at(samples, start + places)
    share = (places - (length - blend)) / max(blend, 1e-9)
    inside = share > 0
    if inside.any():
        gain = np.sin(0.5 * np.pi * np.clip(share[inside], 0.0, 1.0)).astype(np.float32) ** 2
        before = read_at(samples, start + places[inside] - length)
        turn[inside] = turn[inside] * (1 - gain[:, None]) + before * gain[:, None]
    mean = turn.mean(axis=0, keepdims=True)
    return turn - mean, length


def sound_tone(
    turn: NDArray[np.float32], length: float, rate: float, seconds: float
) -> tuple[NDArray[np.float32], Loop]:
    """A tone of about ``seconds`` with a loop that keeps it in tune to a fiftieth of a cent.

    Parameters
    ----------
    turn, length : ndarray, float
        From :func:`tone_cycle`.
    """
    turns = _turns_that_fit(length, seconds * rate)
    frames = round(turns * length)
    # wrapped on both sides, so that reading across the seam goes on in the next turn
    pad = 64
    index = np.arange(-pad, int(np.ceil(length)) + pad)
    wrapped = turn[np.mod(index, len(turn))] if length == len(turn) else _wrapped(turn, length, pad)
    phase = np.mod(np.arange(frames) * (turns * length / frames), length)
    return read_at(wrapped, phase + pad, 1.0), Loop(0, frames)


def _wrapped(turn: NDArray[np.float32], length: float, pad: int) -> NDArray[np.float32]:
    """A turn of fractional length continued on both sides at the same places in its cycle."""
    doubled = np.concatenate((turn, turn[:2]))
    places = np.mod(np.arange(-pad, len(turn) + pad), length)
    low = np.floor(places).astype(int)
    share = (places - low)[:, None].astype(np.float32)
    return np.asarray(doubled[low] * (1 - share) + doubled[low + 1] * share, np.float32)


def _turns_that_fit(length: float, about: float) -> int:
    """How many turns come closest to a whole number of samples, near the length asked for."""
    most = max(1, min(_MOST_TURNS, round(about / length)))
    counts = np.arange(max(1, most // 2), most + 1)
    frames = counts * length
    off = np.abs(frames - np.round(frames)) / frames
    good = np.flatnonzero(off <= _IN_TUNE)
    return int(counts[good[-1]] if len(good) else counts[off.argmin()])


def place_for_tone(samples: NDArray[np.float32], rate: float) -> float:
    """Where a cycle is best taken, in seconds: among the loudest stretches the steadiest.

    Of the windows of 60 ms within 6 dB of the loudest, the one whose level changes least
    against its neighbours on both sides; fades and attacks change most.
    """
    hop = max(1, round(0.02 * rate))
    count = len(samples) // hop
    if count < 7:
        return 0.5 * len(samples) / rate
    power = np.square(samples[: count * hop]).reshape(count, -1).mean(axis=1)
    level = 10.0 * np.log10(np.convolve(power, np.ones(3) / 3, "same") + 1e-12)
    change = np.abs(level[:-6] - level[3:-3]) + np.abs(level[6:] - level[3:-3])
    inside = level[3:-3]
    change[inside < inside.max() - 6.0] = np.inf
    return float((np.argmin(change) + 3.5) * hop / rate)
