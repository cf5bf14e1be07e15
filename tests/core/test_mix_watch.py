"""Meters of the whole, against a general-purpose loudness library and closed forms."""

from __future__ import annotations

import numpy as np
import pyloudnorm
import pytest

from innerbloom.core.dsp.rates import BLOCK, RATE
from innerbloom.live.mix_watch import MixWatch
from innerbloom.live.running_spectrum import BANDS
from tests.streams import noise, tone


def watched(sound: np.ndarray) -> MixWatch:
    watch = MixWatch()
    for at in range(0, len(sound) - BLOCK + 1, BLOCK):
        watch.take_in(sound[at : at + BLOCK])
    return watch


def test_integrated_loudness_is_that_of_bs_1770_gated():
    """pyloudnorm, on a sound with a quiet half that the relative gate leaves out."""
    sound = np.concatenate((noise(6.0, 0.1), noise(6.0, 0.004, seed=2)))
    wanted = pyloudnorm.Meter(RATE).integrated_loudness(sound.astype(np.float64))
    assert watched(sound).integrated == pytest.approx(wanted, abs=0.2)


def test_a_full_sine_of_1_khz_in_both_channels_reads_as_tech_3341_says():
    """EBU Tech 3341, case 1: -23 dBFS on both channels is -23 LUFS, momentary, short, integrated."""
    watch = watched(tone(1_000, 5.0, 10 ** (-23 / 20)))
    for reading in (watch.momentary, watch.short_term, watch.integrated):
        assert reading == pytest.approx(-23, abs=0.1)
    assert watch.true_peak_db == pytest.approx(-23, abs=0.2)


@pytest.mark.parametrize(("levels", "lu"), [
    ((-20, -30), 10), ((-20, -15), 5), ((-40, -20), 20), ((-50, -35, -20, -35, -50), 15),
])  # fmt: skip
def test_loudness_range_is_that_of_the_minimum_requirements(levels, lu):
    """EBU Tech 3342, test signals 1 to 4: stereo sines of 1 kHz, 20 s at each level, +-1 LU."""
    sound = np.concatenate([tone(1_000, 20.0, 10 ** (level / 20)) for level in levels])
    assert watched(sound).range_lu == pytest.approx(lu, abs=1)


def test_a_true_peak_lies_between_samples():
    """BS.1770-4, Annex 2: a sine at a quarter of the rate whose samples miss its crests by 45 degrees."""
    t = np.arange(RATE)
    sound = np.sin(np.pi / 2 * t + np.pi / 4).astype(np.float32)[:, None].repeat(2, axis=1)
    fade = np.interp(t, [0, 2_000, RATE], [0, 1, 1]).astype(np.float32)[:, None]
    watch = watched(0.5 * fade * sound)
    assert 20 * np.log10(0.5 * np.sqrt(0.5)) == pytest.approx(-9.03, abs=0.01)
    assert watch.true_peak_db == pytest.approx(-6.02, abs=0.5)


@pytest.mark.parametrize("blocks", [1, 7, 8, 9, 75])
def test_readings_know_every_block_whenever_they_are_asked_for(blocks):
    sound = noise(blocks * BLOCK / RATE + 0.01, 0.1)[: blocks * BLOCK]
    once, often = watched(sound), MixWatch()
    for at in range(0, len(sound), BLOCK):
        often.take_in(sound[at : at + BLOCK])
        often.meters()
    assert often.meters() == once.meters()
    assert often.momentary == pytest.approx(once.momentary, abs=1e-6)
    assert once.true_peak_db >= 20 * np.log10(np.abs(sound).max()) - 1e-6


def test_silence_is_a_number_and_correlation_knows_sides():
    silent = watched(np.zeros((RATE, 2), np.float32))
    assert silent.momentary == silent.integrated == -99.0
    assert silent.correlation == 1.0
    turned = tone(300, 1.0)
    turned[:, 1] *= -1
    assert watched(turned).correlation == pytest.approx(-1, abs=1e-6)
    assert watched(noise(1.0)).correlation == pytest.approx(0, abs=0.1)


def test_the_spectrum_has_a_tone_where_it_is_and_at_its_level():
    spectrum = watched(tone(1_000, 1.0, 0.5)).spectrum()
    assert len(spectrum) == BANDS
    edges = np.geomspace(30, 16_000, BANDS + 1)
    band = int(np.argmax(spectrum))
    assert edges[band] / 1.1 < 1_000 < edges[band + 1] * 1.1
    # the power of a sine of amplitude a half
    assert spectrum[band] == pytest.approx(-9, abs=1)
