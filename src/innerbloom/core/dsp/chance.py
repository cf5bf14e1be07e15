"""Chance without a state: a draw is a function of a key and a counter.

The mixing function is that of SplitMix64 (Steele, Lea and Flood, "Fast splittable
pseudorandom number generators", OOPSLA 2014); counter-based use follows Salmon et al.,
"Parallel random numbers: as easy as 1, 2, 3", SC 2011.
"""

from __future__ import annotations

import math

import numpy as np

from innerbloom.core.compiling import borrowing

_GOLDEN = np.uint64(0x9E3779B97F4A7C15)
_M1 = np.uint64(0xBF58476D1CE4E5B9)
_M2 = np.uint64(0x94D049BB133111EB)
_S30, _S27, _S31, _S11 = np.uint64(30), np.uint64(27), np.uint64(31), np.uint64(11)
_ONE = np.uint64(1)


@borrowing
def mix(z):
    """Scramble 64 bits."""
    z = (z ^ (z >> _S30)) * _M1
    z = (z ^ (z >> _S27)) * _M2
    return z ^ (z >> _S31)


@borrowing
def chance_key(seed, serial, layer):
    """The key of one layer of one note: all arguments are uint64."""
    key = mix(seed + _GOLDEN)
    key = mix(key ^ (serial * _GOLDEN + _ONE))
    return mix(key ^ ((layer + _ONE) * _M2))


@borrowing
def uniform(key, counter):
    """A number in [0, 1) for a uint64 key and counter."""
    bits = mix(key + (counter + _ONE) * _GOLDEN)
    return np.float64(bits >> _S11) * (1.0 / 9007199254740992.0)


@borrowing
def draw_of(seed, serial, which):
    """The first number in [0, 1) of a note's key: all arguments are uint64."""
    return uniform(chance_key(seed, serial, which), np.uint64(0))


@borrowing
def two_sided(key, counter):
    """A number in [-1, 1)."""
    return 2.0 * uniform(key, counter) - 1.0


@borrowing
def waiting_time(key, counter):
    """An exponentially distributed number with mean 1: gaps of a Poisson process."""
    return -math.log(1.0 - uniform(key, counter))
