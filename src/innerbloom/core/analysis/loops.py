"""Finding loops that close, and saying how well.

Short frames of the sound are described by their spectrum in bands and their level. Pairs of
moments that look alike, in their surroundings too, are candidates (the idea of a frame
self-similarity matrix: J. Foote, "Visualizing music and audio using self-similarity", ACM
Multimedia 1999). Each pair is then moved against each other by cross-correlation until the
waveforms fit best.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from innerbloom.core.analysis.mono import one_channel
from innerbloom.core.errors import BloomError
from innerbloom.core.sound.crossfade import correlation, crossfaded
from innerbloom.core.sound.dc import without_dc
from innerbloom.core.sound.loop import Curve

_WINDOW_S = 0.046
_BANDS = 32
_MOST_FRAMES = 900
_TRIED = 240
_FIT_S = 0.02
"""Half the length of the waveforms laid over each other."""

_SEARCH_S = 0.012
ALIKE = 0.5
"""Correlation from which the two sides count as alike, and are crossfaded linearly."""

LEAST_S = 0.05
_HEARD_S, _REPEATS = 2.0, 0.12
"""Loops of changing sound that are shorter are heard as loops; what an octave less costs."""

_SEAM_HEARD = 0.98
_NOISE_MOVES_DB = 4.0
_FLUX_HOP = 256


@dataclass(frozen=True)
class LoopCandidate:
    """A stretch that may be repeated.

    Attributes
    ----------
    start, end : int
        First frame, and one past the last.
    closes : float
        How well the end runs into the start, 0..1.
    likeness : float
        Correlation of the two sides of the seam, -1..1.
    crossfade : int
        Suggested crossfade in frames.
    curve : {"equal power", "linear"}
        Linear where the sides are alike, equal power where they are not.
    worth : float
        How well it closes, with what longer loops are worth more and those heard to repeat less; 0
        where it was not ranked.
    seam : float
        Largest rise of the spectrum about the seam as it is played, in those that the sound itself
        makes; from 1 on the seam stands out.
    """

    start: int
    end: int
    closes: float
    likeness: float
    crossfade: int
    curve: Curve
    worth: float = 0.0
    seam: float = 0.0

    @property
    def rank(self) -> float:
        """What :func:`find_loops` orders by: its worth, less 1 where its seam is heard."""
        return self.worth - float(self.seam > _SEAM_HEARD)


def find_loops(
    samples: NDArray[np.float32],
    rate: float,
    *,
    least_s: float = 0.25,
    most: int = 8,
) -> tuple[list[LoopCandidate], int]:
    """The best loops of a sound, best first, and how many were tried.

    Parameters
    ----------
    samples : ndarray, shape (frames, channels)
        The region to search, up to some minutes.
    least_s : float
        Shortest loop in seconds, :data:`LEAST_S` or more.

    Raises
    ------
    BloomError
        If the region is too short or silent.
    """
    mono = one_channel(without_dc(samples, rate)).astype(np.float64)
    least = round(max(LEAST_S, min(least_s, 0.4 * len(mono) / rate)) * rate)
    if len(mono) < 2 * round(_FIT_S * rate) + least:
        raise BloomError(
            f"{1e3 * len(mono) / rate:.0f} ms is too short to look for loops in: "
            "choose a longer region."
        )
    if np.abs(mono).max() < 1e-5:
        raise BloomError("There is only silence here, and silence has no loops: choose another.")
    features, level, hop = _described(mono, rate)
    pairs = _alike_pairs(features, level, hop, least)
    found = [_fitted(mono, rate, a * hop, b * hop, least) for a, b in pairs]
    restless = _restlessness(features, hop / rate)
    kept = _distinct([one for one in found if one is not None], rate, restless)
    heard = one_channel(samples).astype(np.float64)
    return _unheard_first(heard, kept[: 3 * most])[:most], len(pairs)


def _described(
    mono: NDArray[np.float64], rate: float
) -> tuple[NDArray[np.float64], NDArray[np.float64], int]:
    """Log-band spectra (n, bands), levels in dB (n,), and the hop in frames."""
    length = 1 << round(np.log2(_WINDOW_S * rate))
    hop = max(length // 4, -(-len(mono) // _MOST_FRAMES))
    padded = np.pad(mono, length // 2)
    frames = np.lib.stride_tricks.sliding_window_view(padded, length)[::hop]
    power = np.abs(scipy.fft.rfft(frames * np.hanning(length), axis=1)) ** 2
    edges = np.unique(np.round(np.geomspace(2, length // 2, _BANDS + 1)).astype(np.intp))
    bands = np.add.reduceat(power, edges[:-1], axis=1) + 1e-12
    level = 10.0 * np.log10(bands.sum(axis=1))
    # what lies 60 dB under the loudest frame does not count
    bands_db = np.maximum(10.0 * np.log10(bands), level.max() - 60.0)
    return bands_db, level, hop


def _alike_pairs(
    features: NDArray[np.float64], level: NDArray[np.float64], hop: int, least: int
) -> list[tuple[int, int]]:
    """Pairs of frames at least ``least`` apart, most alike first, spread over the sound."""
    distance = _distances(features) + 0.5 * np.abs(level[:, None] - level[None, :])
    # what comes before and after has to be alike as well
    around = distance.copy()
    around[1:-1, 1:-1] = (distance[:-2, :-2] + distance[1:-1, 1:-1] + distance[2:, 2:]) / 3.0
    first, second = np.triu_indices(len(features), max(1, -(-least // hop)))
    quiet = level < level.max() - 40.0
    usable = ~(quiet[first] | quiet[second])
    first, second = first[usable], second[usable]
    if not len(first):
        return []
    # a longer loop repeats less noticeably: it may be a little less alike
    price = around[first, second] - 0.8 * np.log2((second - first) * hop / least + 1.0)
    order = np.argsort(price)
    chosen: list[tuple[int, int]] = []
    taken = np.zeros(features.shape[:1] * 2, bool)
    for index in order:
        a, b = int(first[index]), int(second[index])
        if not taken[a, b]:
            chosen.append((a, b))
            taken[max(0, a - 2) : a + 3, max(0, b - 2) : b + 3] = True
            if len(chosen) == _TRIED:
                break
    return chosen


def _distances(features: NDArray[np.float64]) -> NDArray[np.float64]:
    """Root mean square differences of the rows, in dB, shape (n, n)."""
    squares = np.sum(features**2, axis=1)
    product = features @ features.T
    mean = (squares[:, None] + squares[None, :] - 2.0 * product) / features.shape[1]
    return np.asarray(np.sqrt(np.maximum(mean, 0.0)))


def _fitted(
    mono: NDArray[np.float64], rate: float, start: int, end: int, least: int
) -> LoopCandidate | None:
    """Move the end until the waveform before it fits that before the start."""
    fit, search = round(_FIT_S * rate), round(_SEARCH_S * rate)
    start = max(start, fit)
    low, high = end - search - fit, end + search + fit
    if low < 0 or high > len(mono) or start + fit > len(mono):
        return None
    template = mono[start - fit : start + fit]
    stretch = mono[low:high]
    shift, likeness = best_fit(template, stretch)
    end = low + shift + fit
    if end - start < least:
        return None
    return scored(mono, rate, start, end, likeness)


def best_fit(template: NDArray[np.float64], stretch: NDArray[np.float64]) -> tuple[int, float]:
    """Where in ``stretch`` the template fits best, and their normalised correlation there."""
    size = scipy.fft.next_fast_len(len(stretch) + len(template))
    product = scipy.fft.irfft(
        scipy.fft.rfft(stretch, size) * np.conj(scipy.fft.rfft(template, size)), size
    )[: len(stretch) - len(template) + 1]
    squares = np.concatenate(([0.0], np.cumsum(stretch**2)))
    energy = squares[len(template) :] - squares[: -len(template)]
    scale = np.sqrt(np.maximum(energy, 1e-12) * max(float(np.sum(template**2)), 1e-12))
    fit = product / scale
    shift = int(fit.argmax())
    return shift, float(np.clip(fit[shift], -1.0, 1.0))


def likeness_at(mono: NDArray[np.float64], rate: float, start: int, end: int) -> float:
    """Correlation of what lies about the start with what lies about the end, -1..1."""
    fit = min(round(_FIT_S * rate), start, len(mono) - start, end, len(mono) - end)
    if fit < 2:
        fit = max(2, min(end - start, round(_FIT_S * rate)))
        one, other = mono[start : start + fit], mono[max(0, end - fit) : end]
        one = one[: len(other)]
    else:
        one, other = mono[start - fit : start + fit], mono[end - fit : end + fit]
    return correlation(one, other)


def scored(
    mono: NDArray[np.float64], rate: float, start: int, end: int, likeness: float
) -> LoopCandidate:
    """A candidate with its score and the crossfade that suits it."""
    alike = likeness >= ALIKE
    length = end - start
    # noise needs a long crossfade to hide the seam, a fitting tone only a short one
    wanted = (0.03 if likeness > 0.95 else 0.12 if alike else 0.25) * rate
    crossfade = int(min(wanted, 0.5 * length, start))
    if crossfade:
        # what is blended decides on the curve, not what lies about the seam
        alike = correlation(mono[start - crossfade : start], mono[end - crossfade : end]) >= ALIKE
    return LoopCandidate(
        start,
        end,
        round(_closing(mono, rate, start, end, likeness), 4),
        round(likeness, 4),
        crossfade,
        "linear" if alike else "equal power",
    )


def _closing(
    mono: NDArray[np.float64], rate: float, start: int, end: int, likeness: float
) -> float:
    """0..1: level and colour on both sides, and the waveforms' fit where there is one."""
    reach = min(round(0.1 * rate), start, end - start)
    if reach < 64:
        return max(0.0, likeness)
    one, other = mono[start - reach : start], mono[end - reach : end]
    level = abs(10.0 * np.log10((np.mean(one**2) + 1e-10) / (np.mean(other**2) + 1e-10)))
    colour = _colour_distance(one, other)
    surroundings = float(np.exp(-level / 6.0) * np.exp(-colour / 8.0))
    return float(np.clip(0.5 * surroundings + 0.5 * max(likeness, 0.6 * surroundings), 0.0, 1.0))


