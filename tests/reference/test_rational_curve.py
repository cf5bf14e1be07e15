"""The rational curve of drive, its antiderivatives, and what they make of a stretch."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.integrate

from innerbloom.core.dsp.drive import DRIVE_SCRATCH
from innerbloom.core.dsp.rational_curve import first, plain, second, shape_stretch
from tests.conftest import RATE

COUNT = 256


def pade(x: np.ndarray) -> np.ndarray:
    """The Pade approximant of tanh, which is level from 3 on."""
    held = np.clip(x, -3.0, 3.0)
    return held * (27.0 + held**2) / (27.0 + 9.0 * held**2)


def curved(x: np.ndarray, hard: float) -> np.ndarray:
    return (1.0 - hard) * pade(x) + hard * np.clip(x, -1.0, 1.0)


@pytest.mark.parametrize("hard", [0.0, 0.3, 1.0])
def test_the_curve_is_the_approximant_and_the_others_its_integrals(hard):
    x = np.linspace(-6.0, 6.0, 24_001)
    middle = len(x) // 2
    made = [np.array([one(value, hard) for value in x]) for one in (plain, first, second)]
    wanted = [curved(x, hard)]
    for _ in range(2):
        summed = scipy.integrate.cumulative_simpson(wanted[-1], x=x, initial=0.0)
        wanted.append(summed - summed[middle])
    for found, true in zip(made, wanted, strict=True):
        np.testing.assert_allclose(found, true, atol=1e-6)


def on_simplex(steps: int) -> np.ndarray:
    """Middles of equal triangles, as shares of three corners."""
    found = []
    for i in range(steps):
        for j in range(steps - i):
            found.append((i + 1 / 3, j + 1 / 3))
            if i + j < steps - 1:
                found.append((i + 2 / 3, j + 2 / 3))
    shares = np.array(found) / steps
    return np.column_stack((shares, 1.0 - shares.sum(axis=1)))


def stretches(seed: int) -> np.ndarray:
    """A loud tone, a faint one, noise, silence, and steps that turn back to where they came from."""
    random = np.random.default_rng(seed)
    t = np.arange(COUNT) / (4 * RATE)
    turning = np.where(np.arange(COUNT) % 2, 0.4, -0.7) + 3e-5 * random.standard_normal(COUNT)
    return np.array([
        5.0 * np.sin(2 * np.pi * 3_000 * t), 1e-3 * np.sin(2 * np.pi * 500 * t),
        random.standard_normal(COUNT), np.zeros(COUNT), turning,
    ])  # fmt: skip


@pytest.mark.parametrize("hard", [0.0, 1.0])
def test_a_sample_is_the_mean_of_the_curve_between_three(hard):
    """Hermite and Genocchi: a second difference quotient is a mean over the simplex of its points."""
    shares = on_simplex(160)
    for x in stretches(1):
        room, out = np.zeros(1, DRIVE_SCRATCH), np.zeros(COUNT, np.float32)
        room["field"][0, 2:] = x
        shape_stretch(out, room[0], np.zeros(3), hard)
        before = np.concatenate((np.zeros(2), x))
        for i in range(2, COUNT, 7):
            true = curved(shares @ before[i : i + 3], hard).mean()
            assert out[i] == pytest.approx(true, abs=4e-5)


def test_a_stretch_goes_on_where_the_last_has_ended():
    whole, room = np.concatenate(stretches(2)), np.zeros(1, DRIVE_SCRATCH)
    memory, made = np.zeros(3), []
    for x in whole.reshape(-1, COUNT):
        out = np.zeros(COUNT, np.float32)
        room["field"][0, 2:] = x
        shape_stretch(out, room[0], memory, 0.2)
        made.append(out)
    made = np.concatenate(made)
    shares = on_simplex(60)
    for i in (COUNT, COUNT + 1, 2 * COUNT, 2 * COUNT + 1):
        assert made[i] == pytest.approx(curved(shares @ whole[i - 2 : i + 1], 0.2).mean(), abs=2e-4)
