"""Why one sound is like another, in words."""

from __future__ import annotations

import math

from innerbloom.core.analysis.timbre import brightness_octaves

_AS_BRIGHT_OCTAVES = 0.4
_AS_NOISY = 0.15
_AS_LONG = 1.25


def likeness_words(
    timbres: tuple[list[float], list[float]],
    tonalness: tuple[float, float],
    seconds: tuple[float, float],
) -> str:
    """How another sound compares with one: each pair is the one and the other.

    Parameters
    ----------
    timbres : pair of lists
        As :func:`.timbre` gives them.
    tonalness : pair of float
        0..1.
    seconds : pair of float

    Examples
    --------
    >>> likeness_words(([], []), (0.2, 0.9), (1.0, 4.0))
    'as bright, more tonal, longer'
    """
    brighter = brightness_octaves(*timbres)
    more_tonal = tonalness[1] - tonalness[0]
    longer = math.log(max(seconds[1], 1e-3) / max(seconds[0], 1e-3))
    return ", ".join(
        (
            _word(brighter, _AS_BRIGHT_OCTAVES, "darker", "as bright", "brighter"),
            _word(more_tonal, _AS_NOISY, "noisier", "as noisy", "more tonal"),
            _word(longer, math.log(_AS_LONG), "shorter", "as long", "longer"),
        )
    )


def _word(value: float, same: float, below: str, within: str, above: str) -> str:
    return within if abs(value) <= same else above if value > 0 else below