def _unheard_first(mono: NDArray[np.float64], found: list[LoopCandidate]) -> list[LoopCandidate]:
    """Those whose seam, as it is played, stands out of the sound no more than its own movement
    does come first; the order is kept otherwise."""
    usual = float(np.percentile(spectral_flux(mono, _FLUX_HOP), 95)) if len(mono) > 4_096 else 0.0
    judged = [replace(one, seam=_seam_flux(mono, one) / max(usual, 1e-12)) for one in found]
    return sorted(judged, key=lambda one: one.rank, reverse=True)


def _seam_flux(mono: NDArray[np.float64], one: LoopCandidate) -> float:
    """The largest rise of the spectrum about the seam, its crossfade laid in."""
    fade = one.crossfade
    turn = mono[one.start : one.end].copy()
    if fade > 0:
        made = crossfaded(mono[:, None], one.end - fade, one.start - fade, fade, one.curve)
        turn[-fade:] = made[:, 0]
    reach = 2_048
    about = np.concatenate((np.resize(turn[::-1], reach)[::-1], np.resize(turn, reach)))
    return float(spectral_flux(about, _FLUX_HOP // 4, lag=4).max())


def spectral_flux(mono: NDArray[np.float64], hop: int, lag: int = 1) -> NDArray[np.float64]:
    """Rise of the magnitude spectrum over ``lag`` hops, summed over bins (frames of 1024)."""
    frames = np.lib.stride_tricks.sliding_window_view(mono, 1_024)[::hop] * np.hanning(1_024)
    magnitude = np.abs(scipy.fft.rfft(frames, axis=1))
    return np.asarray(np.maximum(magnitude[lag:] - magnitude[:-lag], 0.0).sum(axis=1))


def _colour_distance(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    """Root mean square difference of two long-term spectra in 16 bands, in dB."""
    window = np.hanning(len(one))
    edges = np.unique(np.round(np.geomspace(2, len(one) // 2, 17)).astype(np.intp))
    spectra = [
        10.0 * np.log10(np.add.reduceat(np.abs(scipy.fft.rfft(x * window)) ** 2, edges[:-1]) + 1e-9)
        for x in (one, other)
    ]
    bar = max(float(spectra[0].max()), float(spectra[1].max())) - 50.0
    return float(np.sqrt(np.mean((np.maximum(spectra[0], bar) - np.maximum(spectra[1], bar)) ** 2)))


def _restlessness(features: NDArray[np.float64], hop_s: float) -> float:
    """How much a sound changes within a tenth of a second: 0 for a tone, 1 for noise."""
    apart = max(1, round(0.1 / hop_s))
    if len(features) <= apart:
        return 0.0
    moved = np.sqrt(np.mean((features[apart:] - features[:-apart]) ** 2, axis=1))
    return float(np.clip(np.median(moved) / _NOISE_MOVES_DB, 0.0, 1.0))


def _distinct(found: list[LoopCandidate], rate: float, restless: float) -> list[LoopCandidate]:
    """Best first, leaving out those that hardly differ from a better one.

    What changes is heard to repeat where it does so within two seconds (N. Guttman and B. Julesz,
    "Lower limits of auditory periodicity analysis", JASA 35, 1963).
    """

    def worth(one: LoopCandidate) -> float:
        seconds = (one.end - one.start) / rate
        heard = _REPEATS * restless * max(0.0, np.log2(_HEARD_S / seconds))
        return float(one.closes + 0.03 * np.log2(seconds + 0.1) - heard)

    kept: list[LoopCandidate] = []
    ranked = [replace(one, worth=worth(one)) for one in found]
    for one in sorted(ranked, key=lambda one: one.worth, reverse=True):
        apart = max(0.05 * rate, 0.08 * (one.end - one.start))
        if all(abs(one.start - k.start) > apart or abs(one.end - k.end) > apart for k in kept):
            kept.append(one)
    return kept
